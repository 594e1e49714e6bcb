"""Where the files of an archive go on a server."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from zerrit.core.bundles.manifest import manifest_path
from zerrit.core.bundles.paths import is_folder, name_in, path_for
from zerrit.core.errors import EditRefused
from zerrit.core.expressions import compile_pattern
from zerrit.core.paths import safe_path

if TYPE_CHECKING:
    from zerrit.core.rules.bundles import BundleRules


@dataclass(frozen=True, slots=True)
class Placement:
    """Archive paths by the server's paths, and texts that are made: a manifest for files that came without one."""

    kind: str
    name: str
    files: Mapping[str, str]
    made: Mapping[str, str] = field(default_factory=dict)

    @property
    def paths(self) -> list[str]:
        """Every path on the server."""
        return sorted({*self.files, *self.made})


def placed(
    rules: BundleRules, name: str, root: str, members: Iterable[str], *, title: str = "", version: str = ""
) -> Placement:
    """The files of an archive below `root` as a bundle that is on.

    A file that is like one of the files beside goes there; in a kind of single files, what fits none is left out.

    Raises EditRefused: the name is none that the kind has, or no file fits.
    """
    _require_name(rules, name)
    files: dict[str, str] = {}
    for member in members:
        if root and not member.startswith(f"{root}/"):
            continue
        target = _target(rules, name, member[len(root) :].lstrip("/"))
        if target is not None:
            files[safe_path(target)] = member
    if not files:
        raise EditRefused(
            f"No file of the archive fits the kind {rules.kind} under the name {name}. Choose another kind or name."
        )
    return Placement(rules.kind, name, files, _made(rules, name, files, title or name, version or "0.0"))


def in_folder(folder: str, root: str, members: Iterable[str]) -> Placement:
    """The files of an archive below `root`, as they are, in a folder of the server. Raises EditRefused: there are none."""
    to = folder.strip("/")
    inside = [member for member in members if not root or member.startswith(f"{root}/")]
    if not inside:
        raise EditRefused(f"The archive has no file in {root}.")
    tails = {member: member[len(root) :].lstrip("/") for member in inside}
    return Placement("", to, {safe_path(f"{to}/{tail}" if to else tail): member for member, tail in tails.items()})


def _target(rules: BundleRules, name: str, tail: str) -> str | None:
    """Where a file goes: into the folder of the bundle, or to the place of a file that is like it."""
    base = tail.rpartition("/")[2]
    for pattern in (*rules.beside, *rules.when_on):
        if not is_folder(pattern) and name_in(pattern.rpartition("/")[2], base) == name:
            return path_for(pattern, name)
    home = next((pattern for pattern in rules.when_on if is_folder(pattern)), None)
    return f"{path_for(home, name)}/{tail}" if home is not None else None


def _made(rules: BundleRules, name: str, files: Mapping[str, str], title: str, version: str) -> dict[str, str]:
    path, inside = manifest_path(rules, name)
    if rules.manifest is None or not rules.manifest.template or inside or path in files:
        return {}
    text = rules.manifest.template
    for word, value in (("name", name), ("title", title), ("version", version)):
        text = text.replace(f"{{{word}}}", value)
    return {path: text if text.endswith("\n") else f"{text}\n"}


def _require_name(rules: BundleRules, name: str) -> None:
    safe_path(name)
    if "/" in name or (rules.naming and compile_pattern(rules.naming).fullmatch(name) is None):
        form = f" It must fit `{rules.naming}`." if rules.naming else ""
        raise EditRefused(f"`{name}` is not a name for the kind {rules.kind}.{form} Choose another name.")


def kind_called(kinds: Sequence[BundleRules], kind: str) -> BundleRules:
    """The kind with that name. Raises EditRefused: there is none, with those that there are."""
    found = next((one for one in kinds if one.kind == kind), None)
    if found is None:
        known = ", ".join(one.kind for one in kinds)
        hint = f" It has: {known}." if known else " It has none: add `bundles` to it."
        raise EditRefused(f"The gamebook has no kind of bundle called `{kind}`.{hint}")
    return found
