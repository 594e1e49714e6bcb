"""The cases of a gamebook: files that are tried, and what has to be found in them."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from zerrit.core.checks.checker import check_files_of
from zerrit.core.examination.game_files import Files
from zerrit.core.gamebooks import Gamebook


@dataclass(frozen=True, slots=True)
class CaseResult:
    """A case; `missing` should have been found and was not, `extra` was found and should not have been. Each is `code address`."""

    name: str
    line: int
    missing: tuple[str, ...]
    extra: tuple[str, ...]

    @property
    def passed(self) -> bool:
        return not self.missing and not self.extra

    def __str__(self) -> str:
        parts = [f"not found: {', '.join(self.missing)}"] if self.missing else []
        parts += [f"found too: {', '.join(self.extra)}"] if self.extra else []
        return f"{self.name}: {'; '.join(parts) or 'as it should be'}"


def run_cases(gamebook: Gamebook) -> list[CaseResult]:
    """Try every case. What is said of the gamebook itself, such as rules that check nothing in these few files, does not count."""
    results = []
    for number, case in enumerate(gamebook.rules.cases):
        documents = {path: gamebook.read(text.encode(), path) for path, text in case.files.items()}
        found = [
            (one.code, one.address or one.path)
            for one in check_files_of(Files(documents), gamebook).findings
            if not one.code.startswith(("gamebook.", "waiver.")) and one.path in case.files
        ]
        left = Counter(found)
        missing = []
        for wanted in case.finds:
            code, _, address = wanted.partition(" ")
            fitting = next((one for one in left if one[0] == code and address.strip() in ("", one[1])), None)
            if fitting is None:
                missing.append(wanted)
                continue
            left[fitting] -= 1
            if not left[fitting]:
                del left[fitting]
        extra = tuple(f"{code} {address}" for code, address in left.elements())
        results.append(CaseResult(case.name, gamebook.line_of(("cases", number)), tuple(missing), extra))
    return results


def failed_cases(gamebook: Gamebook) -> list[CaseResult]:
    """The cases that are not as they should be."""
    return [one for one in run_cases(gamebook) if not one.passed] if gamebook.rules.cases else []
