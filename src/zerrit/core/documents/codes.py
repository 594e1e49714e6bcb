"""
Every code that a finding can have: what it says, its severity, what to do, a wrong and a right example.

This is the one source of it: the readers take the severity from here, `zerrit codes` prints it, and
`docs/findings.md` is made of it. The examples are read by the tests: each wrong one gives its code, each right one
gives no finding.

A *tolerance* is the code of a fault that a gamebook admits for a file because its game does; the fault is then only
a notice.
"""

from __future__ import annotations

from typing import Final

from zerrit.core.documents.braces.codes import BRACES
from zerrit.core.documents.classes.codes import CLASSES
from zerrit.core.documents.code import Code, Severity
from zerrit.core.documents.database.codes import DATABASE
from zerrit.core.documents.keywords.codes import KEYWORDS
from zerrit.core.documents.properties.codes import PROPERTIES
from zerrit.core.documents.scripts.codes import SCRIPTS
from zerrit.core.documents.toml.codes import TOML

_E, _W, _N = Severity.ERROR, Severity.WARNING, Severity.NOTICE


def _xml(severity: Severity, says: str, advice: str, wrong: str, right: str, *, tolerable: bool = True) -> Code:
    return Code(severity, says, advice, wrong, right, "example.xml", may_be_tolerated=tolerable)


def _json(severity: Severity, says: str, advice: str, wrong: str, right: str) -> Code:
    return Code(severity, says, advice, wrong, right, "example.json")


def _yaml(severity: Severity, says: str, advice: str, wrong: str, right: str) -> Code:
    return Code(severity, says, advice, wrong, right, "example.yml")


def _ini(severity: Severity, says: str, advice: str, wrong: str, right: str) -> Code:
    return Code(severity, says, advice, wrong, right, "example.ini")


def _script(severity: Severity, says: str, advice: str, wrong: str, right: str) -> Code:
    return Code(severity, says, advice, wrong, right, "example.sh")


def _told(severity: Severity, says: str, advice: str, wrong: str, right: str, *, tolerable: bool = False) -> Code:
    return Code(severity, says, advice, wrong, right, may_be_tolerated=tolerable)


def _meaning(severity: Severity, says: str, advice: str, wrong: str, right: str, rules: str) -> Code:
    gamebook = f"gamebook: 1\ngame: example\n{rules}"
    return Code(severity, says, advice, wrong, right, "example.xml", gamebook, may_be_tolerated=False)


_ITEM_FIELD: Final = "files:\n  example.xml:\n    entries:\n      item:\n        key: '@name'\n        fields:\n"

_TEXT: Final[dict[str, Code]] = {
    "text.legacy-encoding": _told(
        _N,
        "The file is neither UTF-8 nor UTF-16; it is read as Western 8-bit text.",
        "It is written back as it came. Letters that its encoding does not hold cannot be put into it.",
        "a list in which the byte E9 stands for é",
        "the same list saved as UTF-8",
        tolerable=True,
    ),
    "text.too-large": _told(
        _E,
        "The file is larger than Zerrit reads.",
        "Zerrit reads up to 64 MiB. Leave the file out of the tracked ones, with `watch` or `ignore` in the gamebook.",
        "a log of 300 MiB among the settings",
        "the log is ignored",
    ),
    "text.too-deep": _told(
        _E,
        "The file nests deeper than Zerrit reads.",
        "Real files stay below 20 levels; this one is broken, or made to stop whatever reads it.",
        "100,000 opening brackets in a row",
        "brackets that are closed again",
    ),
    "text.nul": Code(
        _W,
        "The file holds NUL characters, as a binary file or a broken upload does.",
        "Fetch the file again. If it is not text, let the gamebook watch it instead of tracking it.",
        "north\0\n",
        "north\n",
        "example.txt",
    ),
    "text.quote-not-closed": _script(
        _W,
        "A text in a script is opened with a quotation mark and never closed.",
        "Add the mark where the text ends. From there on the script is read inside out.",
        'MAP="north\nexec ./server\n',
        'MAP="north"\nexec ./server\n',
    ),
    "text.bracket-not-closed": _script(
        _W,
        "A bracket in a script is opened and never closed.",
        "Add the closing bracket where it belongs.",
        "for MOD in $(ls mods; do\n  echo $MOD\ndone\n",
        "for MOD in $(ls mods); do\n  echo $MOD\ndone\n",
    ),
    "text.bracket-mismatch": _script(
        _W,
        "A closing bracket in a script does not fit the opening one.",
        "Write the bracket that belongs to the opening one.",
        "[ -d mods ] || { exit 2; ]\n",
        "[ -d mods ] || { exit 2; }\n",
    ),
    "text.bracket-extra": _script(
        _W,
        "A closing bracket in a script closes nothing.",
        "Remove it, or add the opening one.",
        "[ -d mods ] || exit 2; }\n",
        "[ -d mods ] || exit 2;\n",
    ),
    "text.block-not-closed": _script(
        _W,
        "A block of code in a script is opened and never closed.",
        "The message says where it seems to end; add the closing word there.",
        "if [ -d mods ]; then\n  exit 2\n",
        "if [ -d mods ]; then\n  exit 2\nfi\n",
    ),
    "text.block-extra": _script(
        _W,
        "A word that closes a block of code closes nothing.",
        "Remove it, or add what it closes.",
        "exit 2\nfi\n",
        "exit 2\n",
    ),
    "text.smart-quotes": _script(
        _W,
        "A typographic quotation mark is in a script.",
        "They come from web pages and word processors. Scripts know plain ones only.",
        "MAP=\u201cnorth\u201d\n",
        'MAP="north"\n',
    ),
}

