"""What a binary file is: its kind by its first bytes, its size, its hash."""

from __future__ import annotations

from typing import Final

LOOKED_AT: Final = 64  # bytes; every known kind shows itself in fewer
_KINDS: Final = (
    (b"PK\x03\x04", "ZIP archive"),
    (b"PK\x05\x06", "empty ZIP archive"),
    (b"\x1f\x8b", "gzip archive"),
    (b"7z\xbc\xaf\x27\x1c", "7z archive"),
    (b"Rar!", "RAR archive"),
    (b"BZh", "bzip2 archive"),
    (b"\xfd7zXZ", "xz archive"),
    (b"SQLite format 3\x00", "SQLite database"),
    (b"\x89PNG", "PNG picture"),
    (b"\xff\xd8\xff", "JPEG picture"),
    (b"GIF8", "GIF picture"),
    (b"DDS ", "DDS texture"),
    (b"OggS", "Ogg sound"),
    (b"RIFF", "RIFF container (sound or picture)"),
    (b"%PDF", "PDF document"),
    (b"\x7fELF", "program (ELF)"),
    (b"MZ", "program (Windows)"),
    (b"\xca\xfe\xba\xbe", "Java class"),
)


def describe_binary(start: bytes, size: int, digest: str) -> str:
    """`ZIP archive, 1,204 bytes, SHA-256 …`; `start` are the first bytes, `digest` is empty where it is not known."""
    kind = next((name for sign, name in _KINDS if start.startswith(sign)), "binary file")
    return f"{kind}, {size:,} bytes, {f'SHA-256 {digest}' if digest else 'content not kept'}"
