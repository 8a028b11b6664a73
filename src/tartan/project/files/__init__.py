"""Project files and recovery files."""
