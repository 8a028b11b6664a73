"""What enters and leaves: tables, and files of solved cases."""
