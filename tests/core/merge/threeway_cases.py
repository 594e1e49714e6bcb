"""
Random three-way cases whose right answer is known: a model is edited on two sides and rendered to every format.

A model is a list of entries, each with a name and fields. The edits of the two sides are drawn so that it is known
which of them meet: those that touch different entries or fields must merge, those that do not must conflict.
"""

from __future__ import annotations

import json
import random
from dataclasses import dataclass, field

from zerrit.core import Document, read_document
from zerrit.core.documents import Format

FORMATS = ("xml", "json", "yml", "ini", "braces", "classes", "lua", "js", "toml")
KINDS = (
    "disjoint",
    "fields",
    "additions",
    "identical",
    "removals",
    "conflict",
    "reformat",
    "moved",
    "renamed",
    "comments",
)
#: The comment above an entry is in the model as a field of this name.
COMMENT = "#"
_FIELDS = ("holds", "worth", "place", "lasts")
_WORDS = ("shelf", "slope", "abyss", "trench", "bell", "rope")

Entries = dict[str, dict[str, str]]


@dataclass(slots=True)
class Case:
    """One case. `conflicts` are the (entry, field) pairs that both sides changed differently; field "" is the entry."""

    kind: str
    base: Entries
    mine: Entries
    theirs: Entries
    expected: Entries
    conflicts: set[tuple[str, str]] = field(default_factory=set)


def _value(chance: random.Random) -> str:
    return str(chance.randrange(1, 999)) if chance.random() < 0.6 else chance.choice(_WORDS)


def _entry(chance: random.Random) -> dict[str, str]:
    return {name: _value(chance) for name in _FIELDS if chance.random() < 0.8} or {"holds": "1"}


def _other(chance: random.Random, value: str) -> str:
    return next(v for v in (_value(chance) for _ in range(99)) if v != value)


def _copy(entries: Entries) -> Entries:
    return {name: dict(fields) for name, fields in entries.items()}


def make(chance: random.Random, kind: str) -> Case:  # noqa: C901, PLR0912  # a table of cases
    """A case of one of `KINDS`."""
    names = [f"{chance.choice(_WORDS)}-{number}" for number in range(chance.randrange(4, 9))]
    base = {name: _entry(chance) for name in names}
    mine, theirs, expected = _copy(base), _copy(base), _copy(base)
    conflicts: set[tuple[str, str]] = set()
    if kind in ("disjoint", "reformat"):
        chosen = chance.sample(names, 4)
        for name in chosen[:2]:
            _edit(chance, mine, expected, name)
        for name in chosen[2:]:
            _edit(chance, theirs, expected, name)
    elif kind == "fields":
        name = chance.choice(names)
        for one in (mine, theirs):
            one[name].setdefault("holds", "1")
        base[name].setdefault("holds", "1")
        base[name].setdefault("worth", "2")
        for entries in (mine, theirs, expected):
            entries[name] = dict(base[name])
        mine[name]["holds"] = expected[name]["holds"] = _other(chance, base[name]["holds"])
        theirs[name]["worth"] = expected[name]["worth"] = _other(chance, base[name]["worth"])
    elif kind == "additions":
        mine["new-mine"] = expected["new-mine"] = _entry(chance)
        theirs["new-theirs"] = expected["new-theirs"] = _entry(chance)
    elif kind == "identical":
        for name in chance.sample(names, 2):
            _edit(chance, mine, expected, name)
            theirs[name] = dict(mine[name])
    elif kind == "removals":
        gone, edited = chance.sample(names, 2)
        for entries in chance.choice([(mine, expected), (theirs, expected)]):
            del entries[gone]
        _edit(chance, chance.choice([mine, theirs]), expected, edited)
    elif kind == "moved":
        _move_and_edit(chance, base, mine, theirs, expected)
    elif kind == "renamed":
        name = chance.choice(names)
        renaming, editing = chance.choice([(mine, theirs), (theirs, mine)])
        _rename(renaming, name, "renamed")
        _edit(chance, editing, expected, name)
        _rename(expected, name, "renamed")
    elif kind == "comments":
        said, edited = chance.sample(names, 2)
        for entries in (base, mine, theirs, expected):
            for number, title in enumerate(names):
                if number % 2 or title == edited:
                    entries[title][COMMENT] = f"about {title}"
        _say(chance, theirs[said])
        expected[said] = dict(theirs[said])
        for entries in (mine, expected):
            entries[edited][COMMENT] = "as mine says"
        _edit(
            chance,
            chance.choice([mine, theirs]),
            expected,
            chance.choice([n for n in names if n not in (said, edited)]),
        )
    else:
        name = chance.choice(names)
        mine[name] = dict(base[name])
        if chance.random() < 0.3:
            del theirs[name]
            _edit(chance, mine, expected, name)
            conflicts.add((name, ""))
        else:
            changed = chance.choice(list(base[name]))
            mine[name][changed] = expected[name][changed] = _other(chance, base[name][changed])
            theirs[name] = dict(base[name])
            theirs[name][changed] = next(
                v for v in (_value(chance) for _ in range(99)) if v not in (base[name][changed], mine[name][changed])
            )
            conflicts.add((name, changed))
    return Case(kind, base, mine, theirs, expected, conflicts)


