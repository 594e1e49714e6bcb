"""
The shape of a gamebook file, version 1.

These models only describe what may be in the YAML; what follows from it is in
`zerrit.core.gamebooks.gamebook` and the checks. They are frozen, so that the one reading of a gamebook serves
every check of every server. `docs/gamebook.md` and the JSON Schema for editors are made from them, so each field
says in its description what it is.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, Literal, TypeVar

from pydantic import Field, create_model

from zerrit.core.rules import KINDS, DrawRules, FileRules, ListedRule, ListSource, Part, Rehearsal, Trouble
from zerrit.core.rules.base import Name
from zerrit.core.rules.bundles import BundleRules
from zerrit.core.rules.cases import CaseRules
from zerrit.core.rules.forms import FormRules
from zerrit.core.rules.keep import KeepRules
from zerrit.core.rules.loops import LoopRules

R = TypeVar("R", bound=ListedRule)


class Edition(Part):
    """An edition of a gamebook. The digest tells whether it was changed since; `zerrit gamebook sign` writes it."""

    author: str = Field("", max_length=200)
    version: str = Field("", max_length=80)
    digest: str = Field("", pattern=r"^([0-9a-f]{64})?$")


class _Head(Part):
    """The game, its files and its lists."""

    gamebook: Literal[1] = Field(description="the version of this form; always 1")
    game: Name = Field(description="the name of the game")
    extends: str = Field(
        "", max_length=200, description="the gamebook that this one builds on: its name, or beside a file its path"
    )
    leave_out: tuple[str, ...] = Field((), description="rules of that gamebook that do not hold here, by their ids")
    drafted: str = Field(
        "",
        description="what it was drafted from; while this is set, rules that are not `approved` warn and never block",
    )
    rejected: tuple[str, ...] = Field(
        (), description="drafted rules that a person rejected, by id or in words; no later draft suggests them again"
    )
    files: dict[Name, FileRules] = Field({}, description="what is known of each file, by path or path pattern")
    lists: dict[Name, ListSource] = Field({}, description="lists of words by their names")


if TYPE_CHECKING:

    class _Listed(_Head): ...

else:
    _Listed = create_model(
        "_Listed",
        __base__=_Head,
        **{kind.part: (tuple[kind.annotation(), ...], Field((), description=kind.about)) for kind in KINDS},
    )


class GamebookFile(_Listed):
    """What is known of one game's files."""

    keep: tuple[KeepRules, ...] = Field((), description="numbers of an entry that move together when one is set")
    draws: tuple[DrawRules, ...] = Field((), description="draw tables, for odds")
    loops: tuple[LoopRules, ...] = Field((), description="trades that should not gain in a circle")
    bundles: tuple[BundleRules, ...] = Field((), description="what plugins, mods, maps and packs are made of")
    forms: dict[Name, FormRules] = Field({}, description="sheets of questions that fill all places of a new thing")
    edition: Edition | None = Field(None, description="who made this edition, and the digest of what it says")
    cases: tuple[CaseRules, ...] = Field((), description="files that are tried, and what has to be found in them")
    opened: tuple[Name, ...] = Field(
        (),
        description="path patterns of ZIP and TAR files whose files are read and edited one by one, as in `maps.zip!/north.xml`",
    )
    rehearse: Rehearsal | None = Field(None, description="how a copy of a server is started to see whether it does")
    trouble: Trouble = Field(Trouble(), description="how the game says that something went wrong")
    ignore: tuple[Name, ...] = Field((), description="path patterns of files that are no configuration, such as logs")
    watch: tuple[Name, ...] = Field((), description="path patterns of files whose content is not kept")

    def of(self, kind: type[R]) -> tuple[R, ...]:
        """The rules of a kind."""
        found: tuple[R, ...] = getattr(self, kind.part)
        return found

    def listed(self) -> Iterator[tuple[int, ListedRule]]:
        """Every rule that is listed in a part of its own, with its number there."""
        for kind in KINDS:
            yield from enumerate(self.of(kind))


def json_schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of a gamebook file, for editors that complete and underline while one types."""
    schema = GamebookFile.model_json_schema(by_alias=True)
    own = {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Zerrit gamebook, version 1"}
    return {**own, **schema, **own}
