"""Pages to be printed or sent: one HTML file each, with nothing in it that is loaded from elsewhere."""

from zerrit.report.comparison import comparison_page

__all__ = ["comparison_page"]
