"""The Report station."""
