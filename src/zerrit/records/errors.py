"""How the records fail."""

from __future__ import annotations

from zerrit.core.errors import ZerritError


class RecordsUnusable(ZerritError):
    """What is kept is damaged, or cannot be opened with this key."""

    kind = "records-unusable"
