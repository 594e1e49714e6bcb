"""Reading and writing TOML."""
