"""Solids of plies, one or more elements each through the thickness."""
