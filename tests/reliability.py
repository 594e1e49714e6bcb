"""The parts of docs/reliability.md that are measured: each stands between two marks, and its command puts it there."""

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


def read_part(name: str) -> str:
    """A measured part as it stands on the page."""
    _, _, rest = PAGE.read_text("utf-8").partition(f"<!-- {name} -->")
    return rest.partition(f"<!-- /{name} -->")[0]


def replace_lines(*groups: list[str]) -> None:
    """Put lines in the place of those that begin alike: rows of a table, points of a list."""
    page = PAGE.read_text("utf-8").splitlines()
    for line in (line for group in groups for line in group):
        begin = line.split("|")[1] if line.startswith("|") else line.split(":")[0]
        page = [line if begin in old[: len(begin) + 2] else old for old in page]
    PAGE.write_text("\n".join([*page, ""]), "utf-8")
