"""
A gamebook, read and ready to be asked.

A mistake in a gamebook is a finding with a line in the gamebook itself, like one in any other file: it is read
with our own YAML reader, and what the schema refuses is looked up in its tree.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Final

from pydantic import ValidationError

from zerrit.core.addresses import fits_kind, is_open_kind, kind_of, place_in_kind
from zerrit.core.coupled_numbers import Coupling
from zerrit.core.documents import Document, Finding, Format, Node, Severity, Slot, read_document
from zerrit.core.documents.codes import CODES
from zerrit.core.gamebooks.building_on import built_on
from zerrit.core.gamebooks.consistency import faults_across
from zerrit.core.gamebooks.rule_list import PlacedRule, placed_rules
from zerrit.core.gamebooks.schema import GamebookFile
from zerrit.core.gamebooks.source_lines import Location, finding_at, locate
from zerrit.core.nearest import did_you_mean
from zerrit.core.rules import FieldRules, FileRules, PackedRule, Rule
from zerrit.core.wildcards import path_matches


@dataclass(frozen=True)
class Gamebook:
    """What is known of one game's files."""

    rules: GamebookFile
    source: Document
    full: Mapping[str, Any] = field(
        default_factory=dict, repr=False
    )  #: with what it takes over of the one that it builds on
    _files: dict[str, FileRules | None] = field(default_factory=dict, repr=False)

    @property
    def game(self) -> str:
        return self.rules.game

    # --- rules ----------------------------------------------------------------------------------------------------

    @cached_property
    def placed(self) -> tuple[PlacedRule, ...]:
        """Every rule, in the order of the gamebook's parts."""
        return tuple(placed_rules(self.rules))

    @cached_property
    def _by_identity(self) -> dict[int, PlacedRule]:
        return {id(placed.rule): placed for placed in self.placed}

    @cached_property
    def data(self) -> Any:
        """The gamebook as plain values, as it is written."""
        return self.source.to_data()

    @cached_property
    def by_id(self) -> dict[str, PlacedRule]:
        """Every rule by its id; of a field that is named in two places the one that says something."""
        return {placed.id: placed for placed in sorted(self.placed, key=lambda placed: placed.says_something)}

    def place_of(self, rule: Rule) -> PlacedRule:
        """A rule of this gamebook with its id and place."""
        return self._by_identity[id(rule)]

    def severity(self, rule: Rule, code: str) -> Severity:
        """How severe a violation of the rule is. What was drafted is only a notice until a person approves it."""
        usual = rule.severity or CODES[code].severity
        return Severity.NOTICE if self.rules.drafted and not rule.approved else usual

    def fault(self, location: Location, message: str, hint: str = "") -> Finding:
        """A fault of the gamebook itself, at its place."""
        return finding_at(self.source, location, message, hint)

    def line_of(self, location: Location) -> int:
        """The line of the gamebook that a place is on, 1-based."""
        return self.source.line_of(locate(self.source, location)[1])

    # --- files ----------------------------------------------------------------------------------------------------

    def file(self, path: str) -> FileRules | None:
        """The rules of a file, by its path or by the first pattern that fits it."""
        if path not in self._files:
            exact = self.rules.files.get(path)
            self._files[path] = exact or next(
                (rules for pattern, rules in self.rules.files.items() if path_matches(pattern, path)), None
            )
        return self._files[path]

    def path_in_game(self, path: str) -> str:
        """The path that a file lying anywhere has in the game: `mine/configs/a.xml` is `configs/a.xml`.

        It is the longest end of the path that the gamebook knows; else the one file that it knows by that name; else
        the path itself.
        """
        parts = path.split("/")
        ends = ("/".join(parts[start:]) for start in range(len(parts)))
        known = next((end for end in ends if self.file(end) is not None), "")
        alike = [one for one in self.rules.files if one.rpartition("/")[2] == parts[-1]]
        return known or (alike[0] if len(alike) == 1 and "*" not in alike[0] else path)

    def read(self, data: bytes, path: str) -> Document:
        """Read a file the way that this game does: its tolerances, its keys."""
        rules = self.file(path)
        if rules is None:
            return read_document(data, path)
        keys = {"/".join(kind_of(names)): entry.key for names, entry in rules.entries.items() if entry.key}
        slots = {name: Slot(slot.pattern, slot.separator) for name, slot in rules.slots.items()}
        measures = {
            kind: one.declared for kind, one in self._fields_by_place(rules).items() if one.declared is not None
        }
        return read_document(
            data, path, format=rules.read_as, tolerate=rules.tolerate, keys=keys, slots=slots, measures=measures
        )

    def is_ignored(self, path: str) -> bool:
        return self._fits(path)[0]

    def is_watched(self, path: str) -> bool:
        return self._fits(path)[1]

    def is_kept_large(self, path: str) -> bool:
        """The content of the file is kept even where it is larger than any text that is read."""
        rules = self.file(path)
        return rules is not None and rules.keep_large

    def _fits(self, path: str) -> tuple[bool, bool]:
        """Whether a path is ignored, and whether it is watched; kept, since every fetch asks for every file."""
        found = self._kinds.get(path)
        if found is None:
            found = self._kinds[path] = (
                any(path_matches(pattern, path) for pattern in self.rules.ignore),
                any(path_matches(pattern, path) for pattern in self.rules.watch),
            )
        return found

    def is_tracked(self, path: str) -> bool:
        """The content of the file is kept, so that it can be compared and put back."""
        return not self.is_ignored(path) and not self.is_watched(path)

    @cached_property
    def binaries(self) -> frozenset[str]:
        """The paths of files that are no text and that rules look into: databases and packed folders."""
        rules = self.rules
        of_lists = (source.sql.database for source in rules.lists.values() if source.sql is not None)
        return frozenset((*of_lists, *(path for _, rule in rules.listed() for path in rule.binaries())))

    def is_rewritten(self, path: str) -> bool:
        """Whether the game or its host writes the file: when it stops, or packed at each start."""
        rules = self.file(path)
        return (rules is not None and rules.rewritten_at_stop) or path in self._packed_by_host

    @cached_property
    def _packed_by_host(self) -> frozenset[str]:
        return frozenset(rule.into for rule in self.rules.of(PackedRule) if rule.packed_by == "host")

    def is_opened(self, path: str) -> bool:
        """Whether the files in a packed file are read and edited one by one."""
        return any(path_matches(pattern, path) for pattern in self.rules.opened)

    def field_rules(self, path: str, node: Node) -> FieldRules | None:
        """What is known of the field that a node is."""
        rules = self.file(path)
        if rules is None:
            return None
        return self._fields_by_place(rules).get(node.names) or next(
            (
                known
                for kind, known in self._fields_by_place(rules).items()
                if is_open_kind(kind) and fits_kind(node.names, kind)
            ),
            None,
        )

    def keeps(self, path: str) -> tuple[Coupling, ...]:
        """Which numbers of the entries of a file move together."""
        return tuple(one.coupling() for one in self.rules.keep if path_matches(one.each.partition("#")[0], path))

    def takes_effect(self, path: str, node: Node | None = None) -> str:
        """When a change of a file, or of one value in it, holds; empty where nothing is known of the file."""
        rules = self.file(path)
        if rules is None:
            return ""
        known = self.field_rules(path, node) if node is not None else None
        return (known.takes_effect if known else None) or rules.takes_effect

    def _fields_by_place(self, rules: FileRules) -> Mapping[tuple[str, ...], FieldRules]:
        cached = self._places.get(id(rules))
        if cached is None:
            cached = {}
            for entry_names, entry in rules.entries.items():
                for name, field_rules in entry.fields.items():
                    cached[kind_of(place_in_kind(entry_names, field_rules.path or name))] = field_rules
            self._places[id(rules)] = cached
        return cached

    @cached_property
    def _kinds(self) -> dict[str, tuple[bool, bool]]:
        return {}

    @cached_property
    def _places(self) -> dict[int, dict[tuple[str, ...], FieldRules]]:
        return {}


