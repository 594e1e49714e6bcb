"""Points that must lie near others."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import TYPE_CHECKING, ClassVar

from pydantic import Field

from zerrit.core.documents import Document, Finding, Node
from zerrit.core.documents.file_selection import place_below
from zerrit.core.documents.scalars import as_number
from zerrit.core.examination.check_context import Unknown
from zerrit.core.examination.condition_fields import Around
from zerrit.core.points import distance
from zerrit.core.rules.base import Place, Places, Text, Texts
from zerrit.core.rules.listed import Fault, ListedRule, Named
from zerrit.core.rules.word_uses import ValuesAt, WordUse

if TYPE_CHECKING:
    from zerrit.core.examination.check_context import Examination, Placed


class NearRule(ListedRule):
    """A point is within a distance of another."""

    part: ClassVar[str] = "near"
    about: ClassVar[str] = "points that must lie near others"
    code: ClassVar[str] = "meaning.far"

    each: Text = Field(description="the address of the entries")
    coordinates: Places = Field(description="the places of their coordinates")
    target: Text = Field(description="the address of the entries that they must be near to")
    target_coordinates: Texts = Field((), description="theirs, where different")
    target_field: str = Field(
        "", description="the field that names the one to be near to; without it the nearest will do"
    )
    distance: Decimal | Place = Field(description="the distance, or the field of the other that holds it")

    def addresses(self) -> Iterator[Named]:
        yield Named(("each",), self.each)
        yield Named(("target",), self.target)

    def places(self) -> Iterator[Named]:
        yield from (Named(("coordinates",), place) for place in self.coordinates)
        yield from (Named(("target_coordinates",), place) for place in self.target_coordinates)
        yield Named(("target_field",), self.target_field)
        if isinstance(self.distance, str):
            yield Named(("distance",), self.distance)

    def faults(self) -> Iterator[Fault]:
        if self.target_coordinates and len(self.target_coordinates) != len(self.coordinates):
            yield Fault((), "`coordinates` and `target_coordinates` name different numbers of coordinates.")

    def word_uses(self) -> Iterator[tuple[str, WordUse]]:
        if self.target_field:
            yield from (("", ValuesAt(f"{one}/{self.target_field}")) for one in (self.each, self.target))
            yield "", ValuesAt(self.target, "key")

    def sentence(self) -> str:
        return f"{self.each} lie within {self.distance} of {self.target}"

    def unmeasured(self, examination: Examination) -> Iterator[str]:
        yield from super().unmeasured(examination)
        others = self.target_coordinates or self.coordinates
        for address, places in ((self.each, self.coordinates), (self.target, others)):
            nodes = examination.nodes(address)
            if nodes and not any(_point_of(document, node, places) for document, node in nodes):
                yield _unreadable(*nodes[0], places)
        if isinstance(self.distance, str):
            targets = examination.nodes(self.target)
            if not any(place_below(document, node, self.distance) for document, node in targets):
                yield f"{self.target} has no {self.distance}"

    def check(self, examination: Examination, number: int) -> Iterator[Finding]:
        """The points lie within the distance of the others."""
        try:
            documents = examination.sound(self.each, self.target)
        except Unknown:
            return
        yield from examination.findings_of(("near", number), documents, _near, self)


def _near(examination: Examination, rule: NearRule) -> Iterator[Finding]:
    places = rule.target_coordinates or rule.coordinates
    centres: list[tuple[Placed, tuple[Decimal, ...]]] = []
    for place in examination.nodes(rule.target):
        centre = _point_of(*place, places)
        if centre is not None:
            centres.append((place, centre))
        else:
            yield _not_measured(examination, rule, place, places)
    for document, node in examination.nodes(rule.each):
        point = _point_of(document, node, rule.coordinates)
        if point is None:
            yield _not_measured(examination, rule, (document, node), rule.coordinates)
            continue
        wanted = _field(document, node, rule.target_field) if rule.target_field else None
        near = [
            centre for centre in centres if not rule.target_field or _is_called(centre[0], rule.target_field, wanted)
        ]
        if not near:
            continue  # a name that is not a name is found by the rule that refers
        centre_at, there = min(((c[0], distance(point, c[1])) for c in near), key=lambda pair: pair[1])
        within = (
            rule.distance if isinstance(rule.distance, Decimal) else as_number(_field(*centre_at, rule.distance) or "")
        )
        if within is None:
            yield _not_measured(examination, rule, centre_at, [str(rule.distance)])
        if within is not None and there > within:
            name = document.keys.key_of(node) or node.name
            message = f"{name} is {there:f} away, more than the {within:f} within which it is reached."
            holder = place_below(document, node, rule.coordinates[0])
            yield examination.finding(
                rule, "meaning.far", (document, holder or node), message, fields=Around(document, node)
            )


def _point_of(document: Document, node: Node, places: Sequence[str]) -> tuple[Decimal, ...] | None:
    """The coordinates of an entry; None where one of them cannot be read."""
    found = [as_number(_field(document, node, place) or "") for place in places]
    return tuple(number for number in found if number is not None) if None not in found else None


def _unreadable(document: Document, node: Node, places: Sequence[str]) -> str:
    """Which of the places of an entry holds no number."""
    name = document.keys.key_of(node) or node.name or "an entry"
    for place in places:
        text = _field(document, node, place)
        if text is None:
            return f"`{name}` has no `{place}`"
        if as_number(text) is None:
            return f"`{place}` of `{name}` is `{text}`, which is not a number"
    return ""


def _not_measured(examination: Examination, rule: NearRule, place: Placed, places: Sequence[str]) -> Finding:
    message = f"Not measured: {_unreadable(*place, places)}."
    return examination.finding(rule, "meaning.not-measured", place, message, fields=Around(*place), says_why=True)


def _field(document: Document, node: Node, place: str) -> str | None:
    found = place_below(document, node, place)
    return found.value if found is not None else None


def _is_called(place: Placed, by: str, wanted: str | None) -> bool:
    return wanted is not None and wanted in (_field(*place, by), place[0].keys.key_of(place[1]))
