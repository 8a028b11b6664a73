"""Reserve factors of a laminate along a load."""
