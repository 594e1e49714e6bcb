"""Reading files into documents with spans, and editing them by splices."""

from zerrit.core.documents.code import Code, Severity
from zerrit.core.documents.codes import CODES, TOLERANCES
from zerrit.core.documents.document import Document, read_document
from zerrit.core.documents.findings import Finding, FindingLike, in_reading_order
from zerrit.core.documents.format import Format, format_by_name
from zerrit.core.documents.node import Node, NodeKind, Span
from zerrit.core.documents.slots import Slot
from zerrit.core.documents.source import MAX_BYTES

__all__ = [
    "CODES",
    "MAX_BYTES",
    "TOLERANCES",
    "Code",
    "Document",
    "Finding",
    "FindingLike",
    "Format",
    "Node",
    "NodeKind",
    "Severity",
    "Slot",
    "Span",
    "format_by_name",
    "in_reading_order",
    "read_document",
]
