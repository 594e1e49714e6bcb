"""Gamebooks: what is known of one game's files."""

from zerrit.core.gamebooks.gamebook import Gamebook, read_gamebook
from zerrit.core.gamebooks.rule_list import PlacedRule
from zerrit.core.gamebooks.schema import GamebookFile, json_schema

__all__ = ["Gamebook", "GamebookFile", "PlacedRule", "json_schema", "read_gamebook"]
