"""Reading and writing plain text."""
