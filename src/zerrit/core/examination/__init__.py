"""
One examination of files: what rules ask for, each thing worked out once.

It knows documents and expressions, and of a gamebook only what it is handed; the rules are above it.
"""
