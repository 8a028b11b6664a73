"""Reusable widgets of the window."""
