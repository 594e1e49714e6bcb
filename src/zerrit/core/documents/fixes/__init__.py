"""Decide which of the repairs that the readers propose are safe, and apply those."""

from zerrit.core.documents.fixes.safe_fixes import Fixed, safe_fixes

__all__ = ["Fixed", "safe_fixes"]
