"""
Why a rule could not be measured: its places exist in no file, its list has no words, what it compares cannot be read.

Such a rule has no violations, but it is not satisfied either; whoever reads "satisfied" believes that someone looked.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from zerrit.core.addresses import parse_address
from zerrit.core.checks.check_context import Examination, Unknown
from zerrit.core.checks.comparison_rules import point_of, unreadable
from zerrit.core.checks.word_lists import words_of
from zerrit.core.documents import Document
from zerrit.core.documents.file_selection import place_below
from zerrit.core.documents.scalars import as_number
from zerrit.core.gamebooks import (
    AdviceRule,
    AgreeRule,
    AlikeRule,
    BalanceRule,
    ChecklistRule,
    DerivedRules,
    FieldRules,
    FileNameRule,
    FolderNames,
    InUseRule,
    MustRule,
    NearRule,
    NeedsRule,
    OneOfRule,
    PackedRule,
    PlacedRule,
    PresentRule,
    ReferRule,
    SameRule,
    Table,
    UniqueRule,
)
from zerrit.core.gamebooks.rules import EntryRules
from zerrit.core.paths import file_stems, folder_names
from zerrit.core.wildcards import path_matches


def why_unmeasured(examination: Examination, placed: PlacedRule) -> str:
    """The first reason why a rule was not measured, without a full stop; empty where it was."""
    return next(_reasons(examination, placed), "")


def _reasons(examination: Examination, placed: PlacedRule) -> Iterator[str]:  # noqa: C901, PLR0912  # a table of cases
    rule, location = placed.rule, placed.location
    match rule:
        case FieldRules():
            yield from _nowhere(examination, [_in_entry(location, rule.path or str(location[-1]))])
            yield from _wordless(examination, rule.allowed if isinstance(rule.allowed, str) else "")
        case MustRule() if location[0] == "files":
            yield from _unknown_fields(examination, rule, location)
        case MustRule():
            spoken = rule.condition.names | (rule.only_if.names if rule.only_if is not None else frozenset())
            yield from _nowhere(examination, [rule.let[name] for name in sorted(spoken) if name in rule.let])
        case ReferRule():
            yield from _nowhere(examination, [rule.every])
            yield from _wordless(examination, rule.list_name)
        case UniqueRule():
            yield from _nowhere(examination, rule.over)
        case AgreeRule():
            texts = [place for place in (*rule.sources, rule.every) if isinstance(place, str) and place]
            yield from _nowhere(examination, texts)
            for names in rule.sources:
                if not isinstance(names, str):
                    is_folder = isinstance(names, FolderNames)
                    pattern = names.folder if isinstance(names, FolderNames) else names.file
                    found = (folder_names if is_folder else file_stems)(pattern, examination.paths)
                    yield from () if found else (f"nothing fits {pattern}",)
        case SameRule():
            yield from _empty_table(examination, rule.table)
            yield from _empty_table(examination, rule.other)
        case NeedsRule():
            yield from _nowhere(examination, [rule.each, f"{rule.each}/{rule.name}", f"{rule.each}/{rule.requires}"])
            yield from _wordless(examination, rule.list_name)
        case OneOfRule():
            yield from _wordless(examination, rule.list_name)
        case PresentRule():
            yield from _wordless(examination, rule.list_name)
        case FileNameRule():
            if not any(path_matches(rule.files, path) for path in examination.paths):
                yield f"no file fits {rule.files}"
            yield from _wordless(examination, rule.list_name)
        case InUseRule():
            yield from _nowhere(examination, [rule.value])
        case PackedRule():
            if not any(path.startswith(f"{rule.folder.rstrip('/')}/") for path in examination.paths):
                yield f"there is no folder {rule.folder}"
            if rule.into not in examination.paths:
                yield f"there is no file {rule.into}"
        case AlikeRule():
            yield from _nowhere(examination, [rule.each, *(f"{rule.each}/{place}" for place in rule.fields)])
        case NearRule():
            yield from _unreadable_points(examination, rule)
        case BalanceRule():
            yield from _nowhere(examination, [rule.sum])
            nodes = examination.nodes(rule.sum)
            if nodes and all(as_number(node.value or "") is None for _, node in nodes):
                yield f"{rule.sum} holds no number"
        case AdviceRule():
            yield from _nowhere(examination, [rule.every])
        case DerivedRules():
            yield from _nowhere(examination, [rule.each, f"{rule.each}/{rule.value}"])
        case ChecklistRule():
            yield from _nowhere(examination, [rule.after])


def _in_entry(location: tuple[int | str, ...], place: str) -> str:
    return f"{location[1]}#{location[3]}/{place}"


def _nowhere(examination: Examination, addresses: Iterable[str]) -> Iterator[str]:
    """Addresses at which nothing is, in any file."""
    for text in addresses:
        documents = examination.matching(parse_address(text).path)
        broken = next((document.path for document in documents if not document.ok), "")
        if broken:
            yield f"{broken} has an error"
        elif not documents:
            yield f"there is no file {parse_address(text).path}"
        elif not any(is_somewhere(examination, document, text) for document in documents):
            yield f"nothing is at {text}"


def is_somewhere(examination: Examination, document: Document, text: str) -> bool:
    """Something is at the address in one document; most have values, which are looked at already."""
    return bool(examination.values_in(document, text).texts) or bool(examination.nodes_in(document, text))


def _wordless(examination: Examination, name: str) -> Iterator[str]:
    if not name:
        return
    try:
        words = words_of(examination, name)
    except Unknown:
        yield f"the list {name} cannot be read"
        return
    if not words:
        yield f"the list {name} has no words"


def _unknown_fields(examination: Examination, rule: MustRule, location: tuple[int | str, ...]) -> Iterator[str]:
    entry: EntryRules = examination.gamebook.rules.files[str(location[1])].entries[str(location[3])]
    spoken = rule.condition.names | (rule.only_if.names if rule.only_if is not None else frozenset())
    places = [entry.fields[name].path or name for name in sorted(spoken) if name in entry.fields]
    yield from _nowhere(examination, [_in_entry(location, place) for place in places])


def _empty_table(examination: Examination, table: Table) -> Iterator[str]:
    if table.sql is None:
        yield from _nowhere(examination, [table.each, f"{table.each}/{table.key}", f"{table.each}/{table.value}"])
    elif table.sql.database not in examination.paths:
        yield f"there is no file {table.sql.database}"


def _unreadable_points(examination: Examination, rule: NearRule) -> Iterator[str]:
    yield from _nowhere(examination, [rule.each, rule.target])
    for address, places in ((rule.each, rule.coordinates), (rule.target, rule.target_coordinates or rule.coordinates)):
        nodes = examination.nodes(address)
        if nodes and not any(point_of(document, node, places) for document, node in nodes):
            document, node = nodes[0]
            yield unreadable(document, node, places)
    if not isinstance(rule.distance, str):
        return
    if not any(place_below(document, node, rule.distance) for document, node in examination.nodes(rule.target)):
        yield f"{rule.target} has no {rule.distance}"
