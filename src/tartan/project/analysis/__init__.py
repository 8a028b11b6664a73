"""What is solved of a part, with what, and by which process."""
