"""The formats that are read, and which one a file has by its name and its content."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Final, NamedTuple

from zerrit.core.paths import ending_of


@dataclass(frozen=True, slots=True)
class Traits:
    """How a format differs from the others, as far as more than its own reader and writer have to know."""

    label: str  #: what people call it
    unique_names: bool = False  #: a name is there once in its group
    may_repeat: bool = False  #: an entry may get a sibling of its name
    named_parts: bool = (
        False  #: a name tells a group or value from its siblings, so that its place can be told as moved
    )
    attributes: bool = False  #: an entry has attributes beside what is in it, and text of its own
    sections: bool = False  #: the file is cut into sections whose headers may come again
    indented: bool = False  #: what belongs together is told by its indentation
    commas: bool = False  #: siblings have commas between them
    braces: bool = False  #: what is in a group is between braces, one below the other
    line_based: bool = False  #: lines, and what is cut out of them: the slots of a gamebook, the tables of a script
    script: bool = False  #: code, of which only what is written out in full is opened
    ordered: bool = True  #: the order of entries is part of the file
    block_comments: bool = False  #: a comment is between two signs and may have several lines
    key: str = ""  #: the field that names entries unless a gamebook says otherwise; a number may be such a name
    line_comments: tuple[str, ...] | None = ()  #: signs that begin a comment; None where the file's language says it


class Format(StrEnum):
    """Each has a folder beside this module with its reader and its writer: of its name, or of its kind for a script."""

    XML = "xml"
    YAML = "yaml"
    JSON = "json"
    INI = "ini"
    PROPERTIES = "properties"
    KEYWORDS = "keywords"
    BRACES = "braces"
    CLASSES = "classes"
    TOML = "toml"
    LUA = "lua"
    JAVASCRIPT = "javascript"
    C = "c"
    SHELL = "shell"
    BATCH = "batch"
    POWERSHELL = "powershell"
    PYTHON = "python"
    DATABASE = "database"
    TEXT = "text"

    @property
    def traits(self) -> Traits:
        return _TRAITS[self]

    @property
    def label(self) -> str:
        """What people call it."""
        return self.traits.label

    @property
    def folder(self) -> str:
        """The name of the folder that its reader and writer are in."""
        return "scripts" if self.traits.script else self.value


_TRAITS: Final[Mapping[Format, Traits]] = {
    Format.XML: Traits("XML", may_repeat=True, attributes=True, block_comments=True),
    Format.YAML: Traits("YAML", unique_names=True, named_parts=True, indented=True, line_comments=("#",)),
    Format.JSON: Traits("JSON", unique_names=True, named_parts=True, commas=True),
    Format.INI: Traits("INI", may_repeat=True, named_parts=True, sections=True, line_comments=(";", "#", "//")),
    Format.PROPERTIES: Traits("properties", named_parts=True, line_comments=("#", "!")),
    Format.KEYWORDS: Traits(
        "keyword lines", may_repeat=True, named_parts=True, key="1", line_comments=("//", "#", ";")
    ),
    Format.BRACES: Traits("braced key-values", may_repeat=True, braces=True, named_parts=True, line_comments=("//",)),
    Format.CLASSES: Traits("class config", named_parts=True, braces=True, line_comments=("//",)),
    Format.TOML: Traits("TOML", named_parts=True, sections=True, line_comments=("#",)),
    **{
        one: Traits(label, line_based=True, line_comments=None, script=True, named_parts=True)
        for one, label in (
            (Format.LUA, "Lua script"),
            (Format.JAVASCRIPT, "JavaScript"),
            (Format.C, "C-like code"),
            (Format.SHELL, "shell script"),
            (Format.BATCH, "batch file"),
            (Format.POWERSHELL, "PowerShell script"),
            (Format.PYTHON, "Python script"),
        )
    },
    Format.DATABASE: Traits("database", may_repeat=True, ordered=False),
    Format.TEXT: Traits("text", line_based=True, line_comments=None),
}

_BY_ENDING: Final = {
    ".xml": Format.XML,
    ".yml": Format.YAML,
    ".yaml": Format.YAML,
    ".json": Format.JSON,
    ".ini": Format.INI,
    ".properties": Format.PROPERTIES,
    ".env": Format.PROPERTIES,
    ".toml": Format.TOML,
    ".lua": Format.LUA,
    ".js": Format.JAVASCRIPT,
    ".mjs": Format.JAVASCRIPT,
    ".ts": Format.JAVASCRIPT,
    ".c": Format.C,
    ".h": Format.C,
    ".cpp": Format.C,
    ".hpp": Format.C,
    ".cs": Format.C,
    ".java": Format.C,
    ".sh": Format.SHELL,
    ".bash": Format.SHELL,
    ".bat": Format.BATCH,
    ".cmd": Format.BATCH,
    ".ps1": Format.POWERSHELL,
    ".py": Format.PYTHON,
}
#: Endings that several formats share; the content decides.
_SHARED: Final = frozenset((".cfg", ".conf", ".cnf", ".config"))
#: Endings of prose, logs and tables, in which lines that look like settings are none.
_NEVER_GUESSED: Final = frozenset((".txt", ".log", ".md", ".csv", ".html", ".htm"))
#: What a file may be whose ending says nothing: only what prose and code never look like.
_UNMISTAKABLE: Final = frozenset(
    (Format.XML, Format.JSON, Format.CLASSES, Format.BRACES, Format.LUA, Format.JAVASCRIPT, Format.C)
)


class Recognised(NamedTuple):
    """The format of a file. `is_guessed`: its content says so, and neither its name nor a person."""

    format: Format
    is_guessed: bool = False


def format_by_name(path: str) -> Format | None:
    """The format that a file's name promises; None where it promises none."""
    name = path.rpartition("/")[2].lower()
    if name == ".env" or name.startswith(".env."):
        return Format.PROPERTIES
    return _BY_ENDING.get(ending_of(path))


_PROGRAM: Final = re.compile(r"#!\s*\S*?(?:/|\s)(?:env\s+)?((?:ba|da|z|k)?sh|lua|python|node)[\d.]*\s")
_PROGRAMS: Final = {"lua": Format.LUA, "python": Format.PYTHON, "node": Format.JAVASCRIPT}


def format_by_first_line(text: str) -> Format | None:
    """The language of a script that names its program in its first line; None where it names none that is known."""
    found = _PROGRAM.match(text)
    return _PROGRAMS.get(found.group(1), Format.SHELL) if found is not None else None


def guessed_format(path: str, text: str) -> Recognised:
    """The format of a file whose name says none, by its content: a guess, unless it is a text like any other."""
    ending = ending_of(path)
    if ending in _NEVER_GUESSED:
        return Recognised(Format.TEXT)
    from zerrit.core.documents.recognition import likely_format  # noqa: PLC0415 (its patterns take longer than most files)

    likely = likely_format(text)
    if likely is None or (ending not in _SHARED and likely not in _UNMISTAKABLE):
        return Recognised(Format.TEXT)
    return Recognised(likely, is_guessed=True)
