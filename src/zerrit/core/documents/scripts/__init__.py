"""Reading and writing scripts: literal tables, settings and options in them are values, code stays closed."""
