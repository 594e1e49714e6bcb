"""The use cases, one module each. Interfaces call these and nothing below."""
