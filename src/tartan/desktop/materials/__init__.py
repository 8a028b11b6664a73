"""The Materials station."""
