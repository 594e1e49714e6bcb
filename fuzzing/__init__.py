"""Spoilt files by the million: whatever is read, nothing may break."""
