"""Reading and writing XML."""
