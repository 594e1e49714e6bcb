"""
Findings: what a reader or a check has to say about one place in a file.

Each code has one row in `CODES`, which gives its usual severity and says in a sentence what it is about; a
tolerance is simply the code of a fault that a gamebook or server admits, and turns it into a notice.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Final

from zerrit.core.documents.source import Source, Splice


class Severity(StrEnum):
    ERROR = "error"  # the game would not read the file, or not as it is meant: blocks
    WARNING = "warning"  # likely a mistake: does not block
    NOTICE = "notice"  # worth knowing

    @property
    def rank(self) -> int:
        """0 for the gravest, so that sorting puts it first."""
        return list(Severity).index(self)


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that a check reports. `line` and `column` are 1-based; 0 means the file as a whole.

    `hint` says what to do; where there is one sure way, `mend` does it.
    """

    code: str
    severity: Severity
    message: str
    path: str
    line: int = 0
    column: int = 0
    address: str = ""
    hint: str = ""
    mend: Splice | None = None

    @property
    def blocks(self) -> bool:
        return self.severity is Severity.ERROR


E_, W_, N_ = Severity.ERROR, Severity.WARNING, Severity.NOTICE
CODES: Final[dict[str, tuple[Severity, str]]] = {
    "text.legacy-encoding": (N_, "The file is neither UTF-8 nor UTF-16; it is read as Western 8-bit text."),
    "text.too-large": (E_, "The file is larger than Zerrit reads."),
    "text.too-deep": (E_, "The file nests deeper than Zerrit reads."),
    "text.nul": (W_, "The file holds NUL characters, as a binary file or a broken upload does."),
    "text.quote-not-closed": (W_, "A text in a script is opened with a quotation mark and never closed."),
    "text.bracket-not-closed": (W_, "A bracket in a script is opened and never closed."),
    "text.bracket-mismatch": (W_, "A closing bracket in a script does not fit the opening one."),
    "text.bracket-extra": (W_, "A closing bracket in a script closes nothing."),
    "text.smart-quotes": (W_, "A typographic quotation mark stands in a script."),
    "xml.no-root": (E_, "The file has no element at all."),
    "xml.two-roots": (E_, "An XML file has exactly one outermost element."),
    "xml.text-outside-root": (E_, "Text stands outside the outermost element."),
    "xml.not-closed": (E_, "An element is opened and never closed."),
    "xml.opening-missing": (E_, "The opening tag of an element is missing."),
    "xml.closing-slash": (E_, "The slash of a closing tag is missing."),
    "xml.stray-end": (W_, "A `>` stands in a text, as if the beginning of its tag or comment were missing."),
    "xml.closing-without-opening": (E_, "A closing tag closes nothing."),
    "xml.closing-name": (E_, "A closing tag has another name than the element it should close."),
    "xml.tag-not-ended": (E_, "A tag has no closing angle bracket."),
    "xml.bad-tag": (E_, "A `<` begins no tag that can be understood."),
    "xml.quote-missing": (E_, "A quotation mark around a value is missing."),
    "xml.quote-extra": (E_, "A quotation mark too many stands behind a value."),
    "xml.equals-missing": (E_, "The equals sign between an attribute and its value is missing."),
    "xml.equals-extra": (E_, "Two equals signs stand in a row."),
    "xml.value-missing": (E_, "An attribute has no value."),
    "xml.value-unquoted": (E_, "The value of an attribute stands without quotation marks."),
    "xml.attribute-twice": (E_, "An element has the same attribute twice."),
    "xml.attribute-spacing": (E_, "Two attributes stand without a space between them."),
    "xml.stray-ampersand": (E_, "A bare `&`; in XML it is written `&amp;`."),
    "xml.stray-angle": (E_, "A bare `<` in a value; in XML it is written `&lt;`."),
    "xml.comment-not-closed": (E_, "A comment is opened and never closed."),
    "xml.comment-double-hyphen": (E_, "Two hyphens stand inside a comment."),
    "xml.cdata-not-closed": (E_, "A CDATA section is opened and never closed."),
    "xml.instruction-not-closed": (E_, "A processing instruction is opened and never closed."),
    "xml.instruction-name": (E_, "A processing instruction has no name, or the reserved name `xml`."),
    "xml.declaration-place": (E_, "The XML declaration must be the very first thing in the file."),
    "xml.declaration": (E_, "The XML declaration is not written as the standard has it."),
    "xml.encoding": (E_, "The bytes of the file are not in the encoding that XML takes them to be in."),
    "xml.character": (E_, "A control character that XML does not allow."),
    "xml.cdata-end": (E_, "`]]>` stands in a text; XML keeps it for the end of a CDATA section."),
    "xml.smart-quotes": (E_, "A value stands in typographic quotation marks."),
    "xml.doctype": (E_, "Document type definitions are refused: they can name other files or grow without bound."),
    "json.empty": (E_, "The file is empty."),
    "json.comma-missing": (E_, "A comma is missing between two values."),
    "json.comma-extra": (E_, "A comma stands after the last value."),
    "json.colon-extra": (E_, "Two colons stand after a key."),
    "json.opening-missing": (E_, "The opening bracket of an object or list is missing."),
    "json.bracket-extra": (E_, "A closing bracket stands twice."),
    "json.quote-missing": (E_, "The opening quotation mark of a text or key is missing."),
    "json.quote-inside": (E_, "A quotation mark stands inside a text."),
    "json.line-break": (E_, "A text goes over several lines."),
    "json.smart-quotes": (E_, "A text stands in typographic quotation marks."),
    "json.bad-number": (E_, "A number is not written as JSON has it."),
    "json.not-a-number": (E_, "`NaN` or `Infinity`, which JSON does not have."),
    "json.colon-missing": (E_, "A colon is missing after a key."),
    "json.value-missing": (E_, "A value is missing."),
    "json.not-closed": (E_, "A bracket is opened and never closed."),
    "json.bracket-mismatch": (E_, "A closing bracket does not fit the opening one."),
    "json.string-not-closed": (E_, "A text is opened with a quotation mark and never closed."),
    "json.bad-escape": (E_, "A backslash is followed by a letter that means nothing."),
    "json.control-character": (E_, "A tab or another control character stands raw inside a text."),
    "json.key-unquoted": (E_, "A key stands without quotation marks."),
    "json.single-quotes": (E_, "A text stands in single quotation marks."),
    "json.comment": (E_, "A comment; plain JSON has none."),
    "json.bad-word": (E_, "A word that is none of `true`, `false`, `null`, and no number."),
    "json.trailing": (E_, "Something stands after the end of the value."),
    "json.duplicate-key": (W_, "A key stands twice in one object; most games use the last."),
    "yaml.tab": (E_, "A tab is used for indentation; YAML allows spaces only."),
    "yaml.indent": (E_, "A line is indented differently from its neighbours."),
    "yaml.colon-missing": (E_, "A name has no colon behind it."),
    "yaml.colon-space": (E_, "A space is missing after a colon."),
    "yaml.colon-place": (E_, "A colon stands on another line than its name."),
    "yaml.second-colon": (E_, "A second colon stands in a line."),
    "yaml.dash-missing": (E_, "A line among the entries of a list has no dash."),
    "yaml.dash-space": (E_, "A space is missing after a dash."),
    "yaml.list-place": (E_, "A list begins where none can begin."),
    "yaml.quote-not-closed": (E_, "A quoted text is never closed."),
    "yaml.after-quote": (E_, "Something follows a closing quotation mark."),
    "yaml.after-value": (E_, "Something follows where a value has ended."),
    "yaml.bad-escape": (E_, "A backslash is followed by a letter that means nothing."),
    "yaml.cannot-start": (E_, "A sign that cannot begin a value begins one."),
    "yaml.bracket-not-closed": (E_, "A bracket is opened and never closed."),
    "yaml.bracket-mismatch": (E_, "A closing bracket does not fit the opening one."),
    "yaml.comma-missing": (E_, "A comma is missing between two values in brackets."),
    "yaml.comma-extra": (E_, "A comma in brackets has no value before it."),
    "yaml.flow-indent": (E_, "What stands in brackets stands too far left."),
    "yaml.block-header": (E_, "Something stands behind the sign that begins a text of several lines."),
    "yaml.property": (E_, "An anchor or a tag stands where it cannot."),
    "yaml.unknown-anchor": (E_, "An alias names an anchor that does not exist."),
    "yaml.directive": (E_, "A line that begins with a percent sign is no directive, or in the wrong place."),
    "yaml.character": (E_, "A control character that YAML does not allow."),
    "yaml.duplicate-key": (E_, "A key stands twice in one mapping."),
    "yaml.old-boolean": (N_, "A word that some games read as true or false, and others as text."),
    "ini.not-a-setting": (E_, "A line that is no section, no setting and no comment."),
    "ini.section-not-closed": (E_, "A section header has no closing bracket."),
    "ini.after-section": (E_, "Something stands behind a section header on its line."),
    "ini.repeated-key": (W_, "A key stands twice in a section; many games keep only one of them."),
    "ini.equals-twice": (W_, "Two equals signs stand in a row."),
    "ini.smart-quotes": (E_, "A value stands in typographic quotation marks."),
    "ini.struct-comma": (E_, "A comma is missing between two parts of a value in parentheses."),
    "ini.struct-bracket": (E_, "A bracket of another kind stands inside a value in parentheses."),
    "ini.section-name": (E_, "A section header has no name, or a bracket in it."),
    "ini.struct-not-opened": (E_, "A value closes a parenthesis that it does not open."),
    "ini.struct-comma-extra": (W_, "A comma too many stands in a value in parentheses."),
    "ini.struct-equals": (E_, "An equals sign is missing inside a value in parentheses."),
    "ini.struct-not-closed": (E_, "A parenthesis in a value is never closed."),
    "ini.struct-extra": (E_, "Something stands after the closing parenthesis of a value."),
    "ini.quote-not-closed": (E_, "A quotation mark in a value is never closed."),
    "meaning.unknown-name": (E_, "A name that the list it refers to does not hold."),
    "meaning.type": (E_, "A value of another kind than the field takes."),
    "meaning.range": (E_, "A number outside its range."),
    "meaning.must": (E_, "Fields of an entry do not agree with each other."),
    "meaning.duplicate": (E_, "A name that must be unique stands twice."),
    "gamebook.invalid": (E_, "The gamebook itself has a mistake."),
    "gamebook.file-missing": (W_, "A file that the gamebook knows is not there."),
}


@dataclass(slots=True)
class Report:
    """Collects the findings of one reading and turns offsets into lines and columns."""

    source: Source
    path: str
    tolerate: frozenset[str] = frozenset()
    findings: list[Finding] = field(default_factory=list)

    #: One broken file can give as many findings as it has lines; nobody reads more than the first few hundred.
    MOST: Final = 500

    def add(self, code: str, offset: int, message: str, hint: str = "", mend: Splice | None = None) -> None:
        """Note a finding at `offset` (characters, 0-based) with the usual severity of `code`."""
        if len(self.findings) >= self.MOST:
            return
        severity = Severity.NOTICE if code in self.tolerate else CODES[code][0]
        line, column = self.source.locate(offset)
        self.findings.append(Finding(code, severity, message, self.path, line, column, "", hint, mend))


def in_reading_order(findings: Iterable[Finding]) -> tuple[Finding, ...]:
    """Sort by file, then place, the graver first where two stand at one place."""
    return tuple(sorted(findings, key=lambda f: (f.path, f.line, f.column, f.severity.rank, f.code)))