def _say(chance: random.Random, fields: dict[str, str]) -> None:
    if COMMENT in fields and chance.random() < 0.3:
        del fields[COMMENT]
    else:
        fields[COMMENT] = f"theirs says {chance.choice(_WORDS)}"


def _rename(entries: Entries, old: str, new: str) -> None:
    """Give an entry another name at its place."""
    renamed = {new if name == old else name: fields for name, fields in entries.items()}
    entries.clear()
    entries.update(renamed)


def _place_behind(entries: Entries, name: str, neighbour: str | None) -> None:
    fields = entries.pop(name)
    order = list(entries)
    order.insert(order.index(neighbour) + 1 if neighbour else 0, name)
    kept = {one: fields if one == name else entries[one] for one in order}
    entries.clear()
    entries.update(kept)


def _move_and_edit(chance: random.Random, base: Entries, mine: Entries, theirs: Entries, expected: Entries) -> None:
    """Theirs puts one entry elsewhere; mine edits some entry, now and then the same one."""
    names = list(base)
    moved = chance.choice(names)
    index = names.index(moved)
    # Moved far enough that it is clear which entry moved, and not its neighbours past it.
    goals = [None, *names[: max(index - 2, 0)], *names[index + 2 :]]
    neighbour = chance.choice(
        [goal for goal in goals if goal != moved and not (goal is None and index < 2)] or [names[-1]]
    )
    if neighbour != moved:
        for entries in (theirs, expected):
            _place_behind(entries, moved, neighbour)
    _edit(chance, mine, expected, chance.choice(names))


def _edit(chance: random.Random, side: Entries, expected: Entries, name: str) -> None:
    fields = dict(side[name])
    changed = chance.choice([field for field in fields if field != COMMENT])
    kind = chance.random()
    if kind < 0.6:
        fields[changed] = _other(chance, fields[changed])
    elif kind < 0.8 and any(field not in fields for field in _FIELDS):
        fields[next(f for f in _FIELDS if f not in fields)] = _value(chance)
    elif len(fields) > 1 + (COMMENT in fields):
        del fields[changed]
    else:
        fields[changed] = _other(chance, fields[changed])
    side[name] = fields
    expected[name] = dict(fields)


# --- to text and back --------------------------------------------------------------------------------------------------


def render(entries: Entries, form: str, layout: int) -> str:
    """The model as a file; `layout` 0 and 1 mean the same in another dress."""
    if form == "xml":
        return _xml(entries, layout)
    if form == "json":
        items = [
            {"name": name, **{k: _typed(v) for k, v in _plain(fields).items()}} for name, fields in entries.items()
        ]
        return json.dumps({"title": "all", "items": items}, indent=(2, 4)[layout]) + "\n"
    if form == "yml":
        return _yaml(entries, layout)
    if form in ("braces", "classes"):
        return (_braces if form == "braces" else _classes)(entries, layout)
    if form in ("lua", "js", "toml"):
        return {"lua": _lua, "js": _javascript, "toml": _toml}[form](entries, layout)
    gap = ("=", " = ")[layout]
    return "".join(
        f"{_comment(fields, '; ')}[{name}]\n" + "".join(f"{k}{gap}{v}\n" for k, v in _plain(fields).items()) + "\n"
        for name, fields in entries.items()
    )


def _plain(fields: dict[str, str]) -> dict[str, str]:
    return {name: value for name, value in fields.items() if name != COMMENT}


def _comment(fields: dict[str, str], before: str, after: str = "") -> str:
    return f"{before}{fields[COMMENT]}{after}\n" if COMMENT in fields else ""


def _typed(value: str) -> object:
    return int(value) if value.isdigit() else value


def _xml(entries: Entries, layout: int) -> str:
    lines = ["<items>"]
    for name, fields in entries.items():
        pairs = [f'{k}="{v}"' for k, v in _plain(fields).items()]
        lines += _comment(fields, "  <!-- ", " -->").splitlines()
        if layout:
            lines += ["", f'    <item name="{name}"', *(f"          {pair}" for pair in reversed(pairs)), "    />"]
        else:
            lines.append(f"  <item {' '.join([f'name={chr(34)}{name}{chr(34)}', *pairs])}/>")
    return "\n".join([*lines, "</items>", ""])


