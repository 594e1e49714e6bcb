"""
Editions of a gamebook: who made it, which version it is, and a digest that tells whether it was changed since.

The digest is of what the gamebook says, not of how it is written: blanks, comments and the order of names do not count. It tells
a change that no one meant, or an edition from another; it proves nothing of who made it.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from hashlib import sha256
from typing import Any, Final

from zerrit.core.documents import Format, read_document
from zerrit.core.gamebooks.gamebook import Gamebook
from zerrit.core.gamebooks.rule_edits import with_part, without_part

EDITION: Final = "edition"
DIGEST: Final = "digest"


def digest_of(data: Mapping[str, Any]) -> str:
    """The digest of what a gamebook says, without the digest that is in it (SHA-256 of its JSON with sorted names)."""
    edition = {key: value for key, value in (data.get(EDITION) or {}).items() if key != DIGEST}
    own = {key: value for key, value in data.items() if key != EDITION} | ({EDITION: edition} if edition else {})
    text = json.dumps(own, sort_keys=True, ensure_ascii=False, separators=(",", ":"), default=str)
    return sha256(text.encode()).hexdigest()


def signed(gamebook: Gamebook, author: str, version: str) -> str:
    """The text of a gamebook with its edition: author, version, and the digest of what it says with them."""
    edition = {"author": author, "version": version}
    text = with_part(gamebook.source.text, (EDITION,), edition)
    data = read_document(text.encode(), gamebook.source.path, format=Format.YAML).to_data()
    return with_part(text, (EDITION,), {**edition, DIGEST: digest_of(data if isinstance(data, dict) else {})})


@dataclass(frozen=True, slots=True)
class EditionState:
    """What a gamebook says of its edition. `is_unchanged` is None where it has no digest."""

    author: str
    version: str
    is_unchanged: bool | None

    def __str__(self) -> str:
        name = " ".join(
            filter(
                None,
                (
                    f"edition {self.version}" if self.version else "an edition",
                    f"of {self.author}" if self.author else "",
                ),
            )
        )
        said = {None: "without a digest", True: "unchanged since", False: "changed since"}
        return f"{name[0].upper()}{name[1:]}, {said[self.is_unchanged]}."


def edition_of(gamebook: Gamebook) -> EditionState | None:
    """The edition of a gamebook; None where it says nothing of one."""
    edition = gamebook.rules.edition
    if edition is None:
        return None
    unchanged = digest_of(gamebook.data) == edition.digest if edition.digest else None
    return EditionState(edition.author, edition.version, unchanged)


def without_edition(text: str) -> str:
    """The text of a gamebook without its edition, which is of the text as it was alone."""
    data = read_document(text.encode(), "gamebook.yml", format=Format.YAML).to_data()
    return without_part(text, (EDITION,)) if isinstance(data, dict) and EDITION in data else text
