"""Gamebooks: what is known of one game's files."""

from zerrit.core.gamebooks.editions import EditionState, edition_of, signed, without_edition
from zerrit.core.gamebooks.gamebook import MOST_BASES, BaseOf, Gamebook, read_gamebook
from zerrit.core.gamebooks.rule_list import PlacedRule
from zerrit.core.gamebooks.schema import GamebookFile, json_schema

__all__ = [
    "MOST_BASES",
    "BaseOf",
    "EditionState",
    "Gamebook",
    "GamebookFile",
    "PlacedRule",
    "edition_of",
    "json_schema",
    "read_gamebook",
    "signed",
    "without_edition",
]
