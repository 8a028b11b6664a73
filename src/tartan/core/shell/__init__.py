"""Shells: mesh, element, supports and loads, solution, margins."""
