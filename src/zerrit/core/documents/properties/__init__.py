"""Reading and writing properties and env files: a name and a value on each line."""
