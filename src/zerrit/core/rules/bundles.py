"""What a game's plugins, mods, maps and packs are made of, and what says that one is on."""

from __future__ import annotations

import re
from collections.abc import Iterator

from pydantic import Field, field_validator, model_validator

from zerrit.core.documents.slots import PLACE
from zerrit.core.paths import INSIDE
from zerrit.core.rules.base import Name, Part, Pattern, Texts
from zerrit.core.rules.word_uses import PathsLike, ValuesAt, WordUse


class ManifestRules(Part):
    """The file in which a bundle says what it is. Each value is an address in it, or text of a line with {} in its place."""

    file: Name = Field(
        description="its path, with {} for the name of the bundle; behind a `!` a path inside of a packed file"
    )
    name: str = Field("", max_length=200, description="the bundle's own name; by default that of its folder or file")
    title: str = Field("", max_length=200, description="the name for people")
    version: str = Field("", max_length=200, description="its version")
    needs: str = Field("", max_length=200, description="the names of other bundles that must be on")
    game: str = Field("", max_length=200, description="the version of the game that it is made for")
    template: str = Field(
        "",
        max_length=4000,
        description="a new manifest, with {name}, {title} and {version} in it, for files without one; an unknown version is 0.0",
    )

    @field_validator("file")
    @classmethod
    def _one_hole(cls, file: str) -> str:
        if file.count(PLACE) != 1:
            raise ValueError("the path has {} once, where the name of the bundle is")
        return file


class BundleRules(Part):
    """One kind of bundle: a plugin, a mod, a map."""

    kind: Name = Field(description="what such a bundle is called, such as plugin")
    when_on: Texts = Field(
        description="where it is when it is on, with {} for its name: a folder such as `plugins/{}`, or files such as `mods/{}.pak`",
        min_length=1,
    )
    when_off: Texts = Field(
        (), description="where the same is when it is off, in the same order; none where it stays in its place"
    )
    beside: Texts = Field(
        (), description="other files that belong to it and stay in their place, such as `keys/{}.key`"
    )
    listed: Texts = Field(
        (), description="addresses of the lists or start parameters that name what is on, in their order"
    )
    manifest: ManifestRules | None = Field(None, description="the file in which it says what it is")
    naming: Pattern = Field("", description="a regular expression that its name must fit completely")
    settings: Texts = Field(
        (),
        description="path patterns of the files in it that admins edit; by default all that are settings by their ending",
    )
    loaded: Pattern = Field(
        "", description="a regular expression of the log line that says it was loaded, with the name as (?P<name>…)"
    )
    reload: str = Field(
        "", max_length=200, description="the console command that loads one again, with {} for its name"
    )

    @field_validator("when_on", "when_off", "beside")
    @classmethod
    def _holes(cls, paths: tuple[str, ...]) -> tuple[str, ...]:
        wrong = next((path for path in paths if path.count(PLACE) != 1 or path.startswith("/")), None)
        if wrong is not None:
            raise ValueError(f"`{wrong}` has {{}} once, where the name of the bundle is, and does not begin with `/`")
        return paths

    @field_validator("loaded")
    @classmethod
    def _names(cls, pattern: str) -> str:
        if pattern and "(?P<name>" not in pattern:
            raise ValueError("the pattern says with (?P<name>…) where the name of the bundle is")
        return pattern

    @field_validator("listed")
    @classmethod
    def _addresses(cls, places: tuple[str, ...]) -> tuple[str, ...]:
        wrong = next((place for place in places if not re.fullmatch(r"[^#]+#.+", place)), None)
        if wrong is not None:
            raise ValueError(f"`{wrong}` is not an address; write FILE#PLACE, such as mods/order.txt#mod")
        return places

    @model_validator(mode="after")
    def _fits(self) -> BundleRules:
        if self.when_off and len(self.when_off) != len(self.when_on):
            raise ValueError("`when_off` says where each of the paths of `when_on` goes, in the same order")
        return self

    def word_uses(self) -> Iterator[WordUse]:
        """Where the names of such bundles stand: in paths, in the lists of what is on, in manifests."""
        yield from (PathsLike(pattern, "place") for pattern in (*self.when_on, *self.when_off, *self.beside))
        for address in self.listed:
            yield ValuesAt(address)
            yield ValuesAt(f"{address}/*")
        if self.manifest is not None and INSIDE not in self.manifest.file:
            places = [place for place in (self.manifest.name, self.manifest.needs) if place and PLACE not in place]
            for file in self._manifests(self.manifest.file):
                yield PathsLike(file, "place")
                for place in places:
                    address = f"{file.replace(PLACE, '*')}#{place}"
                    yield from (ValuesAt(address), ValuesAt(f"{address}/*"))

    def _manifests(self, file: str) -> Iterator[str]:
        """Where the manifest is when a bundle is on, and when it is off."""
        yield file
        for on, off in zip(self.when_on, self.when_off, strict=False):
            if file == on or file.startswith(f"{on}/"):
                yield off + file[len(on) :]

    @property
    def can_be_off(self) -> bool:
        """There is a way to switch one off: another folder, or a list that it is taken out of."""
        return bool(self.when_off or self.listed)
