"""One sign for one meaning, in the command line, in reports and in the console (`KindMark.tsx`); a word is always beside it."""

from __future__ import annotations

from typing import Final

SIGNS: Final = {
    "added": "▲",
    "removed": "▼",
    "changed": "◆",
    "executable": "◆",
    "not-executable": "◆",
    "empty-folder-added": "▲",
    "empty-folder-removed": "▼",
    "moved": "↕",
    "renamed": "≡",
    "comment": "¶",
    "layout": "·",
    "add": "▲",
    "combine": "◆",
    "replace": "◈",
    "same": "=",
    "skip": "×",
    "ask": "?",
    "conflict": "✕",
    "error": "■",
    "warning": "●",
    "notice": "○",
    "waived": "⊘",
}