_XML: Final[dict[str, Code]] = {
    "xml.no-root": _xml(
        _E,
        "The file has no element at all.",
        "Put everything between one opening and one closing tag.",
        "<!-- items -->\n",
        "<items>\n</items>\n",
    ),
    "xml.two-roots": _xml(
        _E,
        "An XML file has exactly one outermost element.",
        "Mostly the closing tag of the first one is too far up.",
        "<items>\n</items>\n<items>\n</items>\n",
        "<items>\n</items>\n",
    ),
    "xml.text-outside-root": _xml(
        _E,
        "Text is outside the outermost element.",
        "Remove it, or make it a comment.",
        "<items>\n</items>\nend\n",
        "<items>\n</items>\n<!-- end -->\n",
    ),
    "xml.not-closed": _xml(
        _E,
        "An element is opened and never closed.",
        "Add its closing tag where it ends.",
        '<items>\n  <item name="Rope">\n    <note>wet</note>\n</items>\n',
        '<items>\n  <item name="Rope">\n    <note>wet</note>\n  </item>\n</items>\n',
    ),
    "xml.opening-missing": _xml(
        _E,
        "The opening tag of an element is missing.",
        "Add it above the first thing that belongs to the element.",
        '<items>\n  <item name="Rope">\n  </item>\n    <note>wet</note>\n  </item>\n</items>\n',
        '<items>\n  <item name="Rope">\n  </item>\n  <item name="Bell">\n    <note>wet</note>\n  </item>\n</items>\n',
    ),
    "xml.closing-slash": _xml(
        _E,
        "The slash of a closing tag is missing.",
        "A closing tag is written </name>.",
        "<item>\n  <note>wet<note>\n</item>\n",
        "<item>\n  <note>wet</note>\n</item>\n",
    ),
    "xml.stray-end": _xml(
        _W,
        "A `>` is in a text, as if the beginning of its tag or comment were missing.",
        "The file can be read, but the game does not see what was meant. Add the beginning, or remove the rest.",
        '<item>\n  slot at="left"/>\n</item>\n',
        '<item>\n  <slot at="left"/>\n</item>\n',
    ),
    "xml.closing-without-opening": _xml(
        _E,
        "A closing tag closes nothing.",
        "Remove it, or add the opening tag above.",
        "<items>\n  </note>\n</items>\n",
        "<items>\n</items>\n",
    ),
    "xml.closing-name": _xml(
        _E,
        "A closing tag has another name than the element it should close.",
        "Both tags have the same name, in the same letter case.",
        "<item>\n  <note>wet</noet>\n</item>\n",
        "<item>\n  <note>wet</note>\n</item>\n",
    ),
    "xml.tag-not-ended": _xml(
        _E,
        "A tag has no closing angle bracket.",
        "Add `>`, or `/>` when the element has no content.",
        '<item>\n  <slot at="left"\n  <slot at="right"/>\n</item>\n',
        '<item>\n  <slot at="left"/>\n  <slot at="right"/>\n</item>\n',
    ),
    "xml.bad-tag": _xml(
        _E,
        "A `<` begins no tag that can be understood.",
        "A name begins with a letter and holds no spaces. A `<` that is meant as text is written `&lt;`.",
        "<item>\n  <2nd/>\n</item>\n",
        "<item>\n  <second/>\n</item>\n",
    ),
    "xml.quote-missing": _xml(
        _E,
        "A quotation mark around a value is missing.",
        "A value is between two quotation marks of the same kind.",
        '<slot at="left count="3"/>\n',
        '<slot at="left" count="3"/>\n',
    ),
    "xml.quote-extra": _xml(
        _E,
        "A quotation mark too many is behind a value.",
        "Remove it.",
        '<slot at="left""/>\n',
        '<slot at="left"/>\n',
    ),
    "xml.equals-missing": _xml(
        _E,
        "The equals sign between an attribute and its value is missing.",
        'An attribute is written name="value".',
        '<slot at"left"/>\n',
        '<slot at="left"/>\n',
    ),
    "xml.equals-extra": _xml(
        _E, "Two equals signs are in a row.", "Remove one.", '<slot at=="left"/>\n', '<slot at="left"/>\n'
    ),
    "xml.value-missing": _xml(
        _E, "An attribute has no value.", "Give it one, or remove it.", "<slot at/>\n", '<slot at="left"/>\n'
    ),
    "xml.value-unquoted": _xml(
        _E,
        "The value of an attribute is without quotation marks.",
        "Some games read it anyway; then the gamebook can tolerate it.",
        "<slot count=3/>\n",
        '<slot count="3"/>\n',
    ),
    "xml.attribute-twice": _xml(
        _E,
        "An element has the same attribute twice.",
        "Decide which one holds and remove the other.",
        '<slot count="3" count="4"/>\n',
        '<slot count="4"/>\n',
    ),
    "xml.attribute-spacing": _xml(
        _E,
        "Two attributes are without a space between them.",
        "Put a space between them.",
        '<slot at="left"count="3"/>\n',
        '<slot at="left" count="3"/>\n',
    ),
    "xml.stray-ampersand": _xml(
        _E,
        "A bare `&`; in XML it is written `&amp;`.",
        "The commonest fault in names and notes. Some games read it anyway.",
        "<note>salt & rust</note>\n",
        "<note>salt &amp; rust</note>\n",
    ),
    "xml.stray-angle": _xml(
        _E,
        "A bare `<` in a value; in XML it is written `&lt;`.",
        "Write `&lt;` for it.",
        '<note say="a < b"/>\n',
        '<note say="a &lt; b"/>\n',
    ),
    "xml.comment-not-closed": _xml(
        _E,
        "A comment is opened and never closed.",
        "The game reads nothing of what follows. Add --> where the comment ends.",
        "<items>\n  <!-- rare\n  <item/>\n</items>\n",
        "<items>\n  <!-- rare -->\n  <item/>\n</items>\n",
    ),
    "xml.comment-double-hyphen": _xml(
        _E,
        "Two hyphens are inside a comment.",
        "XML allows them only at its end. Vendors' own files often have them, and many games do not mind.",
        "<item><!-- rare -- very --></item>\n",
        "<item><!-- rare, very --></item>\n",
    ),
    "xml.cdata-not-closed": _xml(
        _E,
        "A CDATA section is opened and never closed.",
        "It ends with ]]>.",
        "<note><![CDATA[a & b</note>\n",
        "<note><![CDATA[a & b]]></note>\n",
    ),
    "xml.instruction-not-closed": _xml(
        _E,
        "A processing instruction is opened and never closed.",
        "It ends with ?>.",
        '<?xml version="1.0">\n<items/>\n',
        '<?xml version="1.0"?>\n<items/>\n',
    ),
    "xml.instruction-name": _xml(
        _E,
        "A processing instruction has no name, or the reserved name `xml`.",
        "It is written <?name … ?>. Files of game settings rarely need one.",
        "<items><? sort ?></items>\n",
        "<items><?sort names?></items>\n",
    ),
    "xml.declaration-place": _xml(
        _E,
        "The XML declaration must be the very first thing in the file.",
        "Remove what is before it, blank lines and spaces too.",
        '\n<?xml version="1.0"?>\n<items/>\n',
        '<?xml version="1.0"?>\n<items/>\n',
    ),
    "xml.declaration": _xml(
        _E,
        "The XML declaration is not written as the standard has it.",
        "The version comes first, then the encoding; both are in plain quotation marks.",
        '<?xml encoding="UTF-8"?>\n<items/>\n',
        '<?xml version="1.0" encoding="UTF-8"?>\n<items/>\n',
    ),
    "xml.encoding": _xml(
        _E,
        "The bytes of the file are not in the encoding that XML takes them to be in.",
        "XML is UTF-8 unless its first line says otherwise. Save the file as UTF-8, or say what it is.",
        '<?xml version="1.0" encoding="ISO-8859-1"?>\n<items/>\n'.replace("ISO-8859-1", "UTF-16"),
        '<?xml version="1.0" encoding="UTF-8"?>\n<items/>\n',
    ),
    "xml.character": _xml(
        _E,
        "A control character that XML does not allow.",
        "Remove it. Such characters come from broken uploads and from colour codes of consoles.",
        "<note>\x1bred</note>\n",
        "<note>red</note>\n",
    ),
    "xml.cdata-end": _xml(
        _E,
        "`]]>` is in a text; XML keeps it for the end of a CDATA section.",
        "Write ]]&gt; for it.",
        "<note>a]]>b</note>\n",
        "<note>a]]&gt;b</note>\n",
    ),
    "xml.smart-quotes": _xml(
        _E,
        "A value is in typographic quotation marks.",
        "They come from web pages and word processors. XML knows plain ones only.",
        "<slot at=\u201cshelf\u201d/>\n",
        '<slot at="left"/>\n',
    ),
    "xml.doctype": _xml(
        _E,
        "Document type definitions are refused: they can name other files or grow without bound.",
        "Remove the line. No game needs it in its settings.",
        "<!DOCTYPE items>\n<items/>\n",
        "<items/>\n",
        tolerable=False,
    ),
}