def _yaml(entries: Entries, layout: int) -> str:
    lines = ["title: all", "items:"]
    for name, given in entries.items():
        fields = _plain(given)
        lines += _comment(given, "  # ").splitlines()
        if layout:
            lines.append("  - {" + ", ".join(f"{k}: {v}" for k, v in {"name": name, **fields}.items()) + "}")
        else:
            lines += [f"  - name: {name}", *(f"    {k}: {v}" for k, v in fields.items())]
    return "\n".join([*lines, ""])


def _braces(entries: Entries, layout: int) -> str:
    lines = ['"items"', "{"]
    for name, given in entries.items():
        pairs = [f'"{k}"\t"{v}"' for k, v in {"name": name, **_plain(given)}.items()]
        lines += _comment(given, "\t// ").splitlines()
        if layout:
            lines.append('\t"item" { ' + " ".join(pairs) + " }")
        else:
            lines += ['\t"item"', "\t{", *(f"\t\t{pair}" for pair in pairs), "\t}"]
    return "\n".join([*lines, "}", ""])


def _classes(entries: Entries, layout: int) -> str:
    lines = ["class items", "{"]
    for name, given in entries.items():
        pairs = [f"{k} = {v};" if v.isdigit() else f'{k} = "{v}";' for k, v in _plain(given).items()]
        lines += _comment(given, "  // ").splitlines()
        called = name.replace("-", "_")  # no class has a hyphen in its name
        if layout:
            lines.append(f"  class {called} {{ {' '.join(pairs)} }};")
        else:
            lines += [f"  class {called}", "  {", *(f"    {pair}" for pair in pairs), "  };"]
    return "\n".join([*lines, "};", ""])


def _lua(entries: Entries, layout: int) -> str:
    lines = ["local base = require('base')", "", "Base.items = {"]
    for name, given in entries.items():
        pairs = [f"{k} = {v}" if v.isdigit() else f'{k} = "{v}"' for k, v in _plain(given).items()]
        lines += _comment(given, "  -- ").splitlines()
        if layout:
            lines += [f"  ['{name}'] = {{", *(f"    {pair};" for pair in pairs), "  },"]
        else:
            lines.append(f'  ["{name}"] = {{ {", ".join(pairs)} }},')
    return "\n".join([*lines, "}", "return Base", ""])


def _javascript(entries: Entries, layout: int) -> str:
    lines = ["function run(a) { return a; }", "register('items', ["]
    for number, (name, given) in enumerate(entries.items(), 1):
        fields = {"name": name, **_plain(given)}
        pairs = [f"{k}: {v}" if v.isdigit() else f"{k}: '{v}'" for k, v in fields.items()]
        lines += _comment(given, "  // ").splitlines()
        end = "," if number < len(entries) else ""
        if layout:
            lines += ["  {", *(f"    {pair}," for pair in pairs), f"  }}{end}"]
        else:
            lines.append(f"  {{ {', '.join(pairs)} }}{end}")
    return "\n".join([*lines, "]);", "run(1);", ""])


def _toml(entries: Entries, layout: int) -> str:
    lines = ['title = "all"', ""]
    gap = ("=", " = ")[layout]
    for name, given in entries.items():
        fields = {"name": name, **_plain(given)}
        lines += _comment(given, "# ").splitlines()
        lines += ["[[item]]", *(f"{k}{gap}{v}" if v.isdigit() else f'{k}{gap}"{v}"' for k, v in fields.items()), ""]
    return "\n".join(lines)


def read(text: str, form: str) -> Document:
    named = {"braces": Format.BRACES, "classes": Format.CLASSES}
    return read_document(text.encode(), f"case.{form}", format=named.get(form))


def as_rendered(entries: Entries, form: str) -> Entries:
    """What of a model a format can say."""
    return {name: _plain(fields) for name, fields in entries.items()} if form == "json" else entries


def is_same(one: Entries, other: Entries, form: str) -> bool:
    """Equal, the order of the entries included; sections of INI files have none."""
    return one == other and (form == "ini" or list(one) == list(other))


def model_of(document: Document, form: str) -> Entries:
    """Back from a file to the model, the order of the fields aside."""
    entries: Entries = {}
    pattern = {"xml": "item", "ini": "*", "lua": "Base.items/*", "js": "register.items/*", "toml": "item"}.get(
        form, "items/*"
    )
    are_named = form in ("ini", "classes", "lua")
    for node in document.select(pattern):
        fields = {child.name.removeprefix("@"): child.value or "" for child in node.children}
        name = node.name.replace("_", "-") if are_named else fields.pop("name")
        if node.comment:
            fields[COMMENT] = node.comment
        if name in entries:
            raise AssertionError(f"{name} occurs twice")
        entries[name] = fields
    return entries
