"""The Part station."""
