"""Drafting a gamebook from default files, and from what was seen of the game."""

from zerrit.core.drafting.draft_text import draft
from zerrit.core.drafting.guesses import Guess
from zerrit.core.drafting.log_inference import KeptLog

__all__ = ["Guess", "KeptLog", "draft"]
