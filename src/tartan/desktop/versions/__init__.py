"""The Versions station."""
