"""Forty hand-made mistakes for each format, in files like those that admins edit."""
