"""What is told to others: what the commands print, and the record."""
