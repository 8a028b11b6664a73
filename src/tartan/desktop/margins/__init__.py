"""The Margins station."""
