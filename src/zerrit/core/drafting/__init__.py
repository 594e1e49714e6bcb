"""Drafting a gamebook from default files."""

from zerrit.core.drafting.draft_text import draft

__all__ = ["draft"]
