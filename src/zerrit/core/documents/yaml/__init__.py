"""Reading and writing YAML."""
