"""
The options of a command that starts a program: `--load=a;b`, `--with NAME`, `-port 7777`, `+map reef`.

An option is a value under its name without the signs before it; one without a value is empty, one whose value is a list is
a list. What else is on the line stays closed. Commands of the system, which are in every script, are not looked into.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Set
from typing import Final

from zerrit.core.documents.node import Node, NodeKind
from zerrit.core.documents.scripts.languages import BATCH, Language
from zerrit.core.documents.source import Source

_LONGEST: Final = 20_000  # characters of a command line that are looked into
_COMMENT: Final = re.compile(r"[ \t]*(?:#|::|@?[rR][eE][mM]\b)")
#: What a command line begins with that is no program of its own.
_BEFORE: Final = re.compile(
    r"[ \t]*@?(?:(?:exec|nohup|time|call|sudo|then|do|else|&|\$\(|[A-Za-z_]\w*=\S*|start(?:[ \t]+/\w+)*(?:[ \t]+\"[^\"]*\")?"
    r"(?:[ \t]+/\w+)*|screen(?:[ \t]+-\S+)*|nice(?:[ \t]+-n[ \t]*-?\d+)?)[ \t]+)*",
    re.IGNORECASE,
)
_PROGRAM: Final = re.compile(r"\"[^\"\r\n]+\"|'[^'\r\n]+'|[^\s\"';&|<>=()]+")
_SYSTEM: Final = frozenset(
    [
        "[",
        "[[",
        "alias",
        "attrib",
        "awk",
        "basename",
        "break",
        "bzip2",
        "case",
        "cat",
        "cd",
        "chgrp",
        "chmod",
        "chown",
        "cls",
        "continue",
        "copy",
        "cp",
        "curl",
        "cut",
        "date",
        "declare",
        "del",
        "df",
        "dir",
        "dirname",
        "du",
        "echo",
        "elif",
        "else",
        "esac",
        "eval",
        "exit",
        "export",
        "find",
        "findstr",
        "fi",
        "for",
        "forfiles",
        "function",
        "getopt",
        "getopts",
        "goto",
        "grep",
        "gunzip",
        "gzip",
        "head",
        "if",
        "kill",
        "ln",
        "local",
        "logger",
        "ls",
        "md",
        "mkdir",
        "mktemp",
        "mount",
        "move",
        "mv",
        "netstat",
        "ping",
        "pgrep",
        "pkill",
        "popd",
        "ps",
        "pushd",
        "read",
        "readonly",
        "ren",
        "return",
        "rm",
        "rmdir",
        "robocopy",
        "rsync",
        "sc",
        "scp",
        "sed",
        "select",
        "seq",
        "service",
        "set",
        "shift",
        "sleep",
        "sort",
        "source",
        "stat",
        "sysctl",
        "systemctl",
        "tail",
        "tar",
        "taskkill",
        "tasklist",
        "tee",
        "test",
        "timeout",
        "title",
        "touch",
        "tr",
        "trap",
        "trap",
        "typeset",
        "ulimit",
        "umask",
        "uname",
        "unset",
        "unzip",
        "until",
        "wait",
        "wc",
        "wget",
        "which",
        "while",
        "xargs",
        "xcopy",
        "zip",
        "apt",
        "apt-get",
        "dnf",
        "yum",
        "docker",
        "git",
        "ssh",
        "su",
        "chroot",
        "mail",
        "sqlite3",
        "mysql",
        "mysqldump",
        "psql",
        "pg_dump",
        "crontab",
        "write-host",
        "get-process",
        "start-sleep",
        "set-location",
        "get-childitem",
        "remove-item",
        "param",
    ]
)
_TOKEN: Final = re.compile(r"(?:\"(?:[^\"\\\r\n]|\\.)*+\"|'[^'\r\n]*+'|\\.|[^\s\"'])+?(?=[\s]|\Z|$)", re.MULTILINE)
_OPTION: Final = re.compile(r"(?P<sign>--|[-+])(?P<name>[A-Za-z][\w.-]*)(?:(?P<is>[=:])(?P<value>.*))?\Z", re.DOTALL)
#: The same with the quotation marks around all of it, as `"-mods=a;b"`.
_MARKED: Final = re.compile(
    r"(?P<mark>[\"'])(?P<sign>--|[-+])(?P<name>[A-Za-z][\w.-]*)(?P<is>[=:])(?P<value>[^\"']*)(?P=mark)\Z", re.DOTALL
)
_NUMBER: Final = re.compile(r"[-+][\d.]+\Z")
_END: Final = re.compile(r"[;&|<>)]|\d?>")
_LIST_SIGN: Final = re.compile(r"(?<=[\w.\-\]])([;,])(?=[\w@.\-\[])")


def options(source: Source, language: Language, taken: Set[int]) -> list[Node]:
    """The options of all commands in lines that nothing else is in the place of, in the order of the text."""
    found: list[Node] = []
    is_command = False  # the line goes on with the command of the one before
    goes_on = False
    for number, start in enumerate(source.line_starts, 1):
        end = source.line_end(start)
        goes_on, was_going_on = False, goes_on
        if number in taken or end - start > _LONGEST:
            continue
        body = source.text[start:end].rstrip()
        goes_on = body.endswith(language.goes_on)
        stop = start + len(body) - (len(language.goes_on) if goes_on else 0)
        if not was_going_on:
            begins = _beginning(source.text, start, stop)
            is_command = begins >= 0
        else:
            begins = start
        if is_command and not _COMMENT.match(source.text, start, stop):
            found += _in_line(source, begins, stop, language)
    return found


def _beginning(text: str, start: int, stop: int) -> int:
    """Behind the program that a line starts; -1 where it starts none, or one of the system."""
    before = _BEFORE.match(text, start, stop)
    at = before.end() if before is not None else start
    program = _PROGRAM.match(text, at, stop)
    if program is None or (program.group()[0] in "-+:%@" and not program.group().startswith("%")):
        return -1
    name = re.split(r"[/\\]", program.group().strip("\"'"))[-1].lower().removesuffix(".exe")
    return -1 if name in _SYSTEM or text[program.end() : program.end() + 1] == "=" else program.end()


def _in_line(source: Source, start: int, stop: int, language: Language) -> Iterator[Node]:
    """The options in one line."""
    text = source.text
    tokens = list(_TOKEN.finditer(text, start, stop))
    position = 0
    while position < len(tokens):
        token = tokens[position]
        position += 1
        if _END.match(token.group()):
            return
        option = _OPTION.match(token.group()) or _MARKED.match(token.group())
        if option is None or (len(option.group("name")) == 1 and option.group("sign") == "-"):
            continue
        name = option.group("name")
        if option.group("is") is not None:
            first, last = token.start() + option.start("value"), token.start() + option.end("value")
        elif position < len(tokens) and not _begins_other(tokens[position].group()):
            first, last = tokens[position].span()
            position += 1
        else:
            first = last = token.end()
        is_marked = last - first >= 2 and text[first] in "\"'"
        may_be_list = is_marked or language is BATCH or "," in text[first:last]
        node = valued(text, name, token.start(), first, last, may_be_list=may_be_list or token.group()[0] in "\"'")
        node.end = max(node.end, token.end())
        yield node


def _begins_other(word: str) -> bool:
    is_option = len(word) > 1 and word.lstrip("\"'")[:1] in ("-", "+") and not _NUMBER.match(word)
    return is_option or _END.match(word) is not None or word in ("$@", '"$@"', "%*")


def valued(text: str, name: str, start: int, first: int, last: int, *, may_be_list: bool) -> Node:
    """An option or setting; its value without the quotation marks around it, a list where it has several words."""
    end = last
    is_quoted = last - first >= 2 and text[first] in "\"'" and text[first] == text[last - 1]
    if is_quoted:
        first, last = first + 1, last - 1
    value = text[first:last]
    sign = _LIST_SIGN.search(value) if may_be_list and not re.search(r"\s", value) else None
    if sign is None:
        return Node(NodeKind.VALUE, name, start, end, value, first, last, is_quoted)
    holder = Node(NodeKind.LIST, name, start, end, None, first, last, is_quoted)
    at = first
    for part in value.split(sign.group(1)):
        holder.adopt(Node(NodeKind.VALUE, "", at, at + len(part), part, at, at + len(part)))
        at += len(part) + 1
    return holder
