"""Exact derivatives of a shell's answers by what its sections are made of."""
