"""Merging published snippets into documents, and what two sides changed into one."""

from zerrit.core.merge.folders import FileMerge, FileState, merge_folders
from zerrit.core.merge.key_notes import KeyNote, key_notes, notes_of
from zerrit.core.merge.parameters import filled, require_parameters
from zerrit.core.merge.snippet import Action, ActionKind, MergePlan, apply_plan, plan_merge
from zerrit.core.merge.snippet_cleaning import clean
from zerrit.core.merge.taking import Existing, Taking, plan_in_words, taken
from zerrit.core.merge.threeway import Conflict, Merged, merge_three

__all__ = [
    "Action",
    "ActionKind",
    "Conflict",
    "Existing",
    "FileMerge",
    "FileState",
    "KeyNote",
    "MergePlan",
    "Merged",
    "Taking",
    "apply_plan",
    "clean",
    "filled",
    "key_notes",
    "merge_folders",
    "merge_three",
    "notes_of",
    "plan_in_words",
    "plan_merge",
    "require_parameters",
    "taken",
]
