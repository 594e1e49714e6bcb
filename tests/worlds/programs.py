"""
The games of six worlds, as far as starting goes: a program that reads their files with readers of its own and stays up.

    python -m tests.worlds.programs FOLDER

It knows nothing of the product. Each value that it reads is a line of `logs/game.log`, `path#name=value`; then follows
"all is read". A file that it cannot read is a line with "fault" there, and the program ends.
"""

from __future__ import annotations

import json
import re
import shlex
import signal
import sqlite3
import sys
import tomllib
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path

Values = Iterator[tuple[str, object]]


class Fault(Exception):
    """A file that the game does not understand."""


# --- scripts: the tables and plain settings in them ---------------------------------------------------------------------------

TOKEN = re.compile(
    r"(?P<skip>\s+|--\[\[.*?\]\]|//[^\n]*|/\*.*?\*/|(?:--|\#)(?![^\n]*\[\[)[^\n]*)"
    r"|(?P<long>\[\[.*?\]\])|(?P<text>\"(?:[^\"\\\n]|\\.)*\"|'(?:[^'\\\n]|\\.)*'|`(?:[^`\\]|\\.)*`)"
    r"|(?P<number>-?\d+(?:\.\d+)?(?![\w.]))|(?P<name>[A-Za-z_$][\w$.]*)|(?P<sign>.)",
    re.DOTALL,
)
WORDS = {"true": True, "false": False, "nil": None, "null": None, "True": True, "False": False, "None": None}
OPENS = {"{": "}", "[": "]", "(": ")"}


class Tokens:
    def __init__(self, text: str) -> None:
        found = [match for match in TOKEN.finditer(text) if match.lastgroup != "skip"]
        self.kinds = [str(match.lastgroup) for match in found]
        self.texts = [match.group() for match in found]
        self.lines = [text.count("\n", 0, match.start()) + 1 for match in found]
        self.at = 0

    def peek(self, ahead: int = 0) -> str:
        place = self.at + ahead
        return self.texts[place] if place < len(self.texts) else ""

    def kind(self, ahead: int = 0) -> str:
        place = self.at + ahead
        return self.kinds[place] if place < len(self.kinds) else ""

    def take(self) -> str:
        self.at += 1
        return self.texts[self.at - 1]

    def fault(self, said: str) -> Fault:
        line = self.lines[min(self.at, len(self.lines) - 1)]
        return Fault(f"line {line}: {said} at `{self.peek()}`")


def script(text: str) -> Values:
    """Every table and plain value that is given a name, and those that are handed over with one."""
    tokens = Tokens(text)
    while tokens.at < len(tokens.texts):
        if tokens.kind() == "name" and tokens.peek(1) == "(" and tokens.kind(2) == "text" and tokens.peek(3) == ",":
            name = f"{tokens.peek()}.{tokens.peek(2)[1:-1]}"
            tokens.at += 4
        elif tokens.kind() == "name" and tokens.peek(1) == "=" and tokens.peek(2) != "=":
            name = tokens.take()
            tokens.take()
        else:
            tokens.take()
            continue
        if tokens.peek() in ("{", "[") or (tokens.kind() in ("number", "text")):
            yield from flat(name, value_of(tokens))


def value_of(tokens: Tokens) -> object:
    kind, word = tokens.kind(), tokens.peek()
    if word in ("{", "["):
        return table(tokens)
    if (kind in ("text", "long", "number") and tokens.peek(1) in (",", ";", "}", "]", ")", "")) or word in WORDS:
        tokens.take()
        if word in WORDS:
            return WORDS[word]
        return word[2:-2] if kind == "long" else word[1:-1] if kind == "text" else float(word)
    if kind in ("number", "text") and tokens.kind(1) in ("name", "number", "text"):
        tokens.take()
        return word[1:-1] if kind == "text" else float(word)  # a setting at the end of its line
    return code(tokens)


