"""The databases that games use: queries on their files, and tables of their database servers."""

from zerrit.databases.server import RowFault, RowsFailed, TableServer, checked_url, is_table_name
from zerrit.databases.sqlite import query

__all__ = ["RowFault", "RowsFailed", "TableServer", "checked_url", "is_table_name", "query"]
