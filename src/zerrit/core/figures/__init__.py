"""Figures that people otherwise work out manually; exact, with the method of each told in its docstring."""

from zerrit.core.figures.derived import DerivedRow, between, derive
from zerrit.core.figures.distance import Direction, Distance, Facing, Measured, distances_at
from zerrit.core.figures.draws import DrawTables, odds_by_table, opened, read_tables, tables_by_case
from zerrit.core.figures.make_room import Room, Way, make_room, room_in_words
from zerrit.core.figures.money_loops import Loop, Loops, find_loops, fix_in_words, loop_in_words, shown
from zerrit.core.figures.numbers import FreeNumber, free_numbers
from zerrit.core.figures.odds import Chance, Prize, Quality, Range, Table, odds, pieces, reached, without_effect
from zerrit.core.figures.place_odds import AllOdds, PlaceOdds
from zerrit.core.figures.seen import (
    Apart,
    Seen,
    draws_to_tell_apart,
    once_in,
    seen_in_draws,
    seen_in_pieces,
    seen_in_words,
)
from zerrit.core.figures.tally import Tally, TallyRow, tally
from zerrit.core.figures.trades import Trade, Trades, loop_rules, read_trades
from zerrit.core.figures.weight_for import Aim, WeightFor, weight_for
from zerrit.core.figures.worth import TableWorth, Worth, table_worth, worth_of_things
from zerrit.core.points import distance

__all__ = [
    "Aim",
    "AllOdds",
    "Apart",
    "Chance",
    "DerivedRow",
    "Direction",
    "Distance",
    "DrawTables",
    "Facing",
    "FreeNumber",
    "Loop",
    "Loops",
    "Measured",
    "PlaceOdds",
    "Prize",
    "Quality",
    "Range",
    "Room",
    "Seen",
    "Table",
    "TableWorth",
    "Tally",
    "TallyRow",
    "Trade",
    "Trades",
    "Way",
    "WeightFor",
    "Worth",
    "between",
    "derive",
    "distance",
    "distances_at",
    "draws_to_tell_apart",
    "find_loops",
    "fix_in_words",
    "free_numbers",
    "loop_in_words",
    "loop_rules",
    "make_room",
    "odds",
    "odds_by_table",
    "once_in",
    "opened",
    "pieces",
    "reached",
    "read_tables",
    "read_trades",
    "room_in_words",
    "seen_in_draws",
    "seen_in_pieces",
    "seen_in_words",
    "shown",
    "table_worth",
    "tables_by_case",
    "tally",
    "weight_for",
    "without_effect",
    "worth_of_things",
]
