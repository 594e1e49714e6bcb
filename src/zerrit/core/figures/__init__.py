"""Figures that people otherwise work out manually; exact, with the method of each told in its docstring."""

from zerrit.core.figures.derived import DerivedRow, between, derive
from zerrit.core.figures.distance import Distance, distances_at
from zerrit.core.figures.draws import odds_by_table, read_tables, tables_by_case
from zerrit.core.figures.numbers import FreeNumber, free_numbers
from zerrit.core.figures.odds import Chance, Prize, Range, Table, odds
from zerrit.core.figures.place_odds import AllOdds, PlaceOdds
from zerrit.core.figures.tally import Tally, TallyRow, tally
from zerrit.core.points import distance

__all__ = [
    "AllOdds",
    "Chance",
    "DerivedRow",
    "Distance",
    "FreeNumber",
    "PlaceOdds",
    "Prize",
    "Range",
    "Table",
    "Tally",
    "TallyRow",
    "between",
    "derive",
    "distance",
    "distances_at",
    "free_numbers",
    "odds",
    "odds_by_table",
    "read_tables",
    "tables_by_case",
    "tally",
]
