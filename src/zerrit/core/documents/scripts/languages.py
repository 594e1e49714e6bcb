"""
How the scripts that start and extend servers write comments, texts, brackets and literal values.

Only as much as is needed to tell whether brackets and quotation marks pair up, and to read what is written out in full: a
table, a list, a value that is given to a name. No script is understood.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, NamedTuple

from zerrit.core.documents.format import Format


@dataclass(frozen=True, slots=True)
class Tables:
    """How a language writes tables out in full.

    `key`: what begins a named entry, up to and with the sign behind the name; the name is in one of its groups.
    `sign` is that sign as a new entry gets it, `quoted_key` how a name is written that is no plain word.
    """

    brackets: str  #: those that open a table or a list
    key: re.Pattern[str]
    sign: str
    plain_key: re.Pattern[str]
    quoted_key: str
    separators: str = ","
    words: tuple[str, ...] = ("true", "false", "null")
    wrong_sign: re.Pattern[str] | None = None  #: a name with a sign behind it that another language has
    is_always_literal: bool = False  #: each opening bracket begins a table
    texts_join: bool = False  #: two texts beside each other are one
    has_gaps: bool = False  #: a list may have nothing between two commas


class Block(NamedTuple):
    """A word that opens a block of code, and the one that closes it."""

    opens: str
    closes: str


@dataclass(frozen=True, slots=True, eq=False)
class Language:
    """One family of scripts. All patterns are tried at one place of the text, in the order given here."""

    name: str
    #: What is passed over whole: comments, texts that may hold anything, escaped signs.
    skipped: re.Pattern[str]
    #: Opening marks of texts and what a text with that mark looks like when it is whole.
    quotes: Mapping[str, re.Pattern[str]]
    brackets: str = "()[]{}"
    comment: str = "#"  #: what begins a comment that ends with its line
    #: A closing parenthesis may be alone, as behind a choice of `case`.
    lone_parenthesis: bool = False
    tables: Tables | None = None
    #: A line that gives a name a literal value; groups `name` and `value`.
    setting: re.Pattern[str] | None = None
    #: What is given a value once and for all, wherever it stands.
    fixed: re.Pattern[str] | None = None
    #: A command may be started with options in it; the sign with which it goes on in the next line.
    goes_on: str = ""
    blocks: tuple[Block, ...] = ()  #: words that open and close blocks of code
    words_begin_commands: bool = False  #: such a word is one only where a command may begin


_DOUBLE: Final = re.compile(r'"(?:[^"\\\r\n]|\\.)*+"', re.DOTALL)
_SINGLE: Final = re.compile(r"'(?:[^'\\\r\n]|\\.)*+'", re.DOTALL)
_BACKTICKS: Final = re.compile(r"`(?:[^`\\]|\\.)*+`", re.DOTALL)

#: A literal text or number, as far as the languages agree.
_TEXT: Final = r'"(?:[^"\\\r\n]|\\.)*+"|' + r"'(?:[^'\\\r\n]|\\.)*+'"
_NUMBER: Final = r"[-+]?(?:0[xX][0-9a-fA-F]+|\d[\d_]*(?:\.\d*)?(?:[eE][-+]?\d+)?|\.\d+)[fFuUlLdDmMn]{0,3}\b"
_LITERAL: Final = rf"(?P<value>{_TEXT}|{_NUMBER}|true|false|nil|null|undefined|True|False|None|NULL|nullptr)"
_PATH: Final = r"[A-Za-z_$][\w$]*(?:\.[A-Za-z_$][\w$]*|\[[ ]?(?:\"[^\"\r\n]*\"|'[^'\r\n]*'|\d+)[ ]?\])*"

SHELL: Final = Language(
    "shell",
    re.compile(
        r"(?:(?<=[\s;(&|])|(?<![\s\S]))#[^\r\n]*|\\.|\$#|\$\{[^{}\"'`\r\n]*\}"
        r"|<<-?[ \t]*(['\"]?)(\w+)\1[\s\S]*?(?:^[ \t]*\2[ \t]*\r?$|(?P<open_text>\Z))",
        re.MULTILINE,
    ),
    {'"': re.compile(r'"(?:[^"\\]|\\.)*+"', re.DOTALL), "'": re.compile(r"'[^']*+'"), "`": _BACKTICKS},
    lone_parenthesis=True,
    setting=re.compile(
        r"(?:export[ \t]+|readonly[ \t]+)?(?P<name>[A-Za-z_]\w*)="
        r"(?P<value>\"(?:[^\"\\\r\n`]|\\.)*+\"|'[^'\r\n]*+'|(?![ \t(])[^\s\"'`;&|<>()]*+)[ \t]*(?:[ \t]#[^\r\n]*)?$",
        re.MULTILINE,
    ),
    goes_on="\\",
    blocks=(Block("if", "fi"), Block("case", "esac"), Block("do", "done")),
    words_begin_commands=True,
)
BATCH: Final = Language(
    "batch",
    re.compile(r"^[ \t]*@?(?:rem\b|::)[^\r\n]*|\^.", re.MULTILINE | re.IGNORECASE),
    {'"': re.compile(r'"[^"\r\n]*+"')},
    brackets="()",
    comment="rem",
    lone_parenthesis=True,
    setting=re.compile(
        r"@?set[ \t]+(?:\"(?P<name>[A-Za-z_]\w*)=(?P<value>[^\"%\r\n]*+)\"[ \t]*$"
        r"|(?P<bare>[A-Za-z_]\w*)=(?P<rest>[^\r\n&|<>^%]*+)$)",
        re.MULTILINE | re.IGNORECASE,
    ),
    goes_on="^",
)
LUA: Final = Language(
    "Lua",
    re.compile(
        r"--\[(=*)\[[\s\S]*?(?:\]\1\]|(?P<open_comment>\Z))|--[^\r\n]*"
        r"|\[(=*)\[[\s\S]*?(?:\]\3\]|(?P<open_text>\Z))"
    ),
    {'"': _DOUBLE, "'": _SINGLE, "`": _BACKTICKS},
    comment="--",
    tables=Tables(
        brackets="{",
        key=re.compile(
            r"(?:(?P<word>[A-Za-z_]\w*)|\[\s*(?P<quoted>" + _TEXT + r"|`[^`\r\n]*`|\[\[[^\]\r\n]*\]\])\s*\]"
            r"|\[\s*(?P<number>-?[\w.]+)\s*\])\s*=(?!=)"
        ),
        sign=" = ",
        plain_key=re.compile(
            r"(?!(?:and|break|do|else|elseif|end|false|for|function|goto|if|in|local|nil|not|or|repeat|return|then|true"
            r"|until|while)\Z)[A-Za-z_][A-Za-z_0-9]*\Z"
        ),
        quoted_key="[{}]",
        separators=",;",
        words=("true", "false", "nil"),
        wrong_sign=re.compile(r"(?P<word>[A-Za-z_]\w*)[ \t]*(?P<sign>:|==)[ \t]*(?=[\"'\d{-]|true\b|false\b|nil\b)"),
        is_always_literal=True,
    ),
    setting=re.compile(
        rf"(?:local[ \t]+)?(?P<name>{_PATH})[ \t]*(?:<const>[ \t]*)?=[ \t]*{_LITERAL}[ \t]*;?[ \t]*(?:--[^\r\n]*)?$",
        re.MULTILINE,
    ),
    blocks=(Block("function", "end"), Block("if", "end"), Block("do", "end"), Block("repeat", "until")),
)
_WITH_COLONS: Final = Tables(
    brackets="{[",
    key=re.compile(
        rf"(?:(?P<word>[A-Za-z_$][\w$-]*)|(?P<quoted>{_TEXT})|(?P<number>\d[\w.]*))\s*:(?!:)",
    ),
    sign=": ",
    plain_key=re.compile(r"[A-Za-z_$][A-Za-z_$0-9]*\Z"),
    quoted_key="{}",
    words=("true", "false", "null", "undefined"),
    wrong_sign=re.compile(r"(?P<word>[A-Za-z_$][\w$]*)[ \t]*(?P<sign>=)(?![=>])"),
    has_gaps=True,
)
JAVASCRIPT: Final = Language(
    "JavaScript",
    re.compile(
        r"//[^\r\n]*|/\*[\s\S]*?(?:\*/|(?P<open_comment>\Z))"
        # A regular expression, where no number or name can be divided.
        r"|(?<=[=(,:;!&|?{}\[+])[ \t]*/(?![/*])(?:[^/\\\[\r\n]|\\.|\[(?:[^\]\\\r\n]|\\.)*\])+/\w*"
    ),
    {'"': _DOUBLE, "'": _SINGLE, "`": _BACKTICKS},
    comment="//",
    tables=_WITH_COLONS,
    setting=re.compile(
        rf"(?:export[ \t]+)?(?:(?:const|let|var)[ \t]+)?(?P<name>{_PATH})(?:[ \t]*:[ \t]*[\w.<>\[\]| ]+)?"
        rf"[ \t]*=[ \t]*{_LITERAL}[ \t]*;?[ \t]*(?://[^\r\n]*)?$",
        re.MULTILINE,
    ),
)
C_LIKE: Final = Language(
    "C",
    re.compile(
        r'//[^\r\n]*|/\*[\s\S]*?(?:\*/|(?P<open_comment>\Z))|@\$?"(?:[^"]|"")*+"|(?<=[0-9a-fA-F])\'(?=[0-9a-fA-F])'
        # What a macro stands for need not be whole, and the words of a message are none of the language.
        r"|^[ \t]*\#[ \t]*(?:define|error|warning|pragma|region|endregion)\b(?:[^\r\n\\]|\\\r?\n|\\.)*",
        re.MULTILINE,
    ),
    {'"': _DOUBLE, "'": _SINGLE, "`": _BACKTICKS},
    comment="//",
    tables=Tables(
        brackets="{",
        key=re.compile(
            rf"(?:\.?(?P<word>[A-Za-z_]\w*)|\[\s*(?P<quoted>{_TEXT})\s*\]|\[\s*(?P<number>[\w.]+)\s*\])\s*=(?!=)"
        ),
        sign=" = ",
        plain_key=re.compile(r"[A-Za-z_][A-Za-z_0-9]*\Z"),
        quoted_key="[{}]",
        words=("true", "false", "null", "NULL", "nullptr"),
        texts_join=True,
    ),
    setting=re.compile(
        r"(?!(?:return|else|typedef|using|case|goto|throw|delete)\b)(?:(?:const|static|readonly|final|public|private|protected|constexpr|inline|unsigned)[ \t]+)*"
        rf"(?:[A-Za-z_][\w:<>]*[ \t*&]+)?(?P<name>[A-Za-z_]\w*)[ \t]*(?:\[\w*\][ \t]*)*=[ \t]*{_LITERAL}[ \t]*;[ \t]*"
        rf"(?:(?://|/\*)[^\r\n]*)?$|\#[ \t]*define[ \t]+(?P<bare>[A-Za-z_]\w*)[ \t]+(?P<rest>{_TEXT}|{_NUMBER})[ \t]*"
        r"(?:(?://|/\*)[^\r\n]*)?$",
        re.MULTILINE,
    ),
    fixed=re.compile(
        r"(?:(?:public|private|protected|static|inline)[ \t]+)*(?:const|static|readonly|final|constexpr)\b"
    ),
)
PYTHON: Final = Language(
    "Python",
    re.compile(
        r'#[^\r\n]*|"""(?:[^\\]|\\.)*?(?:"""|(?P<open_text>\Z))' + r"|'''(?:[^\\]|\\.)*?(?:'''|(?P<open_comment>\Z))",
        re.DOTALL,
    ),
    {'"': _DOUBLE, "'": _SINGLE},
    tables=Tables(
        brackets="{[",
        key=re.compile(rf"(?:(?P<quoted>{_TEXT})|(?P<number>\d[\w.]*))\s*:"),
        sign=": ",
        plain_key=re.compile(r"(?!)"),
        quoted_key="{}",
        words=("True", "False", "None"),
        texts_join=True,
    ),
    setting=re.compile(
        rf"(?P<name>{_PATH})(?:[ \t]*:[ \t]*[\w.\[\], |]+)?[ \t]*=[ \t]*{_LITERAL}[ \t]*(?:#[^\r\n]*)?$",
        re.MULTILINE,
    ),
)
POWERSHELL: Final = Language(
    "PowerShell",
    re.compile(
        r"<#[\s\S]*?(?:#>|(?P<open_comment>\Z))|(?:(?<=[\s;({|])|(?<![\s\S]))#[^\r\n]*|`."
        r"|@\"[ \t]*\r?\n[\s\S]*?(?:^\"@|(?P<open_text>\Z))|@'[ \t]*\r?\n[\s\S]*?(?:^'@|(?P<open_words>\Z))",
        re.MULTILINE,
    ),
    {'"': re.compile(r'"(?:[^"`]|`.|"")*+"', re.DOTALL), "'": re.compile(r"'(?:[^']|'')*+'")},
    setting=re.compile(
        rf"\$(?P<name>[A-Za-z_]\w*)[ \t]*=[ \t]*(?P<value>{_TEXT}|{_NUMBER}|\$true|\$false)[ \t]*(?:#[^\r\n]*)?$",
        re.MULTILINE | re.IGNORECASE,
    ),
    goes_on="`",
)

LANGUAGES: Final[Mapping[Format, Language]] = {
    Format.SHELL: SHELL,
    Format.BATCH: BATCH,
    Format.LUA: LUA,
    Format.JAVASCRIPT: JAVASCRIPT,
    Format.C: C_LIKE,
    Format.PYTHON: PYTHON,
    Format.POWERSHELL: POWERSHELL,
}

_COMMENT_LINE: Final = re.compile(r"^[ \t]*(#|//|;)[ \t]", re.MULTILINE)


def comment_sign(format: Format, text: str) -> str:
    """What begins a comment in a text file: by its language, or as the file itself does; empty where unknown."""
    language = LANGUAGES.get(format)
    if language is not None:
        return language.comment
    found = _COMMENT_LINE.search(text)
    return found.group(1) if found else ""
