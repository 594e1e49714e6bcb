"""The use cases. Interfaces call these and nothing below."""
