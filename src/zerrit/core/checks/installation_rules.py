"""Checks of what is installed and switched on: needs, versions, seals, file names, packed folders."""

from __future__ import annotations

import zlib
from collections.abc import Iterator, Mapping
from pathlib import PurePosixPath

from zerrit.core.addresses import parse_node_address
from zerrit.core.archives import ArchiveBroken, sums_in
from zerrit.core.checks.check_context import Examination, Placed, Unknown
from zerrit.core.checks.condition_fields import Around, with_more
from zerrit.core.checks.word_lists import word_places, words_of
from zerrit.core.documents import CODES, Finding
from zerrit.core.documents.file_selection import below
from zerrit.core.documents.selection import select
from zerrit.core.gamebooks import FileNameRule, NeedsRule, OneOfRule, PackedRule, PresentRule, compile_pattern
from zerrit.core.nearest import did_you_mean
from zerrit.core.wildcards import path_matches


def check_needs(examination: Examination) -> Iterator[Finding]:
    """What needs something else has it, and before it where the order counts."""
    for number, rule in enumerate(examination.gamebook.rules.needs):
        try:
            documents = examination.sound(rule.each)
            on = word_places(examination, rule.list_name)
            off = words_of(examination, rule.off_list) if rule.off_list else ()
        except Unknown:
            continue
        yield from examination.findings_of(("needs", number), (*documents, on, off), _needs, rule, on, off)


def _needs(
    examination: Examination, rule: NeedsRule, on: Mapping[str, Placed | None], off: tuple[str, ...]
) -> Iterator[Finding]:
    order = {word: position for position, word in enumerate(on)}
    segments = parse_node_address(rule.requires)
    for document, entry in examination.nodes(rule.each):
        named = below(entry, rule.name)
        own = named.value if named is not None else None
        if own is None or own not in order:
            continue
        for node in select(entry, document.keys, segments):
            needed = node.value or ""
            fields = with_more(Around(document, node), needed=needed, own=own)
            if needed not in order:
                message = f"{own} needs {needed}, which is not on."
                if needed in off:
                    hint = f"{needed} is here, but among those switched off ({rule.off_list})."
                else:
                    hint = did_you_mean(needed, on)
                yield examination.finding(rule, "meaning.needs", (document, node), message, hint, fields)
            elif rule.in_order and order[needed] > order[own]:
                place = on[own] or (document, node)
                message = f"{own} is before {needed}, which it needs; {needed} must come first."
                yield examination.finding(rule, "meaning.order", place, message, fields=fields)


def check_one_of(examination: Examination) -> Iterator[Finding]:
    """Only one version of a thing is on."""
    for number, rule in enumerate(examination.gamebook.rules.one_of):
        try:
            places = word_places(examination, rule.list_name)
        except Unknown:
            continue
        yield from examination.findings_of(("one_of", number), (places,), _one_of, rule, places)


def _one_of(examination: Examination, rule: OneOfRule, places: Mapping[str, Placed | None]) -> Iterator[Finding]:
    pattern = compile_pattern(rule.group_by)
    first: dict[str, str] = {}
    for word, place in places.items():
        match = pattern.fullmatch(word)
        stem = (match.group(1) if match.groups() else match.group()) if match else word
        other = first.setdefault(stem, word)
        if other != word:
            message = f"`{word}` and `{other}` are both on, but they are the same thing; only one of them may be."
            yield examination.finding(rule, "meaning.one-of", place or "", message)


def check_presence(examination: Examination) -> Iterator[Finding]:
    """Files that the gamebook calls by name are there."""
    if not examination.files.is_whole:
        return
    present = frozenset(examination.paths)
    for pattern, rules in examination.gamebook.rules.files.items():
        if "*" not in pattern and "?" not in pattern and pattern not in present and not rules.optional:
            what = f" ({rules.purpose})" if rules.purpose else ""
            message = f"The gamebook knows {pattern}{what}, but it is not there."
            hint = did_you_mean(pattern, _beside(pattern, examination))
            yield Finding("gamebook.file-missing", CODES["gamebook.file-missing"].severity, message, pattern, hint=hint)
    for path in sorted(examination.gamebook.binaries - present):
        message = f"The gamebook looks into {path}, but it is not there."
        hint = did_you_mean(path, _beside(path, examination))
        yield Finding("gamebook.file-missing", CODES["gamebook.file-missing"].severity, message, path, hint=hint)
    for rule in examination.gamebook.rules.present:
        yield from _present(examination, rule, present)