BaseOf = Callable[[str], bytes | None]  #: the gamebook of a name that others build on; None where there is none
MOST_BASES: Final = 8


def read_gamebook(
    data: bytes, path: str = "gamebook.yml", base_of: BaseOf = lambda _name: None, above: tuple[str, ...] = ()
) -> tuple[Gamebook | None, tuple[Finding, ...]]:
    """Read a gamebook, and those that it builds on, which `base_of` gives. `above` are the names on the way here.

    Returns it, or None when it cannot be used, and the findings in it.
    """
    document = read_document(data, path, format=Format.YAML)
    errors = [finding for finding in document.findings if finding.severity is Severity.ERROR]
    if errors:
        return None, tuple(errors)
    plain = document.to_data()
    if not isinstance(plain, dict):
        message = "This is not a gamebook. One begins with `gamebook: 1` and `game: NAME`."
        return None, (finding_at(document, (), message),)
    base = plain.get("extends")
    if isinstance(base, str) and base:
        found, fault = _base(base, base_of, above)
        if found is None:
            return None, (finding_at(document, ("extends",), fault),)
        plain = built_on(plain, found.full)
    try:
        rules = GamebookFile.model_validate(plain)
    except ValidationError as error:
        return None, tuple(_finding(document, dict(item)) for item in error.errors()[:MOST_FAULTS])
    faults = tuple(faults_across(document, rules))
    return (None if faults else Gamebook(rules, document, plain)), faults


