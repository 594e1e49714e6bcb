"""Drafting a gamebook from default files."""

from zerrit.core.drafting.writing import draft

__all__ = ["draft"]
