"""Archives as players of the made-up game would download them: sound ones, an upgrade, and some that must be refused."""

from __future__ import annotations

import io
import random
import tarfile
import zipfile
from collections.abc import Mapping
from functools import cache
from typing import Final

from zerrit.demo import world_files

SEED: Final = 4219
_PIECES: Final = 800
_PARTS: Final = ("bow", "stern", "keel", "rudder", "lamp", "winch", "bell")
_BYTES: Final = 8_000  #: of the largest piece; 800 of them are some 4 MB


@cache
def downloads() -> Mapping[str, bytes]:
    """Each archive by its file name."""
    return {
        "wreck-atlas-3.0.0.zip": _atlas(),
        "ship-parts-1.2.tar.gz": _tarred(_parts()),
        "kelp-songs-0.9.zip": _zipped(_addin("kelp-songs", "Kelp Songs", "0.9", needs="", station="3.0")),
        "slipway-1.0.zip": _zipped({**_addin("slipway", "Slipway", "1.0"), "../../launch.sh": b"#!/bin/sh\nexit 1\n"}),
        "harbour-pack-2.zip": _zipped(_nested()),
        "tidebell-1.4.2.zip": _zipped(_tidebell("1.4.2")),
        "tidebell-1.5.0.zip": _zipped(_tidebell("1.5.0")),
        "storm-settings.zip": _zipped(_settings()),
    }


def _addin(name: str, title: str, version: str, *, needs: str = "", station: str = "2.1") -> dict[str, bytes]:
    card = (
        f"card:\n  name: {name}\n  title: {title}\n  version: {version}\n  needs: [{needs}]\n  station: '{station}'\n"
    )
    settings = f"# {title} {version}\nsettings:\n  enabled: true\n"
    return {f"{name}/card.yml": card.encode(), f"{name}/settings.yml": settings.encode()}


def _atlas() -> bytes:
    """800 files, two of which the host refuses, with a readme beside them."""
    rng = random.Random(SEED)  # noqa: S311 (stand-ins for pictures)
    found = _addin("wreck-atlas", "Wreck Atlas", "3.0.0", needs="wreckmarks")
    for number in range(_PIECES - len(found) - 2):
        size = rng.randint(2_000, _BYTES)
        found[f"wreck-atlas/plates/{number // 50:02}/plate-{number:03}.dat"] = b"\0PLATE" + rng.randbytes(size)
    found["wreck-atlas/tools/plate-viewer.exe"] = b"MZ\0" + rng.randbytes(4_000)
    found["wreck-atlas/tools/install.exe"] = b"MZ\0" + rng.randbytes(4_000)
    found["READ-ME.txt"] = b"Wreck Atlas 3.0\r\n\r\nPut the folder wreck-atlas into addins. It needs Wreck Marks.\r\n"
    return _zipped(found)


def _parts() -> dict[str, bytes]:
    """Seven bundles in one archive, of which one is chosen."""
    found: dict[str, bytes] = {"ship-parts/about.txt": b"Choose the parts that you need.\n"}
    for name in _PARTS:
        files = _addin(f"part-{name}", f"Ship part: {name}", "1.2")
        found |= {f"ship-parts/{path}": data for path, data in files.items()}
    return found


def _nested() -> dict[str, bytes]:
    """An archive that holds nothing but three archives."""
    return {
        f"harbour-pack/{name}.zip": _zipped(_addin(name, name.title(), "2.0")) for name in ("quay", "crane", "ferry")
    }


def _tidebell(version: str) -> dict[str, bytes]:
    """The add-in as it ships; its next version has another volume, a new setting, and one less."""
    shipped = {
        path.removeprefix("addins/"): data
        for path, data in world_files.default_files().items()
        if path.startswith("addins/tidebell/")
    }
    if version == "1.4.2":
        return shipped
    settings = shipped["tidebell/settings.yml"].decode()
    settings = settings.replace("Tide Bell 1.4", "Tide Bell 1.5").replace("  ring_for_restart: true\n", "")
    settings = settings.replace("volume: 0.7", "volume: 0.8")
    settings += "  # Rings twice when the water is at its lowest.\n  twice_at_low_water: true\n"
    card = shipped["tidebell/card.yml"].decode().replace("1.4.2", version)
    return {**shipped, "tidebell/settings.yml": settings.encode(), "tidebell/card.yml": card.encode()}


def _settings() -> dict[str, bytes]:
    """Settings of a stormy season, prepared to take the place of those that are there."""
    files = world_files.default_files()
    storm = files["sea/happenings/highwater.xml"].decode().replace('every="360"', 'every="180"')
    return {"happenings/highwater.xml": storm.encode(), "happenings/icewater.xml": files["sea/happenings/icewater.xml"]}


def _zipped(files: Mapping[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w") as packed:
        for path, data in files.items():
            packed.writestr(zipfile.ZipInfo(path, (2026, 3, 1, 12, 0, 0)), data)
    return buffer.getvalue()


def _tarred(files: Mapping[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w:gz") as packed:
        for path, data in files.items():
            info = tarfile.TarInfo(path)
            info.size = len(data)
            packed.addfile(info, io.BytesIO(data))
    return buffer.getvalue()
