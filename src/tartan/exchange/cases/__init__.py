"""Cases, combinations and requirements as rows of a spreadsheet, and back."""