_JSON: Final[dict[str, Code]] = {
    "json.empty": _json(_E, "The file is empty.", "The smallest JSON is {} or [].", "\n", "{}\n"),
    "json.comma-missing": _json(
        _E,
        "A comma is missing between two values.",
        "Every value but the last has a comma behind it.",
        '{\n  "name": "Oda"\n  "seat": 14\n}\n',
        '{\n  "name": "Oda",\n  "seat": 14\n}\n',
    ),
    "json.comma-extra": _json(
        _E,
        "A comma is after the last value.",
        "Remove it. Some games read it anyway.",
        '{\n  "name": "Oda",\n}\n',
        '{\n  "name": "Oda"\n}\n',
    ),
    "json.colon-missing": _json(
        _E, "A colon is missing after a key.", 'A member is written "key": value.', '{"seat" 14}\n', '{"seat": 14}\n'
    ),
    "json.colon-extra": _json(_E, "Two colons are after a key.", "Remove one.", '{"seat":: 14}\n', '{"seat": 14}\n'),
    "json.value-missing": _json(
        _E, "A value is missing.", "Write it, or remove the key and comma.", '{"seat": }\n', '{"seat": null}\n'
    ),
    "json.not-closed": _json(
        _E,
        "A bracket is opened and never closed.",
        "Add the closing bracket where the object or list ends.",
        '{\n  "hours": [8, 12\n}\n',
        '{\n  "hours": [8, 12]\n}\n',
    ),
    "json.opening-missing": _json(
        _E,
        "The opening bracket of an object or list is missing.",
        "Add it before the first thing that belongs to the object or list.",
        '{"hours": 8, 12, 20]}\n',
        '{"hours": [8, 12, 20]}\n',
    ),
    "json.bracket-extra": _json(
        _E,
        "A closing bracket occurs twice.",
        "Remove one.",
        '[{"seat": 14}}, {"seat": 15}]\n',
        '[{"seat": 14}, {"seat": 15}]\n',
    ),
    "json.bracket-mismatch": _json(
        _E,
        "A closing bracket does not fit the opening one.",
        "{ is closed by }, and [ by ].",
        '{"hours": [8, 12}}\n',
        '{"hours": [8, 12]}\n',
    ),
    "json.string-not-closed": _json(
        _E,
        "A text is opened with a quotation mark and never closed.",
        "Add the quotation mark at its end.",
        '{\n  "name": "Oda,\n  "seat": 14\n}\n',
        '{\n  "name": "Oda",\n  "seat": 14\n}\n',
    ),
    "json.quote-missing": _json(
        _E,
        "The opening quotation mark of a text or key is missing.",
        "Add it.",
        '{"name": Oda"}\n',
        '{"name": "Oda"}\n',
    ),
    "json.quote-inside": _json(
        _E,
        "A quotation mark is inside a text.",
        'It ends the text. One that belongs to the text is written \\".',
        '{"name": "Oda "the eel" Vik"}\n',
        '{"name": "Oda \\"the eel\\" Vik"}\n',
    ),
    "json.line-break": _json(
        _E,
        "A text goes over several lines.",
        "In JSON a text is on one line; a line break in it is written \\n.",
        '{"note": "two\nlines"}\n',
        '{"note": "two\\nlines"}\n',
    ),
    "json.bad-escape": _json(
        _E,
        "A backslash is followed by a letter that means nothing.",
        "A backslash itself is written twice, as in the paths of Windows.",
        '{"path": "C:\\games"}\n',
        '{"path": "C:\\\\games"}\n',
    ),
    "json.control-character": _json(
        _E,
        "A tab or another control character is raw inside a text.",
        "Write \\t for a tab.",
        '{"note": "a\tb"}\n',
        '{"note": "a\\tb"}\n',
    ),
    "json.key-unquoted": _json(
        _E,
        "A key is without quotation marks.",
        "Put it in quotation marks. Some games read it anyway.",
        "{seat: 14}\n",
        '{"seat": 14}\n',
    ),
    "json.single-quotes": _json(
        _E,
        "A text is in single quotation marks.",
        "Write double ones. Some games read it anyway.",
        "{'seat': 14}\n",
        '{"seat": 14}\n',
    ),
    "json.smart-quotes": _json(
        _E,
        "A text is in typographic quotation marks.",
        "They come from web pages and word processors. JSON knows plain ones only.",
        '{"name": \u201cOda\u201d}\n',
        '{"name": "Oda"}\n',
    ),
    "json.comment": _json(
        _E,
        "A comment; plain JSON has none.",
        "Many games allow comments; then let the gamebook tolerate them.",
        '{"seat": 14} // hers\n',
        '{"seat": 14}\n',
    ),
    "json.comment-not-closed": _json(
        _E,
        "A comment is opened with /* and never closed.",
        "The game reads nothing of what follows, even if it allows comments. Add */ where the comment ends.",
        '{"seat": 14} /* hers\n',
        '{"seat": 14}\n',
    ),
    "json.bad-number": _json(
        _E,
        "A number is not written as JSON has it.",
        "No plus, no leading zeros, a digit on both sides of the point, and a point for the decimal sign.",
        '{"share": .5}\n',
        '{"share": 0.5}\n',
    ),
    "json.not-a-number": _json(
        _E,
        "`NaN` or `Infinity`, which JSON does not have.",
        "Some games write it themselves; then let the gamebook tolerate it.",
        '{"share": NaN}\n',
        '{"share": null}\n',
    ),
    "json.bad-word": _json(
        _E,
        "A word that is none of `true`, `false`, `null`, and no number.",
        "A text is in quotation marks; the three words are written small.",
        '{"open": yes}\n',
        '{"open": true}\n',
    ),
    "json.trailing": _json(
        _E,
        "Something is after the end of the value.",
        "Mostly a closing bracket further up is one too many.",
        '{"seat": 14}\n}\n',
        '{"seat": 14}\n',
    ),
    "json.duplicate-key": _json(
        _W,
        "A key occurs twice in one object; most games use the last.",
        "Decide which one holds and remove the other.",
        '{"seat": 14, "seat": 15}\n',
        '{"seat": 15}\n',
    ),
}