def _base(name: str, base_of: BaseOf, above: tuple[str, ...]) -> tuple[Gamebook | None, str]:
    """The gamebook that another builds on, and why there is none."""
    if name in above or len(above) >= MOST_BASES:
        return None, f"The gamebooks build on each other in a circle, or too deep: {' > '.join((*above, name))}."
    data = base_of(name)
    if data is None:
        return None, f"There is no gamebook {name}, on which this one builds."
    found, faults = read_gamebook(data, name, base_of, (*above, name))
    if found is None:
        first = faults[0]
        return None, f"The gamebook {name}, on which this one builds, has a fault in line {first.line}: {first.message}"
    return found, ""


MOST_FAULTS = 200  #: listed of one gamebook; no one reads more


def _finding(document: Document, item: Mapping[str, Any]) -> Finding:
    location: Location = item["loc"]
    shown = location
    message = str(item["msg"]).removeprefix("Value error, ")
    hint = ""
    if item["type"] == "extra_forbidden":
        shown, name = location[:-1], str(location[-1])
        message, hint = f"`{name}` is not a known key here.", did_you_mean(name, _known_beside(location))
    elif item["type"] == "missing":
        message = f"`{location[-1]}` is missing here."
    elif item["type"] in ("model_type", "model_attributes_type", "dict_type", "tuple_type"):
        wanted = "A list" if item["type"] == "tuple_type" else "Names with values"
        message = f"{wanted} should be here."
    words, _ = locate(document, shown)
    return finding_at(document, location, f"{words}: {message}" if words else message, hint)


def _known_beside(location: Location) -> tuple[str, ...]:
    """The names that the form has where the last part of a location is."""
    model: Any = GamebookFile
    for part in location[:-1]:
        if isinstance(part, int) or not hasattr(model, "model_fields"):
            continue
        for name, info in model.model_fields.items():
            if part in (name, info.alias):
                model = next(iter(_models_in(info.annotation)), model)
                break
    names = [info.alias or name for name, info in getattr(model, "model_fields", {}).items()]
    return tuple(names)


def _models_in(annotation: Any) -> Iterator[Any]:
    if hasattr(annotation, "model_fields"):
        yield annotation
    for argument in getattr(annotation, "__args__", ()):
        yield from _models_in(argument)