def code(tokens: Tokens) -> str:
    """Whatever is worked out: up to the separator, with its brackets and blocks."""
    depth = 0
    blocks = 0
    while tokens.at < len(tokens.texts):
        word = tokens.peek()
        if depth == 0 and blocks == 0 and word in (",", ";", "}", "]", ")"):
            return "code"
        depth += (word in OPENS) - (word in OPENS.values())
        blocks += word in ("function", "if", "do") and "end" in tokens.texts
        blocks -= word == "end"
        tokens.take()
    raise tokens.fault("the file ends inside of a table")


def table(tokens: Tokens) -> object:
    closing = OPENS[tokens.take()]
    names: dict[str, object] = {}
    items: list[object] = []
    while tokens.peek() != closing:
        if not tokens.peek():
            raise tokens.fault("a bracket is not closed")
        name = key(tokens)
        if name is None and tokens.kind() == "name" and tokens.peek(1) == "(":
            name = tokens.peek()  # a method
            while tokens.peek() != "{":
                tokens.take()
            code(tokens)
        elif name is None:
            items.append(value_of(tokens))
        elif name in names:
            raise tokens.fault(f"{name} is there twice")
        else:
            names[name] = value_of(tokens)
        if tokens.peek() in (",", ";"):
            tokens.take()
        elif tokens.peek() != closing:
            raise tokens.fault("a comma is missing")
    tokens.take()
    return {**names, **{str(n): item for n, item in enumerate(items, 1)}} if names else items


def key(tokens: Tokens) -> str | None:
    if tokens.peek() == "." and tokens.peek(2) == "=":
        tokens.at += 3
        return tokens.texts[tokens.at - 2]
    if tokens.peek() == "[" and tokens.kind(1) == "text" and tokens.peek(2) == "]":
        tokens.at += 4
        return tokens.texts[tokens.at - 3][1:-1]
    if tokens.kind() in ("name", "text") and tokens.peek(1) in ("=", ":") and tokens.peek(2) != "=":
        name = tokens.take()
        tokens.take()
        return name[1:-1] if name[0] in "\"'" else name.removeprefix(".")
    return None


# --- the other kinds of files -----------------------------------------------------------------------------------------------------


def flat(name: str, value: object) -> Values:
    """A value as lines: each table by its names, each list by its numbers, or by what its entries are called."""
    if isinstance(value, dict):
        for below, one in value.items():
            yield from flat(f"{name}.{below}", one)
    elif isinstance(value, list):
        for number, one in enumerate(value, 1):
            called = one.get("name") or one.get("id") or one.get("day") if isinstance(one, dict) else None
            yield from flat(f"{name}.{called or number}", one)
    else:
        yield name, value


