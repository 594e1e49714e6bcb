"""A made-up game whose bundles have other shapes than the demo's: packed plugins, beds with key files, a start line."""

from __future__ import annotations

import io
import tarfile
import zipfile
from collections.abc import Mapping, Sequence
from hashlib import sha256

from zerrit.core.archives import open_archive
from zerrit.core.bundles.installed import InstalledBundle, installed_bundles
from zerrit.core.bundles.installing import Sources
from zerrit.core.bundles.inventory import Inventory, look_into
from zerrit.core.examination.game_files import Files, gather_files
from zerrit.core.gamebooks import Gamebook, read_gamebook
from zerrit.core.steps import OutcomeKind, Replay, Step, replay

GAMEBOOK = """gamebook: 1
game: greenhouse
files:
  start.bat:
    slots:
      beds: {pattern: "-beds={}", separator: ";"}
bundles:
  - kind: sprayer
    when_on: sprayers/{}.crate
    when_off: store/{}.crate.off
    manifest:
      file: sprayers/{}.crate!/info.properties
      name: id
      version: release
      needs: wants
      game: for.house
    loaded: 'opened crate (?P<name>\\S+)'
    reload: crate again {}
  - kind: bed
    when_on: "@{}"
    beside: ["keys/{}.key"]
    listed: ["start.bat#beds", "house.json#watered", "plots.xml#plot/@bed"]
    manifest:
      file: "@{}/bed.lua"
      name: 'name = "{}"'
      version: 'version = "{}"'
      needs: 'after = "{}"'
      template: |
        name = "{name}"
        version = "{version}"
    settings: ["*.ini"]
  - kind: picture
    when_on: pictures/{}
"""


def crate(name: str, version: str, wants: str = "", house: str = "") -> bytes:
    """A plugin that is packed as a ZIP, with its manifest inside."""
    lines = [f"id={name}", f"release={version}", *([f"wants={wants}"] if wants else [])]
    lines += [f"for.house={house}"] if house else []
    return zipped({"info.properties": "\n".join(lines) + "\n", "code.bin": b"\x00code"})


def zipped(files: Mapping[str, str | bytes]) -> bytes:
    """A ZIP of files."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for path, data in files.items():
            packed.writestr(path, data)
    return buffer.getvalue()


def tarred(files: Mapping[str, str | bytes]) -> bytes:
    """A compressed TAR of files."""
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w:gz") as packed:
        for path, data in files.items():
            info = tarfile.TarInfo(path)
            raw = data.encode() if isinstance(data, str) else data
            info.size = len(raw)
            packed.addfile(info, io.BytesIO(raw))
    return buffer.getvalue()


SERVER: Mapping[str, bytes] = {
    "start.bat": b"@echo off\r\nhouse.exe -beds=@fern;@moss -port=7\r\n",
    "house.json": b'{\n  "warm": true,\n  "watered": [\n    "fern",\n    "moss"\n  ]\n}\n',
    "plots.xml": b'<plots>\n  <plot bed="fern" rows="2"/>\n  <plot bed="moss" rows="1"/>\n</plots>\n',
    "@fern/bed.lua": b'name = "fern"\nversion = "1.0"\n',
    "@fern/water.ini": b"; litres a day\nDaily=4\n",
    "keys/fern.key": b"fern-key\n",
    "@moss/bed.lua": b'name = "moss"\nversion = "2.1"\nafter = "fern"\n',
    "keys/moss.key": b"moss-key\n",
    "sprayers/mist.crate": crate("mist", "3.2"),
    "store/fog.crate.off": crate("fog", "1.1", "mist"),
}


class House:
    """The files of a server of that game, and what can be asked of them."""

    def __init__(self, contents: Mapping[str, bytes] = SERVER, gamebook: str = GAMEBOOK) -> None:
        # In the lists of this house a bed is named with its sign in the start line only, so each list has its own words.
        book, faults = read_gamebook(gamebook.encode())
        assert book is not None, faults
        self.gamebook: Gamebook = book
        self.contents = dict(contents)
        self.files: Files = gather_files(self.contents, book)
        self.store = {sha256(data).hexdigest(): data for data in self.contents.values()}
        self.others = {path: sha256(self.contents[path]).hexdigest() for path in self.files.others}
        self.files = Files(self.files.documents, self.others, self.contents.get, self.files.query)

    @property
    def installed(self) -> tuple[InstalledBundle, ...]:
        return installed_bundles(self.gamebook.rules.bundles, self.files)

    def called(self, name: str) -> InstalledBundle:
        return next(one for one in self.installed if one.name == name)

    def look(self, archive: bytes, file_name: str, refused: Sequence[str] = ()) -> Inventory:
        with open_archive(io.BytesIO(archive)) as opened:
            return look_into(opened, file_name, self.gamebook.rules.bundles, self.installed, self.contents, refused)

    def keep(self, archive: bytes) -> dict[str, str]:
        """The digests of the files of an archive, by their path in it; their contents can be loaded from now on."""
        with open_archive(io.BytesIO(archive)) as opened:
            contents = {member.path: data for member, data in opened.contents()}
        digests = {path: sha256(data).hexdigest() for path, data in contents.items()}
        self.store |= {digests[path]: data for path, data in contents.items()}
        return digests

    @property
    def sources(self) -> Sources:
        return Sources(self.files, self.gamebook.read, self.store.__getitem__)

    def after(self, steps: Sequence[Step]) -> House:
        """The server after steps, all of which can be made."""
        made: Replay = replay(
            self.files.documents, steps, self.gamebook.read, self.files.others, self.store.__getitem__
        )
        for step, outcome in zip(steps, made.outcomes, strict=True):
            assert outcome.kind is OutcomeKind.DONE, (step.kind, step.address, outcome.message)
        contents = {path: document.to_bytes() for path, document in made.documents.items()}
        contents |= {path: self.store[digest] for path, digest in made.others.items()}
        house = House(contents)
        house.store |= self.store
        return house