_YAML: Final[dict[str, Code]] = {
    "yaml.tab": _yaml(
        _E,
        "A tab is used for indentation; YAML allows spaces only.",
        "Replace it by as many spaces as the lines around it have.",
        "box:\n\tdraws: 3\n",
        "box:\n  draws: 3\n",
    ),
    "yaml.indent": _yaml(
        _E,
        "A line is indented differently from its neighbours.",
        "Lines that belong together begin with the same number of spaces.",
        "box:\n  draws: 3\n   title: Box\n",
        "box:\n  draws: 3\n  title: Box\n",
    ),
    "yaml.colon-missing": _yaml(
        _E, "A name has no colon behind it.", "A setting is written `name: value`.", "a: 1\nb 2\n", "a: 1\nb: 2\n"
    ),
    "yaml.colon-space": _yaml(
        _E, "A space is missing after a colon.", "Put one behind the colon.", "a: 1\nb:2\n", "a: 1\nb: 2\n"
    ),
    "yaml.colon-place": _yaml(
        _E,
        "A colon is on another line than its name.",
        "Put name and colon on one line.",
        "pairs: [a\n  : 1]\n",
        "pairs: [a: 1]\n",
    ),
    "yaml.second-colon": _yaml(
        _E,
        "A second colon is in a line.",
        "A text that holds a colon with a space behind it is in quotation marks.",
        "title: Net: small\n",
        'title: "Net: small"\n',
    ),
    "yaml.dash-missing": _yaml(
        _E,
        "A line among the entries of a list has no dash.",
        "Every entry of a list begins with a dash and a space.",
        "of:\n  - rope\n  bell: 1\n",
        "of:\n  - rope\n  - bell: 1\n",
    ),
    "yaml.dash-space": _yaml(
        _E,
        "A space is missing after a dash.",
        "Put one behind the dash.",
        "of:\n  - thing: rope\n  -thing: bell\n",
        "of:\n  - thing: rope\n  - thing: bell\n",
    ),
    "yaml.list-place": _yaml(
        _E,
        "A list begins where none can begin.",
        "The first entry of a list is on a line of its own, below the name of the list.",
        "of: - rope\n",
        "of:\n  - rope\n",
    ),
    "yaml.quote-not-closed": _yaml(
        _E,
        "A quoted text is never closed.",
        "Add the quotation mark at its end.",
        'title: "Net\ndraws: 3\n',
        'title: "Net"\ndraws: 3\n',
    ),
    "yaml.after-quote": _yaml(
        _E,
        "Something follows a closing quotation mark.",
        'An apostrophe inside single quotation marks is written twice, a quotation mark inside double ones \\".',
        "title: 'It's a net'\n",
        "title: 'It''s a net'\n",
    ),
    "yaml.after-value": _yaml(
        _E,
        "Something follows where a value has ended.",
        "Put a text that begins with a bracket in quotation marks, or give the line the indentation that it needs.",
        "title: [Small] net\n",
        'title: "[Small] net"\n',
    ),
    "yaml.bad-escape": _yaml(
        _E,
        "A backslash is followed by a letter that means nothing.",
        "Between double quotation marks a backslash is written twice; between single ones it is a plain sign.",
        'path: "C:\\games"\n',
        "path: 'C:\\games'\n",
    ),
    "yaml.cannot-start": _yaml(
        _E,
        "A sign that cannot begin a value begins one.",
        "Put the text in quotation marks.",
        "say: @all come\n",
        'say: "@all come"\n',
    ),
    "yaml.bracket-not-closed": _yaml(
        _E,
        "A bracket is opened and never closed.",
        "Add the closing bracket.",
        "places: [left, right\ndraws: 3\n",
        "places: [left, right]\ndraws: 3\n",
    ),
    "yaml.bracket-mismatch": _yaml(
        _E,
        "A closing bracket does not fit the opening one.",
        "{ is closed by }, and [ by ].",
        "places: [left, right}\n",
        "places: [left, right]\n",
    ),
    "yaml.comma-missing": _yaml(
        _E,
        "A comma is missing between two values in brackets.",
        "Add it.",
        "colours: {hot: red cold: blue}\n",
        "colours: {hot: red, cold: blue}\n",
    ),
    "yaml.comma-extra": _yaml(
        _E,
        "A comma in brackets has no value before it.",
        "Remove it.",
        "places: [left,, right]\n",
        "places: [left, right]\n",
    ),
    "yaml.flow-indent": _yaml(
        _E,
        "What is in brackets is too far left.",
        "It needs more spaces than the name that the brackets belong to.",
        "places: [\n  left\n]\n",
        "places: [\n  left\n ]\n",
    ),
    "yaml.block-header": _yaml(
        _E,
        "Something is behind the sign that begins a text of several lines.",
        "The text itself begins on the next line, indented.",
        "story: |- two\n  lines\n",
        "story: |-\n  two\n  lines\n",
    ),
    "yaml.property": _yaml(
        _E,
        "An anchor or a tag is where it cannot be.",
        "& names a value and ! gives its type. A text that begins with one of them is in quotation marks.",
        "say: & come\n",
        'say: "& come"\n',
    ),
    "yaml.unknown-anchor": _yaml(
        _E,
        "An alias names an anchor that does not exist.",
        "`*name` stands for the value that has `&name` further up. A text that begins with * is in quotation marks.",
        "weight: *usual\n",
        "base: &usual 12\nweight: *usual\n",
    ),
    "yaml.directive": _yaml(
        _E,
        "A line that begins with a percent sign is not a directive, or in the wrong place.",
        "Files of settings need none. A text that begins with % is in quotation marks.",
        "%YAML\n---\na: 1\n",
        "%YAML 1.2\n---\na: 1\n",
    ),
    "yaml.character": _yaml(
        _E,
        "A control character that YAML does not allow.",
        "Remove it. Between double quotation marks it can be written as an escape such as \\e.",
        "say: a\x1bb\n",
        'say: "a\\eb"\n',
    ),
    "yaml.duplicate-key": _yaml(
        _E,
        "A key occurs twice in one mapping.",
        "Decide which one holds and remove the other. Some games take the last without a word.",
        "draws: 3\ndraws: 4\n",
        "draws: 4\n",
    ),
    "yaml.old-boolean": _yaml(
        _N,
        "A word that some games read as true or false, and others as text.",
        "Write true or false for a switch, and put the word in quotation marks where it is a text.",
        "open: yes\n",
        "open: true\n",
    ),
}

