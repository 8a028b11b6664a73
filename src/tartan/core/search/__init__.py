"""Searching for better stacks."""
