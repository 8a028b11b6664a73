"""The part in three dimensions."""