_INI: Final[dict[str, Code]] = {
    "ini.not-a-setting": _ini(
        _E,
        "A line that is not a section, a setting or a comment.",
        "A setting is written Name=value, a comment begins with a semicolon.",
        "[Crew]\nSeats 24\n",
        "[Crew]\nSeats=24\n",
    ),
    "ini.section-not-closed": _ini(
        _E,
        "A section header has no closing or no opening bracket.",
        "A header is written [Name].",
        "[Crew\nSeats=24\n",
        "[Crew]\nSeats=24\n",
    ),
    "ini.section-name": _ini(
        _E,
        "A section header has no name, or a bracket in it.",
        "A header is one name in one pair of brackets.",
        "[[Crew]\nSeats=24\n",
        "[Crew]\nSeats=24\n",
    ),
    "ini.section-twice": _ini(
        _W,
        "A section header occurs twice.",
        "Often a published block was pasted with its header. Put its settings under the first header.",
        "[Crew]\nSeats=24\n\n[Crew]\nHands=2\n",
        "[Crew]\nSeats=24\nHands=2\n",
    ),
    "ini.after-section": _ini(
        _E,
        "Something is behind a section header on its line.",
        "Put it on a line of its own.",
        "[Crew] Seats=24\n",
        "[Crew]\nSeats=24\n",
    ),
    "ini.repeated-key": _ini(
        _W,
        "A key occurs twice in a section; many games keep only one of them.",
        "Remove one. Where the game collects such keys, let the gamebook tolerate it.",
        "[Crew]\nSeats=24\nSeats=30\n",
        "[Crew]\nSeats=30\n",
    ),
    "ini.equals-twice": _ini(
        _W, "Two equals signs are in a row.", "Remove one.", "[Crew]\nSeats==24\n", "[Crew]\nSeats=24\n"
    ),
    "ini.smart-quotes": _ini(
        _E,
        "A value is in typographic quotation marks.",
        "The game takes them for a part of the value. Write plain ones.",
        "[Crew]\nMotd=\u201cAhoy\u201d\n",
        '[Crew]\nMotd="Ahoy"\n',
    ),
    "ini.quote-not-closed": _ini(
        _E, "A quotation mark around a value is missing.", "Add it.", '[Crew]\nMotd="Ahoy\n', '[Crew]\nMotd="Ahoy"\n'
    ),
    "ini.struct-not-closed": _ini(
        _E,
        "A parenthesis in a value is never closed.",
        "Add it at the end of the line.",
        "[Crew]\nRoster=(From=8,Days=(1,2)\n",
        "[Crew]\nRoster=(From=8,Days=(1,2))\n",
    ),
    "ini.struct-not-opened": _ini(
        _E,
        "A value closes a parenthesis that it does not open.",
        "Add the opening one.",
        "[Crew]\nRoster=From=8,To=16)\n",
        "[Crew]\nRoster=(From=8,To=16)\n",
    ),
    "ini.struct-extra": _ini(
        _E,
        "Something is after the closing parenthesis of a value.",
        "Mostly it is a parenthesis too many.",
        "[Crew]\nRoster=(From=8,To=16))\n",
        "[Crew]\nRoster=(From=8,To=16)\n",
    ),
    "ini.struct-comma": _ini(
        _E,
        "A comma is missing between two parts of a value in parentheses.",
        "Add it.",
        "[Crew]\nRoster=(From=8 To=16)\n",
        "[Crew]\nRoster=(From=8,To=16)\n",
    ),
    "ini.struct-comma-extra": _ini(
        _W,
        "A comma too many is in a value in parentheses.",
        "Remove it. Some games read an empty part behind it.",
        "[Crew]\nRoster=(From=8,,To=16)\n",
        "[Crew]\nRoster=(From=8,To=16)\n",
    ),
    "ini.struct-equals": _ini(
        _E,
        "An equals sign is missing inside a value in parentheses.",
        "Each part is written Name=value.",
        "[Crew]\nRoster=(To=16,From 8)\n",
        "[Crew]\nRoster=(To=16,From=8)\n",
    ),
    "ini.struct-bracket": _ini(
        _E,
        "A bracket of another kind is inside a value in parentheses.",
        "The parts of a value are in ( and ).",
        "[Crew]\nRoster=(Days=[1,2])\n",
        "[Crew]\nRoster=(Days=(1,2))\n",
    ),
}

