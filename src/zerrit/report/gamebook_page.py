"""The page of the documentation that explains the form of gamebooks, made from the models that read them.

python -m zerrit.report.gamebook_page > docs/gamebook.md
"""

from __future__ import annotations

import sys
from collections.abc import Iterator
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from zerrit.core.expressions import Expression
from zerrit.core.expressions.conditions import FUNCTIONS
from zerrit.core.gamebooks import GamebookFile
from zerrit.core.rules import Rule

_HEAD = """# Gamebooks

A gamebook is a YAML file that says what is known of one game's files. This page is made from the models that read it
(`make docs`); `zerrit gamebook schema` prints the same as a JSON Schema, with which an editor completes and underlines
while one types. `src/zerrit/demo/fathomline.yml` is a complete one.

* `zerrit gamebook draft FOLDER --save-to FILE` drafts one from default files; rules of a draft warn and never block
  until someone keeps them.
* `zerrit gamebook check FILE --folder FOLDER` shows how often each rule holds.
* `zerrit check FOLDER --gamebook FILE` checks files by it.

A mistake in a gamebook is a finding with its line in the gamebook. A *place* is a name, or names separated by `/`, below
an entry; an *address* is `path#node`, where the path may be a pattern, and so may the names in it and the names of
entries (`Plot *` is every section that begins so).

## Conditions

`least <= most`, `sum(power) <= limit`, `first < last and not (a == "none")`. Names are fields. There are `+ - * / %`,
`< <= > >= == !=`, `and or not`, brackets, numbers, words in quotes, and these functions:

"""


def page() -> str:
    """The whole page as Markdown."""
    lines = [f"* `{name}(…)`: {says}" for name, says in FUNCTIONS.items()]
    lines += [
        "",
        "A condition whose fields are absent says nothing. One that divides by zero for some entry is reported once,",
    ]
    lines += ["at its line in the gamebook.", "", "## Every rule", "", *_table(Rule, skip=())]
    for model in _models(GamebookFile, {Rule, Expression}):
        title = "The file" if model is GamebookFile else _title(model)
        skip = tuple(Rule.model_fields) if issubclass(model, Rule) else ()
        note = " It is a rule, and may say what every rule may say." if issubclass(model, Rule) else ""
        lines += ["", f"## {title}", "", f"{_doc(model)}{note}", "", *_table(model, skip)]
    return _HEAD + "\n".join(lines) + "\n"


def _title(model: type[BaseModel]) -> str:
    return model.__name__.removesuffix("Rules").removesuffix("Rule") or "Rule"


def _doc(model: type[BaseModel]) -> str:
    return " ".join((model.__doc__ or "").split())


def _models(model: type[BaseModel], seen: set[type]) -> Iterator[type[BaseModel]]:
    """The model and all that are in it, each once, in the order in which they are met."""
    if model in seen:
        return
    seen.add(model)
    yield model
    for info in model.model_fields.values():
        for below in _in(info.annotation):
            yield from _models(below, seen)


def _in(annotation: Any) -> Iterator[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for argument in get_args(annotation):
        yield from _in(argument)


def _table(model: type[BaseModel], skip: tuple[str, ...]) -> list[str]:
    rows = ["| name | takes | what it says |", "|---|---|---|"]
    for name, info in model.model_fields.items():
        if name not in skip:
            needed = " (needed)" if info.is_required() else ""
            rows.append(f"| `{info.alias or name}`{needed} | {_takes(info)} | {info.description or ''} |")
    return rows


def _takes(info: FieldInfo) -> str:
    return _kind(info.annotation)


def _kind(annotation: Any) -> str:
    origin, arguments = get_origin(annotation), get_args(annotation)
    if origin is Annotated:
        return _kind(arguments[0])
    if origin is Literal:
        return ", ".join(f"`{one}`" for one in arguments)
    if origin in (Union, UnionType):
        return " or ".join(dict.fromkeys(_kind(one) for one in arguments if one is not type(None)))
    if origin is dict:
        return f"names with {_kind(arguments[1])}"
    if origin is tuple:
        return f"a list of {_kind(arguments[0])}"
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return f"[{_title(annotation)}](#{_title(annotation).lower()})"
    known = {str: "text", bool: "true or false", int: "a whole number", Expression: "a condition"}
    name = getattr(annotation, "__name__", str(annotation))
    return known.get(annotation) or {"Decimal": "a number", "Severity": "`error`, `warning`, `notice`"}.get(name, name)


if __name__ == "__main__":
    sys.stdout.write(page())
