"""Servers with their controls, settings and gamebooks."""
