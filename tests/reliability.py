"""The parts of docs/reliability.md that are measured: each is between two marks, and its command puts it there."""

from __future__ import annotations

from pathlib import Path

PAGE = Path(__file__).parent.parent / "docs" / "reliability.md"


def write_part(name: str, text: str) -> None:
    """Put a measured part into the page, between its marks."""
    begin, end = f"<!-- {name} -->", f"<!-- /{name} -->"
    page = PAGE.read_text("utf-8")
    before, _, rest = page.partition(begin)
    _, found, after = rest.partition(end)
    if not found:
        raise ValueError(f"{PAGE} has no part {name}")
    PAGE.write_text(f"{before}{begin}\n\n{text}\n\n{end}{after}", "utf-8")
