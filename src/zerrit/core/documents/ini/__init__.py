"""Reading and writing INI."""
