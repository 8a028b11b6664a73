"""Plies as they are draped: nets of inextensible yarns on curved surfaces, and flat patterns."""
