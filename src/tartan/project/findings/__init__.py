"""What an answer says: margins over a choice, the verdict, its limits, differences."""
