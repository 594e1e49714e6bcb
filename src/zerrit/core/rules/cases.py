"""Cases of a gamebook: what has to be found in files that are tried."""

from __future__ import annotations

from pydantic import Field

from zerrit.core.rules.base import Name, Part


class CaseRules(Part):
    """Files that are tried against the gamebook, and the findings that they have to give: all of them, and no others.

    Each finding is a code, or a code and an address: `meaning.range shop.xml#thing[Rope]/@price`. Without any, nothing may be found.
    """

    name: Name
    files: dict[Name, str] = Field(min_length=1, description="the texts of the files, by path")
    finds: tuple[str, ...] = Field((), description="what has to be found in them")
