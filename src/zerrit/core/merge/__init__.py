"""Merging published snippets into documents, and what two sides changed into one."""

from zerrit.core.merge.folders import FileMerge, FileState, merge_folders
from zerrit.core.merge.key_notes import KeyNote, key_notes, notes_of
from zerrit.core.merge.snippet import Action, ActionKind, MergePlan, apply_plan, plan_merge
from zerrit.core.merge.snippet_cleaning import clean
from zerrit.core.merge.threeway import Conflict, Merged, merge_three

__all__ = [
    "Action",
    "ActionKind",
    "Conflict",
    "FileMerge",
    "FileState",
    "KeyNote",
    "MergePlan",
    "Merged",
    "apply_plan",
    "clean",
    "key_notes",
    "merge_folders",
    "merge_three",
    "notes_of",
    "plan_merge",
]
