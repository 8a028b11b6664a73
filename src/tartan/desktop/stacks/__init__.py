"""The Stacks station."""
