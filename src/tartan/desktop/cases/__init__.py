"""The Cases station."""
