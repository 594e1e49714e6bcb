"""Zerrit keeps the configuration files of game servers under change control."""

__version__ = "0.1.0"
