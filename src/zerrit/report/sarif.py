"""
Findings as SARIF 2.1.0, the open format in which checkers hand their results to editors and to build servers.

Source: OASIS, Static Analysis Results Interchange Format (SARIF) Version 2.1.0 Plus Errata 01. Lines and columns there
are 1-based as ours are; a result without a line has no region; what is waived is a suppression.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Final
from urllib.parse import quote

from zerrit.core.documents import CODES, FindingLike

SCHEMA: Final = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"
_LEVELS: Final = {"error": "error", "warning": "warning", "notice": "note"}


def sarif(findings: Iterable[FindingLike], version: str) -> dict[str, Any]:
    """A SARIF log with one run that holds these findings; `version` is that of Zerrit."""
    listed = list(findings)
    codes = sorted({finding.code for finding in listed})
    index = {code: number for number, code in enumerate(codes)}
    driver = {"name": "Zerrit", "version": version, "rules": [_rule(code) for code in codes]}
    run = {
        "tool": {"driver": driver},
        "columnKind": "unicodeCodePoints",
        "results": [_result(finding, index[finding.code]) for finding in listed],
    }
    return {"$schema": SCHEMA, "version": "2.1.0", "runs": [run]}


def _rule(code: str) -> dict[str, Any]:
    known = CODES[code]
    return {
        "id": code,
        "shortDescription": {"text": known.says},
        "help": {"text": known.advice},
        "defaultConfiguration": {"level": _LEVELS[known.severity.value]},
    }


def _result(finding: FindingLike, index: int) -> dict[str, Any]:
    physical: dict[str, Any] = {"artifactLocation": {"uri": quote(finding.path)}}
    if finding.line:
        physical["region"] = {"startLine": finding.line, "startColumn": max(finding.column, 1)}
    location: dict[str, Any] = {"physicalLocation": physical}
    if finding.address:
        location["logicalLocations"] = [{"fullyQualifiedName": finding.address}]
    result: dict[str, Any] = {
        "ruleId": finding.code,
        "ruleIndex": index,
        "level": _LEVELS[str(finding.severity)],
        "message": {"text": f"{finding.message} {finding.hint}".rstrip()},
        "locations": [location],
    }
    if finding.rule:
        result["properties"] = {"gamebookRule": finding.rule}
    waived = getattr(finding, "waived", None)  # only findings of a server can be
    if waived:
        result["suppressions"] = [{"kind": "external", "justification": waived}]
    return result
