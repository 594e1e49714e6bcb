"""Bundles are drafted where folders side by side say their own names, and nowhere else."""

from __future__ import annotations

from zerrit.core.drafting import draft
from zerrit.core.gamebooks import read_gamebook

ON = {
    f"ext/{name}/info.json": f'{{"id": "{name}", "release": "{version}", "after": [{after}]}}'.encode()
    for name, version, after in (("mill", "1.2.0", ""), ("weir", "0.9.1", '"mill"'), ("lock", "2.0.0", '"weir"'))
}
OFF = {"ext-off/gate/info.json": b'{"id": "gate", "release": "1.0.0", "after": []}'}


def _drafted(tree: dict[str, bytes]) -> str:
    text = draft([tree], "canal", "one tree")
    book, faults = read_gamebook(text.encode())
    assert book is not None, faults
    return text.partition("\nbundles:\n")[2]


def test_folders_that_say_their_own_name_are_bundles_with_their_manifest() -> None:
    assert _drafted({**ON, **OFF}).splitlines() == [
        "  - kind: ext  # 4 folders with info.json, which says their name",
        '    when_on: "ext/{}"',
        '    when_off: "ext-off/{}"  # which of the two is on cannot be seen for sure',
        '    manifest: {file: "ext/{}/info.json", name: "id", version: "release", needs: "after"}',
    ]


def test_folders_that_do_not_are_none() -> None:
    assert _drafted({"ext/mill/info.json": ON["ext/mill/info.json"]}) == "", "one folder shows nothing"
    other = {path: data.replace(b'"weir"', b'"other"', 1) for path, data in ON.items()}
    assert _drafted(other) == ""
    assert _drafted({"a/x.yml": b"a: 1\n", "b/y.yml": b"b: 2\n"}) == ""
