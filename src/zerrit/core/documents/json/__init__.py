"""Reading and writing JSON."""
