"""Steps on complete files and folders, of any bytes: they are put, moved and removed."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from zerrit.core.addresses import parse_address
from zerrit.core.documents import MAX_BYTES, Document, Format
from zerrit.core.documents.database import HEADING, SERVER_HEADING
from zerrit.core.documents.value_edits import ValueChange
from zerrit.core.errors import AddressNotFound, EditRefused
from zerrit.core.nearest import nearest
from zerrit.core.paths import folders_of, pack_of, safe_path
from zerrit.core.wording import counted

if TYPE_CHECKING:
    from zerrit.core.gamebooks import Gamebook

Read = Callable[[bytes, str], Document]  #: how a file with these bytes at a path is read
Load = Callable[[str], bytes]  #: the content with a digest; raises LookupError where it is not kept

#: What stands for the digest of a file whose content is not kept: of a watched one, only size and time are known. Before a
#: deploy replaces, moves or removes it, it is read and kept.
NOT_KEPT = ""
#: The same for one that is larger than anything that is kept.
TOO_LARGE = "-"
EMPTY = "an empty folder"  #: how one is told of


def other_file(digest: str | None, size: int) -> str:
    """What stands for a file that is no text."""
    return digest or (TOO_LARGE if size > MAX_BYTES else NOT_KEPT)


def no_contents(digest: str) -> bytes:
    """For steps that bring no contents along."""
    raise LookupError(digest)


@dataclass(frozen=True, slots=True)
class Marks:
    """What the files of a server are besides their contents: which are executable, and which folders have nothing in them."""

    executable: frozenset[str] = frozenset()
    empty_folders: frozenset[str] = frozenset()


@dataclass(slots=True)
class FileState:
    """The files of a server while steps are made on them: texts, and all others by the digest of their content.

    By the rules of the `gamebook`, a word that is renamed is found in other files. `moved` are files without text that only
    have another path, by the one that they have now; `left` are the paths and folders that steps have taken away.
    """

    read: Read
    load: Load
    documents: dict[str, Document] = field(default_factory=dict)
    others: dict[str, str] = field(default_factory=dict)
    gamebook: Gamebook | None = None
    executable: set[str] = field(default_factory=set)
    empty_folders: set[str] = field(default_factory=set)
    moved: dict[str, str] = field(default_factory=dict)
    left: set[str] = field(default_factory=set)
    _packs: set[str] | None = field(default=None, repr=False)  #: packed files of which files are shown

    def __contains__(self, path: str) -> bool:
        return path in self.documents or path in self.others

    def copy(self) -> FileState:
        """The same, to try steps on."""
        return replace(
            self,
            documents=dict(self.documents),
            others=dict(self.others),
            executable=set(self.executable),
            empty_folders=set(self.empty_folders),
            moved=dict(self.moved),
            left=set(self.left),
            _packs=None,
        )

    @property
    def marks(self) -> Marks:
        """The marks as they are now: a folder into which a file was put is not empty any more."""
        filled = self.folders() | folders_of(self.empty_folders) if self.empty_folders else set()
        return Marks(frozenset(self.executable), frozenset(self.empty_folders - filled))

    def below(self, folder: str) -> list[str]:
        """Every file in a folder, and in the folders in it."""
        start = f"{folder}/"
        return sorted(path for path in (*self.documents, *self.others) if path.startswith(start))

    def put_text(self, path: str, text: str) -> list[ValueChange]:
        """The file becomes this text; one that is a text already keeps its encoding."""
        before = self.documents.get(path)
        if before is not None and before.text == text:
            return []
        if text.startswith((HEADING, SERVER_HEADING)) and (before is None or before.format is not Format.DATABASE):
            raise EditRefused(f"{path} is no database, so rows cannot be put into it. Put the database file itself.")
        old = self._described(path)
        self._require_kept(path)
        self.moved.pop(path, None)
        self.documents[path] = before.with_text(text) if before is not None else self.read(text.encode(), path)
        self.others.pop(path, None)
        return [ValueChange(path, old, counted(len(text.splitlines()), "line"))]

    def put(self, path: str, digest: str) -> list[ValueChange]:
        """The file becomes the content with a digest. Raises EditRefused: that content is not kept."""
        if self.others.get(path) == digest:
            return []
        try:
            data = self.load(digest)
        except LookupError as error:
            raise EditRefused(f"The content of {path} is not stored any more. Put the file again.") from error
        before = self.documents.get(path)
        if before is not None and before.to_bytes() == data:
            return []
        old = self._described(path)
        self._require_kept(path)
        self._forget_inside(path)
        self.moved.pop(path, None)
        document = self.read(data, path)
        if document.is_binary:
            self.documents.pop(path, None)
            self.others[path] = digest
            return [ValueChange(path, old, f"{len(data):,} bytes")]
        self.others.pop(path, None)
        self.documents[path] = document
        return [ValueChange(path, old, counted(len(document.text.splitlines()), "line"))]

    def _forget_inside(self, path: str) -> None:
        """What was in a packed file goes with it; what is in another one is known once it is on the server."""
        for inside in self._inside(path):
            self.documents.pop(inside, None)
            self.others.pop(inside, None)

    def _inside(self, path: str) -> list[str]:
        """The files in a packed file. Which there are is looked for once: a folder of thousands is put file by file."""
        if self._packs is None:
            self._packs = {pack_of(one) for one in (*self.documents, *self.others)} - {""}
        return self.below(f"{path}!") if path in self._packs else []

    def remove(self, path: str) -> ValueChange:
        """Take a file away."""
        self._require_kept(path)
        old = self._described(path)
        self._forget_inside(path)
        self.others.pop(path, None)
        self.documents.pop(path, None)
        self.executable.discard(path)
        self.moved.pop(path, None)
        self.left.add(path)
        return ValueChange(path, old, None)

    def move(self, path: str, target: str) -> ValueChange:
        """The file gets another path. Raises EditRefused: one is there already."""
        safe_path(target)
        if target in self:
            raise EditRefused(f"{target} is there already. Remove it first, or choose another name.")
        if target in self.left:
            self._require_kept(path)  # not a mere move: the host has another file there until the deploy
        for inside in self._inside(path):
            self.move(inside, target + inside[len(path) :])
        if path in self.documents:
            self.documents[target] = self.read(self.documents.pop(path).to_bytes(), target)
        else:
            self.others[target] = self.others.pop(path)
            self.moved[target] = self.moved.pop(path, path)
        if path in self.executable:
            self.executable.discard(path)
            self.executable.add(target)
        self.left.add(path)
        return ValueChange(path, path, target)

    def mark_executable(self, path: str, *, wanted: bool) -> list[ValueChange]:
        """The file may be run as a program, or may not."""
        if (path in self.executable) is wanted:
            return []
        (self.executable.add if wanted else self.executable.discard)(path)
        words = ("not executable", "executable")
        return [ValueChange(path, words[not wanted], words[wanted])]

    def add_folder(self, path: str) -> list[ValueChange]:
        """The folder is there, with nothing in it."""
        if path in self:
            raise EditRefused(f"{path} is a file on the server, and not a folder.")
        if path in self.folders() or path in self.empty_folders or path in folders_of(self.empty_folders):
            return []
        self.empty_folders.add(path)
        return [ValueChange(f"{path}/", None, EMPTY)]

    def take_folders(self, folder: str, keep: Collection[str] = ()) -> list[ValueChange]:
        """The empty folders at and below a path go, but for those to `keep`."""
        start = f"{folder}/"
        gone = sorted(one for one in self.empty_folders if (one == folder or one.startswith(start)) and one not in keep)
        self.empty_folders -= set(gone)
        self.left.add(folder)
        return [ValueChange(f"{one}/", EMPTY, None) for one in gone]

    def require_movable(self) -> None:
        """Raises EditRefused: a file that is too large to be kept would have to be written, not only moved."""
        for path, origin in self.moved.items():
            if self.others[path] == TOO_LARGE and origin in self:
                raise EditRefused(
                    f"{origin} is moved to {path} and is larger than {MAX_BYTES >> 20} MB, so nothing can come in its place in the "
                    "same change. Do that in a second one."
                )

    def folders(self) -> set[str]:
        """Every folder that a file is in."""
        return folders_of((*self.documents, *self.others))

    def require_no_file_in_the_place_of_a_folder(self) -> None:
        """Raises EditRefused: a path is that of a file and of a folder."""
        twice = next((path for path in sorted(self.folders() | self.empty_folders) if path in self), None)
        if twice is not None:
            raise EditRefused(f"{twice} would be a file and a folder at the same time. Choose another path.")

    def _described(self, path: str) -> str | None:
        if path in self.documents:
            return counted(len(self.documents[path].text.splitlines()), "line")
        return "a binary file" if path in self.others else None

    def _require_kept(self, path: str) -> None:
        """What a step takes away must be kept, or nothing could bring it back."""
        if self.others.get(path) == TOO_LARGE:
            raise EditRefused(
                f"{path} is larger than {MAX_BYTES >> 20} MB, the most that is kept of a file. A rollback could not bring it "
                "back, so no step replaces, moves or removes it."
            )


def put_file(
    state: FileState, address: str, content: str, digest: str, *, is_executable: bool | None = None
) -> list[ValueChange]:
    """One file becomes a text, or the content with a digest; executable or not, where that is said."""
    path = _one_path(address)
    changes = state.put(path, digest) if digest else state.put_text(path, content)
    return changes if is_executable is None else changes + state.mark_executable(path, wanted=is_executable)


def set_executable(state: FileState, address: str, *, wanted: bool) -> list[ValueChange]:
    """A file that is there becomes executable, or is not so any more."""
    path = _one_path(address)
    if path not in state:
        close = nearest(path, [*state.documents, *state.others])
        hint = f" Nearest: {', '.join(close)}." if close else ""
        raise AddressNotFound(f"The server has no file {path}.{hint}", path, path, 0, close)
    if pack_of(path):
        raise EditRefused(f"{path} is in a packed file; what may be run is said of files of their own only.")
    return state.mark_executable(path, wanted=wanted)


def add_folder(state: FileState, address: str) -> list[ValueChange]:
    """An empty folder; one that is there needs nothing."""
    return state.add_folder(_one_path(address))


def put_folder(
    state: FileState,
    address: str,
    files: Mapping[str, str],
    *,
    replace_all: bool,
    folders: Sequence[str] = (),
    executable: Sequence[str] = (),
) -> list[ValueChange]:
    """Files, by their paths in the folder and the digests of their contents; with `replace_all`, what else is in it goes.

    `folders` are empty ones in it, and `executable` those of the files that may be run.
    """
    folder = _one_path(address)
    wanted = {safe_path(f"{folder}/{inside}"): digest for inside, digest in files.items()}
    empty = [safe_path(f"{folder}/{inside}") for inside in folders]
    if not wanted and not empty:
        raise EditRefused("The folder has no files; nothing would be put. To make an empty folder, add it as such.")
    if folder in state:
        raise EditRefused(f"{folder} is a file on the server, and not a folder.")
    changes: list[ValueChange] = []
    if replace_all:
        changes += [state.remove(path) for path in state.below(folder) if path not in wanted and not pack_of(path)]
        changes += state.take_folders(folder, keep=empty)
    for path, digest in wanted.items():
        changes += state.put(path, digest)
    for inside in executable:
        if inside in files:
            changes += state.mark_executable(f"{folder}/{inside}", wanted=True)
    for one in empty:
        changes += state.add_folder(one)
    return changes


def move_file(state: FileState, address: str, target: str) -> list[ValueChange]:
    """A file, or a folder with all that is in it, gets another path."""
    path, new = _one_path(address), _one_path(target)
    if path in state:
        if state.below(new):
            raise EditRefused(f"{new} is a folder on the server. Write the new path of the file: {new}/{_name(path)}.")
        return [state.move(path, new)]
    inside = _required_below(state, path)
    if new == path or new.startswith(f"{path}/"):
        raise EditRefused(f"{path} cannot be moved into itself.")
    if new in state:
        raise EditRefused(f"{new} is a file on the server, and not a folder.")
    # What is in a packed file moves with it.
    changes = [state.move(one, new + one[len(path) :]) for one in inside if not pack_of(one)]
    for gone in state.take_folders(path):
        old = gone.address.rstrip("/")
        state.add_folder(new + old[len(path) :])
        changes.append(ValueChange(gone.address, gone.address, f"{new}{gone.address[len(path) :]}"))
    return changes


def remove_file(state: FileState, address: str) -> list[ValueChange]:
    """A file, or a folder with all that is in it, is taken away; one that is not there needs nothing."""
    path = _one_path(address)
    if path in state:
        return [state.remove(path)]
    gone = [state.remove(one) for one in state.below(path) if not pack_of(one)]
    return gone + state.take_folders(path)


def _required_below(state: FileState, folder: str) -> list[str]:
    inside = state.below(folder)
    start = f"{folder}/"
    if not inside and not any(one == folder or one.startswith(start) for one in state.empty_folders):
        close = nearest(folder, [*state.folders(), *state.documents, *state.others])
        hint = f" Nearest: {', '.join(close)}." if close else ""
        raise AddressNotFound(f"The server has no file or folder {folder}.{hint}", folder, folder, 0, close)
    return inside


def _one_path(text: str) -> str:
    address = parse_address(text.rstrip("/") or text)
    if address.segments or address.is_pattern:
        raise EditRefused(f"{text} is not one file; write the path of a file or folder alone.")
    return safe_path(address.path)


def _name(path: str) -> str:
    return path.rpartition("/")[2]