def toml(text: str) -> Values:
    try:
        yield from flat("", tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise Fault(str(error)) from error


def properties(text: str) -> Values:
    for line in re.sub(r"\\\r?\n\s*", "", text).splitlines():
        if line.strip() and not line.lstrip().startswith(("#", "!")):
            name, sign, value = re.split(r"\s*([=:])\s*", line.strip().removeprefix("export "), maxsplit=1)
            yield name, value.partition(" #")[0].strip("\"'") or sign


def keywords(text: str) -> Values:
    for number, line in enumerate(text.splitlines(), 1):
        try:
            words = shlex.split(re.sub(r"//.*", "", line))
        except ValueError as error:
            raise Fault(f"line {number}: {error}") from error
        if len(words) > 2:
            yield f"{words[0]}.{words[1]}", " ".join(words[2:])
        elif words:
            yield words[0], words[1]


def braces(text: str) -> Values:
    tokens = [token for token in re.findall(r'"[^"\n]*"|[{}]|//[^\n]*|[^\s{}"]+', text) if not token.startswith("//")]
    open_names: list[str] = []
    name = ""
    for token in tokens:
        if token == "{":
            if not name:
                raise Fault("a brace without a name")
            open_names.append(name)
            name = ""
        elif token == "}":
            if not open_names or name:
                raise Fault("a brace too many, or a name without a value")
            open_names.pop()
        elif not name:
            name = token.strip('"')
        else:
            if name == "name":
                open_names[-1] = token.strip('"')
            yield ".".join([*open_names, name]), token.strip('"')
            name = ""
    if open_names:
        raise Fault(f"{open_names[-1]} is not closed")


def classes(text: str) -> Values:
    open_names: list[str] = []
    known: set[str] = set()
    rest = re.sub(r"//[^\n]*|/\*.*?\*/", "", text, flags=re.DOTALL)
    while rest := rest.lstrip():
        begins = re.match(r"class\s+(\w+)(?:\s*:\s*(\w+))?\s*\{", rest)
        ends = re.match(r"\};?", rest)
        setting = re.match(r"(\w+)(?:\[\])?\s*=\s*(\{[^{};]*\}|\"[^\"\n]*\"|[-\w.]+)\s*;", rest)
        if begins is not None:
            if begins.group(2) and begins.group(2) not in known:
                raise Fault(f"there is no class {begins.group(2)}")
            known.add(begins.group(1))
            open_names.append(begins.group(1))
        elif ends is not None and open_names:
            open_names.pop()
        elif setting is not None:
            value = setting.group(2)
            items = value.strip("{}").split(",") if value.startswith("{") else [value]
            for item in items:
                if not re.fullmatch(r"\s*(\"[^\"]*\"|[-\w.]+)\s*", item):
                    raise Fault(f"`{item}` is no value")
            yield ".".join([*open_names, setting.group(1)]), ",".join(item.strip().strip('"') for item in items)
        else:
            raise Fault(f"`{rest[:30]}` is not understood")
        rest = rest[(begins or ends or setting).end() :]  # type: ignore[union-attr]
    if open_names:
        raise Fault(f"{open_names[-1]} is not closed")


def start_line(text: str) -> Values:
    """What the last command of a start script is given, one word after the other."""
    joined = re.sub(r"[\\`]\r?\n", " ", text)
    for line in joined.splitlines():
        if re.match(r"(?:exec )?(?:& )?(?:\./)?\w+(?:\.exe)?\s+[-+]", line):
            for number, word in enumerate(shlex.split(line)[1:], 1):
                yield f"word.{number}", word


def database(path: Path) -> Values:
    with closing(sqlite3.connect(path)) as connection:
        try:
            if connection.execute("PRAGMA integrity_check").fetchall() != [("ok",)]:
                raise Fault("the database is damaged")
            for (table_name,) in connection.execute("SELECT name FROM sqlite_schema WHERE type = 'table'").fetchall():
                rows = connection.execute(f"SELECT * FROM {table_name}")  # noqa: S608 (a world of our own)
                columns = [column[0] for column in rows.description]
                for row in rows:
                    yield from (
                        (f"{table_name}.{row[0]}.{name}", value) for name, value in zip(columns, row, strict=True)
                    )
        except sqlite3.DatabaseError as error:
            raise Fault(str(error)) from error


READERS: dict[str, Callable[[str], Values]] = {
    ".lua": script,
    ".js": script,
    ".c": script,
    ".py": script,
    ".toml": toml,
    ".properties": properties,
    ".env": properties,
    "gate.cfg": keywords,
    "ferry.cfg": keywords,
    "moulds.cfg": braces,
    "songs.cfg": braces,
    "shifts.cfg": classes,
    "boats.cfg": classes,
    ".sh": start_line,
    ".bat": start_line,
    ".ps1": start_line,
}


def values_of(path: Path) -> Values:
    """Everything that is in a file. Raises Fault."""
    if path.suffix == ".db":
        yield from database(path)
        return
    reader = READERS.get(path.name) or READERS.get(path.suffix or path.name)
    if reader is not None:
        yield from reader(path.read_text("utf-8"))


def main(folder: Path) -> int:
    log = folder / "logs/game.log"
    log.parent.mkdir(exist_ok=True)
    with log.open("a") as said:
        for path in sorted(one for one in folder.rglob("*") if one.is_file() and "logs" not in one.parts):
            shown = path.relative_to(folder).as_posix()
            try:
                for name, value in values_of(path):
                    said.write(f"{shown}#{name.removeprefix('.')}={json.dumps(value, default=str).strip(chr(34))}\n")
            except Fault as fault:
                said.write(f"fault in {shown}: {fault}\n")
                return 1
        said.write("all is read\n")
    signal.sigwait({signal.SIGTERM})
    return 0


if __name__ == "__main__":
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGTERM})
    sys.exit(main(Path(sys.argv[1])))
