"""Reading and writing keyword lines: a keyword and its values on each line."""
