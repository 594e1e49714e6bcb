"""Two states of the files of a game, of which figures are worked out beside each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from zerrit.core.documents.document import Document
from zerrit.core.errors import FigureRefused
from zerrit.core.gamebooks import Gamebook


@dataclass(frozen=True, slots=True)
class States:
    """Files before and after, and what the two are called. They are the same where there is nothing to compare with."""

    before: Mapping[str, Document]
    after: Mapping[str, Document]
    old_name: str
    new_name: str
    gamebook: Gamebook | None

    @property
    def book(self) -> Gamebook:
        """The gamebook. Raises FigureRefused: there is none."""
        if self.gamebook is None:
            raise FigureRefused("There is no gamebook, which would say where draw tables, prices and trades are.")
        return self.gamebook

    @property
    def differ(self) -> bool:
        return self.before is not self.after
