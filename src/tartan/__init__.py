"""Tartan: design and substantiation of composite laminates and shells."""

__version__ = "0.1.0"