_MEANING: Final[dict[str, Code]] = {
    "meaning.unknown-name": _meaning(
        _E,
        "A name that the list it refers to does not hold.",
        "Mostly a letter is wrong, or the letter case. The message gives the nearest known name.",
        '<items>\n  <item name="Rope" at="leftt"/>\n</items>\n',
        '<items>\n  <item name="Rope" at="left"/>\n</items>\n',
        f"lists:\n  places: {{words: [left, right]}}\n{_ITEM_FIELD}          at: {{path: '@at', list: places}}\n",
    ),
    "meaning.type": _meaning(
        _E,
        "A value of another kind than the field takes.",
        "A number is written in digits, a switch with the words that the file uses elsewhere.",
        '<items>\n  <item name="Rope" count="many"/>\n</items>\n',
        '<items>\n  <item name="Rope" count="12"/>\n</items>\n',
        f"{_ITEM_FIELD}          count: {{path: '@count', is: integer}}\n",
    ),
    "meaning.range": _meaning(
        _E,
        "A number outside its range.",
        "The gamebook says which numbers the game takes.",
        '<items>\n  <item name="Rope" count="900"/>\n</items>\n',
        '<items>\n  <item name="Rope" count="90"/>\n</items>\n',
        f"{_ITEM_FIELD}          count: {{path: '@count', is: integer, min: 0, max: 400}}\n",
    ),
    "meaning.must": _meaning(
        _E,
        "Fields of an entry do not agree with each other.",
        "The message says which, in the words of the gamebook.",
        '<items>\n  <item name="Rope" least="9" most="3"/>\n</items>\n',
        '<items>\n  <item name="Rope" least="3" most="9"/>\n</items>\n',
        f"{_ITEM_FIELD}          least: {{path: '@least', is: integer}}\n          most: {{path: '@most', is: integer}}\n"
        "        must:\n          - {condition: least <= most, message: least is above most}\n",
    ),
    "meaning.duplicate": _meaning(
        _E,
        "A name that must be unique occurs twice.",
        "Give one of the two another name.",
        '<items>\n  <item name="Rope" code="7"/>\n  <item name="Bell" code="7"/>\n</items>\n',
        '<items>\n  <item name="Rope" code="7"/>\n  <item name="Bell" code="8"/>\n</items>\n',
        "unique:\n  - {name: codes, over: ['example.xml#item/@code']}\n",
    ),
    "meaning.form": _meaning(
        _E,
        "A value that has not the form which the gamebook asks for.",
        "The message says which form. An id with a letter too few is nothing to the game.",
        '<items>\n  <item name="Rope" code="AB1"/>\n</items>\n',
        '<items>\n  <item name="Rope" code="AB-01"/>\n</items>\n',
        f"{_ITEM_FIELD}          code: {{path: '@code', matches: '[A-Z][A-Z]-[0-9][0-9]', form: two letters and two digits}}\n",
    ),
    "meaning.zero-in-front": _meaning(
        _N,
        "A number with a zero in front, where no other of its field is written so.",
        "Mostly a point is missing, as in 05 for 0.5. Some programs read 020 as 16, since they take it for another notation.",
        '<items>\n  <item name="Rope" share="05"/>\n</items>\n',
        '<items>\n  <item name="Rope" share="0.5"/>\n</items>\n',
        f"{_ITEM_FIELD}          share: {{path: '@share', is: number}}\n",
    ),
    "meaning.unused-name": _told(
        _N,
        "A name that nothing uses, while one that resembles it is used in several places and is not there.",
        "Put the name right here, or where the other one is used. Only you know which of the two is meant.",
        "a captain called Marn whom no boat has, and two boats whose captain is Mara",
        "a captain called Mara",
    ),
    "meaning.misspelled": _meaning(
        _W,
        "A word that is one letter away from one that is usual here.",
        "Put the letter right. If it is a word of its own, add it to `usual` of the field in the gamebook.",
        '<items>\n  <item name="Rope" make="Hepm"/>\n</items>\n',
        '<items>\n  <item name="Rope" make="Hemp"/>\n</items>\n',
        f"{_ITEM_FIELD}          make: {{path: '@make', usual: [Hemp, Sisal]}}\n",
    ),
    "meaning.missing-field": _meaning(
        _E,
        "An entry lacks a field that every entry of its kind has.",
        "Add the field; the entries beside it show what it looks like.",
        '<items>\n  <item name="Rope"/>\n</items>\n',
        '<items>\n  <item name="Rope" count="12"/>\n</items>\n',
        f"{_ITEM_FIELD}          count: {{path: '@count', is: integer, always: true}}\n",
    ),
    "meaning.unknown-field": _meaning(
        _E,
        "A name that the game is not known to read at this place.",
        "Misspelt names are the commonest mistake of all: the game says nothing, and nothing changes.",
        '<items>\n  <item name="Rope" coutn="12"/>\n</items>\n',
        '<items>\n  <item name="Rope" count="12"/>\n</items>\n',
        f"{_ITEM_FIELD}          count: {{path: '@count', is: integer}}\n        closed: true\n",
    ),
    "meaning.disagree": _meaning(
        _E,
        "Two places that must have the same word do not.",
        "Decide which of the two is right. A folder, a file, a setting and a start parameter often belong together.",
        '<items map="left">\n  <place name="right"/>\n</items>\n',
        '<items map="right">\n  <place name="right"/>\n</items>\n',
        "agree:\n  - ['example.xml#@map', 'example.xml#place/@name']\n",
    ),
    "meaning.not-same": _meaning(
        _E,
        "Two tables have the same key with different values.",
        "The number must be the same in both, such as in a file and in the game's database.",
        '<items>\n  <seat code="A" deep="6"/>\n  <row code="A" deep="5"/>\n</items>\n',
        '<items>\n  <seat code="A" deep="6"/>\n  <row code="A" deep="6"/>\n</items>\n',
        "same_values:\n  - name: depths\n    table: {each: 'example.xml#seat', key: '@code', value: '@deep'}\n"
        "    other: {each: 'example.xml#row', key: '@code', value: '@deep'}\n",
    ),
    "meaning.needs": _meaning(
        _E,
        "Something is on that needs another thing, which is not.",
        "Switch on what is needed as well. The message says where it is if it is there but switched off.",
        '<items>\n  <mod name="kit"><needs name="song"/></mod>\n</items>\n',
        '<items>\n  <mod name="song"/>\n  <mod name="kit"><needs name="song"/></mod>\n</items>\n',
        "lists:\n  on: {source: 'example.xml#mod/@name'}\n"
        "needs:\n  - {each: 'example.xml#mod', name: '@name', requires: 'needs/@name', list: on}\n",
    ),
    "meaning.order": _meaning(
        _E,
        "Something is before what it needs.",
        "Move what is needed in front of it; the game loads the list from top to bottom.",
        '<items>\n  <mod name="kit"><needs name="song"/></mod>\n  <mod name="song"/>\n</items>\n',
        '<items>\n  <mod name="song"/>\n  <mod name="kit"><needs name="song"/></mod>\n</items>\n',
        "lists:\n  on: {source: 'example.xml#mod/@name'}\n"
        "needs:\n  - {each: 'example.xml#mod', name: '@name', requires: 'needs/@name', list: on, in_order: true}\n",
    ),
    "meaning.one-of": _meaning(
        _E,
        "Two versions of one thing are on.",
        "Switch one of them off. With both on, which of them the game takes is chance.",
        '<items>\n  <mod name="kit-1.2"/>\n  <mod name="kit-1.3"/>\n</items>\n',
        '<items>\n  <mod name="kit-1.3"/>\n</items>\n',
        "lists:\n  on: {source: 'example.xml#mod/@name'}\none_of:\n  - {list: on}\n",
    ),
    "meaning.file-missing": _told(
        _E,
        "A file that must be there is not.",
        "Upload it, or put its name right; the letter case counts on most servers.",
        "kit is on, but mods/kit.key is not there",
        "the key is beside the mod",
    ),
    "meaning.file-name": _told(
        _W,
        "A file has a name under which the game does not look for it.",
        "Rename it to the name that the message gives. A file with another name is never read.",
        "lists/Admins.txt, where the game reads lists/admins.txt",
        "lists/admins.txt",
    ),
    "meaning.packed": _told(
        _W,
        "The packed copy that the game reads is not what its folder holds.",
        "Pack the folder again. The game reads the archive alone, so a change of the folder has no effect until then.",
        "maps/north/floor.txt was edited after maps/north.zip was packed",
        "the archive was packed after the edit",
    ),
    "meaning.alike": _meaning(
        _W,
        "A variant differs from the others of its kind, which are kept alike.",
        "Mostly one of several equal edits was forgotten. Address all of them at once: item[*Lamp]/@count.",
        '<items>\n  <item name="Small Lamp" count="8"/>\n  <item name="Broad Lamp" count="9"/>\n  <item name="Great Lamp" count="8"/>\n</items>\n',
        '<items>\n  <item name="Small Lamp" count="8"/>\n  <item name="Broad Lamp" count="8"/>\n  <item name="Great Lamp" count="8"/>\n</items>\n',
        "alike:\n  - {each: 'example.xml#item', group_by: '[A-Z][a-z]+ (.+)', fields: '@count'}\n",
    ),
    "meaning.far": _meaning(
        _E,
        "A point is too far from the one that it belongs to.",
        "Move one of the two. `zerrit figures distance` lists the distances.",
        '<items>\n  <table name="A" x="0"/>\n  <guard name="K" x="40"/>\n</items>\n',
        '<items>\n  <table name="A" x="0"/>\n  <guard name="K" x="4"/>\n</items>\n',
        "near:\n  - {each: 'example.xml#guard', coordinates: '@x', target: 'example.xml#table', distance: 12}\n",
    ),
    "meaning.sentinel": _meaning(
        _E,
        "A value sends the game to look elsewhere, but nothing is there.",
        "Give the other place a value, or write the value here.",
        '<items>\n  <item name="Rope" price="as-basis"/>\n  <basis name="Bell" price="4"/>\n</items>\n',
        '<items>\n  <item name="Rope" price="as-basis"/>\n  <basis name="Rope" price="4"/>\n</items>\n',
        "derived:\n  - {name: price, each: 'example.xml#item', value: '@price', sentinel: as-basis, fallback: 'example.xml#basis[{@name}]/@price'}\n",
    ),
    "meaning.sum": _meaning(
        _W,
        "A sum is larger than the game accepts.",
        "Take something away elsewhere. `zerrit figures balance` shows what makes the sum.",
        '<items>\n  <item name="Rope" count="60"/>\n  <item name="Bell" count="60"/>\n</items>\n',
        '<items>\n  <item name="Rope" count="60"/>\n  <item name="Bell" count="20"/>\n</items>\n',
        "balance:\n  - {sum: 'example.xml#item/@count', max: 100}\n",
    ),
    "meaning.balance": _told(
        _W,
        "A change moves a sum further than the gamebook lets it.",
        "Things were added and nothing was taken away, or the other way round. A server chokes on the first.",
        "a change adds 40 items and takes none away, with `keep_within: 2%`",
        "as much was taken away elsewhere",
    ),
    "meaning.not-in-use": _told(
        _W,
        "A change alters files of a folder that the game does not read as it is set now.",
        "Is it the right map? If it is meant for later, waive the finding.",
        "maps/south/floor.txt is edited while the server runs north",
        "maps/north/floor.txt is edited",
    ),
    "meaning.variant": _told(
        _N,
        "A change raises the chance of a variant; the thing that it comes in place of gets rarer.",
        "The two chances are shares of one draw. Raise the weight of the thing too if it must stay as it was.",
        "the chance of the rusted lamp goes from 25 to 40 of 100",
        "the weight of the lamp goes up by as much",
    ),
    "meaning.count": _meaning(
        _E,
        "Lists that go by number are not equally long, or a number says another length.",
        "Add or remove what is too few or too many; the first of one list belongs to the first of the other.",
        '<items>\n  <box size="3"><part/><part/></box>\n</items>\n',
        '<items>\n  <box size="2"><part/><part/></box>\n</items>\n',
        "counts:\n  - {each: 'example.xml#box', number: '@size', of: ['part*']}\n",
    ),
    "meaning.same-order": _meaning(
        _E,
        "Two lists that have to be the same, one after the other, differ.",
        "Bring both into one order. The first difference is told; others may follow from it.",
        '<items>\n  <on name="a"/><on name="b"/>\n  <load name="b"/><load name="a"/>\n</items>\n',
        '<items>\n  <on name="a"/><on name="b"/>\n  <load name="a"/><load name="b"/>\n</items>\n',
        "same_order:\n  - {first: 'example.xml#on/@name', second: 'example.xml#load/@name'}\n",
    ),
    "meaning.children": _meaning(
        _E,
        "The children of an entry are not as all, some or none of them have to be.",
        "The message says what is asked of them, and of how many.",
        '<items>\n  <box><part of="iron"/><part of="sand"/></box>\n</items>\n',
        '<items>\n  <box><part of="iron"/><part of="ash"/></box>\n</items>\n',
        "children:\n  - {each: 'example.xml#box', over: part, none: '[of=sand]'}\n",
    ),
    "meaning.old-word": _meaning(
        _W,
        "A word has another name by now.",
        "The game may still take it. Write the new word, before a version comes that does not.",
        '<items>\n  <motor fuel="wood"/>\n</items>\n',
        '<items>\n  <motor fuel="logs"/>\n</items>\n',
        "old_words:\n  - {at: 'example.xml#motor/@fuel', words: {wood: logs}, since: '1.4'}\n",
    ),
    "meaning.gate": _meaning(
        _N,
        "A setting has no effect while a switch is off.",
        "Switch it on, or leave the setting as it was. It is told where a change sets it.",
        '<items>\n  <storms on="no" strength="9"/>\n</items>\n',
        '<items>\n  <storms on="yes" strength="9"/>\n</items>\n',
        "gates:\n  - {gate: 'example.xml#storms/@on', settings: 'example.xml#storms/@strength', always: true}\n",
    ),
    "meaning.loop": _meaning(
        _W,
        "Trades gain in a circle: someone who goes round ends with more than was put in.",
        "The message has the trades of one round and what they gain; the hint has the smallest change of one price that ends it. "
        "`zerrit figures loops` lists all of them.",
        '<items>\n  <rope name="A" cost="4" pays="5"/>\n</items>\n',
        '<items>\n  <rope name="A" cost="5" pays="4"/>\n</items>\n',
        "loops:\n  - name: market\n    trades:\n"
        "      - {name: buy, each: 'example.xml#rope', gives: [{money: cost}], gets: [{thing: ':name'}]}\n"
        "      - {name: sell, each: 'example.xml#rope', gives: [{thing: ':name'}], gets: [{money: pays}]}\n",
    ),
    "meaning.decision": _told(
        _N,
        "A change sets a value that someone left as it was on purpose.",
        "Read why. When the reason holds no more, take the decision out of the gamebook, or write the new one into it.",
        "the port that the host forwards becomes another one",
        "the port stays",
    ),
    "meaning.advice": _meaning(
        _N,
        "A value that is allowed, but that those who know the game warn of.",
        "It blocks nothing. The message says what they saw, and in which version.",
        '<items>\n  <motor name="A" rating="9"/>\n</items>\n',
        '<items>\n  <motor name="A" rating="5"/>\n</items>\n',
        "advice:\n  - {condition: 'example.xml#motor/@rating > 6', message: a motor above 6 trips when the server starts}\n",
    ),
    "waiver.unused": _told(
        _N,
        "A waiver accepts a finding that is no longer there.",
        "Take the waiver back, so that it does not hide the next fault at that place.",
        "a waiver for a price out of range that was put right since",
        "the waiver was removed",
    ),
    "waiver.ended": _told(
        _N,
        "A waiver ended on its day; what it accepted counts again.",
        "Fix the fault now, or waive it again with a new day.",
        "a waiver until 1 March, looked at on 2 March",
        "the fault was fixed before the day came",
    ),
    "gamebook.invalid": _told(
        _E,
        "The gamebook itself has a mistake.",
        "The message says where and what is expected there.",
        "a rule `from: ten` where a number is expected",
        "`from: 10`",
    ),
    "gamebook.file-missing": _told(
        _W,
        "A file that the gamebook knows is not there.",
        "Fetch the files again, or take the file out of the gamebook when this server does not have it.",
        "configs/items.xml is in the gamebook, but not in the folder",
        "the file is there",
    ),
    "meaning.not-measured": _meaning(
        _W,
        "A rule could not be applied to an entry, since what it measures cannot be read there.",
        "A coordinate is missing or is not a number, or the gamebook names another place for it. The entry may be right or "
        "wrong; nothing was measured.",
        '<map>\n  <seat name="North" x="10" z="20"/>\n  <guard name="Oda" x="about ten" z="20"/>\n</map>\n',
        '<map>\n  <seat name="North" x="10" z="20"/>\n  <guard name="Oda" x="11" z="20"/>\n</map>\n',
        "near:\n  - {each: 'example.xml#guard', coordinates: ['@x', '@z'], target: 'example.xml#seat', distance: 5}\n",
    ),
    "host.refuses": _told(
        _E,
        "The host of the server does not take a file that the change puts there.",
        "Leave the file out of the change, or choose that such files may be left out (`--if-refused leave-out`). Which files "
        "the host refuses is in the settings of the server.",
        "a plugin folder with setup.exe, for a host that refuses *.exe",
        "the folder put with `--without '*.exe'`",
    ),
    "host.leaves-out": _told(
        _N,
        "The host of the server does not take a file, and the change goes on without it.",
        "Check that the mod or plugin works without the file.",
        "a plugin folder with setup.exe, put with `--if-refused leave-out`",
        "the same folder without setup.exe",
    ),
    "gamebook.checks-nothing": _meaning(
        _N,
        "A rule of the gamebook leads nowhere, so it checks nothing.",
        "Mostly its address is misspelled. The message says where the way ends.",
        '<items>\n  <item name="Rope" at="left"/>\n</items>\n',
        '<items>\n  <item name="Rope" place="left"/>\n</items>\n',
        "lists:\n  places: {words: [left]}\nrefers:\n  - {every: 'example.xml#item/@place', list: places}\n",
    ),
}

CODES: Final[dict[str, Code]] = {
    **_TEXT,
    **_XML,
    **_JSON,
    **_YAML,
    **_INI,
    **PROPERTIES,
    **KEYWORDS,
    **BRACES,
    **CLASSES,
    **SCRIPTS,
    **TOML,
    **DATABASE,
    **_MEANING,
}
TOLERANCES: Final[frozenset[str]] = frozenset(
    name for name, code in CODES.items() if code.may_be_tolerated and code.severity is not Severity.NOTICE
)