def _beside(path: str, examination: Examination) -> list[str]:
    """Paths that no rule of a file fits: one of them may be the missing one under a wrong name."""
    folder = PurePosixPath(path).parent
    return [p for p in examination.paths if PurePosixPath(p).parent == folder and examination.gamebook.file(p) is None]


def _present(examination: Examination, rule: PresentRule, present: frozenset[str]) -> Iterator[Finding]:
    if not rule.list_name:
        if rule.file not in present:
            hint = did_you_mean(rule.file, _beside(rule.file, examination))
            yield examination.finding(rule, "meaning.file-missing", rule.file, f"{rule.file} is not there.", hint)
        return
    try:
        places = word_places(examination, rule.list_name)
    except Unknown:
        return
    for word, place in places.items():
        path = rule.file.replace("{}", word)
        if path not in present:
            message = f"`{word}` needs the file {path}, which is not there."
            hint = did_you_mean(path, _beside(path, examination))
            fields = {"word": (word,), "file": (path,)}
            yield examination.finding(rule, "meaning.file-missing", place or path, message, hint, fields)


def check_file_names(examination: Examination) -> Iterator[Finding]:
    """Files that must have certain names to be read have one of them."""
    if not examination.files.is_whole:
        return  # a single file is given by the path that leads to it from here, which says nothing of its folder
    for rule in examination.gamebook.rules.file_names:
        try:
            known = _file_names(examination, rule)
        except Unknown:
            continue
        for path in examination.paths:
            name = PurePosixPath(path).name
            if not path_matches(rule.files, path) or name in known or PurePosixPath(path).stem in known:
                continue
            message = f"`{name}` is not a name that the game reads here, so the file has no effect."
            yield examination.finding(rule, "meaning.file-name", path, message, did_you_mean(name, known))


def _file_names(examination: Examination, rule: FileNameRule) -> tuple[str, ...]:
    return (*rule.only, *(words_of(examination, rule.list_name) if rule.list_name else ()))


def check_packed(examination: Examination) -> Iterator[Finding]:
    """The packed copy of a folder holds what the folder holds."""
    for number, rule in enumerate(examination.gamebook.rules.packed):
        archive = examination.files.data(rule.into)
        inside = f"{rule.folder.rstrip('/')}/"
        paths = [path for path in examination.paths if path.startswith(inside)]
        documents = tuple(examination.documents.get(path) for path in paths)
        if archive is not None:
            yield from examination.findings_of(
                ("packed", number), (archive, tuple(paths), *documents), _packed, rule, archive, paths
            )


def _packed(examination: Examination, rule: PackedRule, archive: bytes, paths: list[str]) -> Iterator[Finding]:
    folder = rule.folder.rstrip("/")
    try:
        sums = sums_in(archive)
    except ArchiveBroken as error:
        yield examination.finding(
            rule, "meaning.packed", rule.into, f"{rule.into} is no ZIP that can be read: {error}."
        )
        return
    for path in paths:
        name = path[len(folder) + 1 :]
        document = examination.documents.get(path)
        data = document.to_bytes() if document is not None else examination.files.data(path)
        if data is None:
            continue
        if name not in sums:
            message = f"{path} is not in {rule.into}, which is what the game reads. Pack the folder again."
        elif sums[name] != zlib.crc32(data):
            message = f"{path} is newer than its copy in {rule.into}, which is what the game reads. Pack it again."
        else:
            continue
        yield examination.finding(rule, "meaning.packed", path, message)
    for name in sums.keys() - {path[len(folder) + 1 :] for path in paths}:
        message = f"{rule.into} holds {name}, which is no longer in {folder}. Pack the folder again."
        yield examination.finding(rule, "meaning.packed", rule.into, message)
