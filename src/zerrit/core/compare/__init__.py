"""Comparing: two documents in, differences out."""

from zerrit.core.compare.binary_files import FileSet, OtherFile, compare_file_sets, undecided
from zerrit.core.compare.difference_filter import differences_at, require_place
from zerrit.core.compare.differences import Difference, DifferenceKind, compare_documents, compare_files
from zerrit.core.compare.line_difference import text_difference

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
