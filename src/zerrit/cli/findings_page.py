"""The page of the documentation that explains every finding, from the one catalogue that the commands use.

python -m zerrit.cli.findings_page > docs/findings.md
"""

from __future__ import annotations

import sys
from typing import Final

from zerrit.cli.codes import visible
from zerrit.core.documents import CODES, TOLERANCES, Code

_GROUPS: Final = {
    "text": "Any text file, and scripts",
    "xml": "XML",
    "json": "JSON",
    "yaml": "YAML",
    "ini": "INI",
    "properties": "Properties and env files",
    "keywords": "Keyword lines",
    "braces": "Braced key-values",
    "classes": "Class configs",
    "toml": "TOML",
    "script": "Tables in scripts",
    "database": "Databases",
    "meaning": "What the gamebook says of it",
    "gamebook": "The gamebook itself",
    "waiver": "Waivers",
}


def page() -> str:
    """The whole page as Markdown."""
    lines = [
        "# Findings",
        "",
        "What Zerrit reports, by code. `zerrit codes` lists them, `zerrit codes CODE` prints one. This page is made from the",
        "same catalogue (`make docs`).",
        "",
        "An **error** blocks: the game would not read the file, or not as it is meant. A **warning** is likely a mistake. A",
        "**notice** is worth knowing. A code marked *tolerance* can be admitted by a gamebook for a file whose game accepts the",
        "fault; it is then only a notice:",
        "",
        "```yaml",
        "files:",
        "  configs/items.xml:",
        "    tolerate: [xml.stray-ampersand]",
        "```",
        "",
        "Some findings have a safe fix: `zerrit check --fix` shows what it would change and asks before it writes.",
    ]
    for prefix, title in _GROUPS.items():
        lines += ["", f"## {title}"]
        for name, code in CODES.items():
            if name.partition(".")[0] == prefix:
                lines += ["", *_section(name, code)]
    return "\n".join(lines) + "\n"


def _section(name: str, code: Code) -> list[str]:
    mark = ", tolerance" if name in TOLERANCES else ""
    lines = [f"### {name}", "", f"*{code.severity.value}{mark}.* {code.says} {code.advice}", ""]
    if code.is_told:
        return [*lines, f"Wrong: {code.wrong}. Right: {code.right}."]
    for word, text in (("Wrong", code.wrong), ("Right", code.right)):
        shown = "\n".join(visible(line) for line in text.removesuffix("\n").split("\n"))
        lines += [f"{word}:", "", f"```\n{shown}\n```", ""]
    return lines[:-1]


if __name__ == "__main__":
    sys.stdout.write(page())
