"""Comparing: two documents in, differences out."""

from zerrit.core.compare.differences import Difference, DifferenceKind, compare_documents, compare_files
from zerrit.core.compare.filtering import differences_at, require_place
from zerrit.core.compare.lines import text_difference
from zerrit.core.compare.other_files import FileSet, OtherFile, compare_file_sets, undecided

__all__ = [
    "Difference",
    "DifferenceKind",
    "FileSet",
    "OtherFile",
    "compare_documents",
    "compare_file_sets",
    "compare_files",
    "differences_at",
    "require_place",
    "text_difference",
    "undecided",
]
