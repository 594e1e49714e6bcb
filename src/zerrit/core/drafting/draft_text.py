"""A draft as the text of a gamebook, each rule with what speaks for it in a comment."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Final

from zerrit.core.addresses import FILE_ITSELF, NamePattern, print_kind
from zerrit.core.drafting.bundle_inference import bundles
from zerrit.core.drafting.embedded_references import embedded_references
from zerrit.core.drafting.equal_columns import equal_columns
from zerrit.core.drafting.field_inference import Knowledge, confidence, field_name, infer, orders
from zerrit.core.drafting.file_name_inference import name_forms
from zerrit.core.drafting.gate_inference import gates
from zerrit.core.drafting.guesses import Guess, said_in_files
from zerrit.core.drafting.installation_inference import Needs, in_use, narrowed, needs, packed, same_orders
from zerrit.core.drafting.log_inference import KeptLog, learn_from_logs
from zerrit.core.drafting.observations import Column, Entries, Kind, Sort, columns_of, observe
from zerrit.core.drafting.reference_inference import (
    Reference,
    Target,
    address,
    agreements,
    families,
    mark_maps,
    name_references,
    references,
    targets,
    variants,
)
from zerrit.core.drafting.sum_inference import EqualSums, equal_sums, kept_sums
from zerrit.core.wording import counted

_PLAIN: Final = re.compile(r"[A-Za-z][\w .-]*[\w]\Z|[A-Za-z]\Z")
_WORDS_OF_YAML: Final = frozenset(("true", "false", "yes", "no", "on", "off", "null", "y", "n"))


def draft(
    trees: Sequence[Mapping[str, bytes]],
    game: str,
    source: str,
    *,
    logs: Sequence[KeptLog] = (),
    guesses: Sequence[Guess] = (),
) -> str:
    """Draft a gamebook from trees of default files, the newest last.

    `source` says what the trees are, for whoever reads the draft. `logs` are those of starts, good and failed ones;
    `guesses` are what else was seen of the game. The result is valid, and finds nothing in the trees that it was
    drafted from.
    """
    sorts = observe(trees)
    paths = sorted(trees[-1])
    past = sorted({path for tree in trees[:-1] for path in tree})
    mark_maps(sorts, targets(sorts, paths, past))
    known = {
        id(column): infer(entries, column)
        for sort in sorts
        for entries in sort.kinds.values()
        for column in entries.columns.values()
    }
    everything = targets(sorts, paths, past)
    plain = references(sorts, known, everything)
    found = narrowed([*plain, *embedded_references(sorts, known, everything, plain)])
    found += name_references(sorts, everything)
    equal = list(equal_columns(sorts))
    tied = {one.keys for one in equal if one.has_all_keys}
    found = [one for one in found if not one.is_open or frozenset((one.address, one.target.address)) not in tied]
    for reference in (reference for reference in found if not reference.is_open):
        own = known.get(id(reference.column))
        if own is None:
            continue  # names have no knowledge of their own
        own.words = own.usual = ()  # where the words come from says more than the words, and is said once
        if reference.within:
            own.matches, own.notes = reference.matches, []  # the form of a few words says less than what is in it
    agreed = agreements(sorts, known, paths)
    needed = list(needs(sorts, everything))
    by_name = {target.name: target for target in everything if target.name}
    words = {name: target.words for name, target in by_name.items()}
    guessed = _one_each([*guesses, *learn_from_logs(logs, words, paths), *said_in_files(sorts)])
    named = [one.content["list"] for one in guessed if isinstance(one.content, dict)]
    lines = [*_head(game, source), *_files(sorts, known)]
    lines += _lists(
        [
            *(reference.target for reference in found if not reference.is_open),
            *(need.among for need in needed),
            *(by_name[name] for name in named),
        ]
    )
    lines += _refers(found)
    lines += _unique(sorts, known)
    lines += _part("agree", ((one.yaml, f"{one.support} of {one.support}", one.support) for one in agreed))
    lines += _part("same_values", ((one.yaml, counted(one.support, "key"), one.support) for one in equal))
    lines += _part(
        "balance",
        (
            (f'{{sum: {_quoted(where)}, keep_within: "0"}}', f"{total:f} in {counted(n, 'version')}", n)
            for where, total, n in kept_sums(sorts, known)
        ),
    )
    lines += _part("needs", map(_need, needed))
    lines += _part(
        "in_use", ((f"{{files: {_quoted(files)}, value: {_quoted(by)}}}", "", 1) for files, by in in_use(agreed))
    )
    lines += _part(
        "same_order",
        (
            (f"{{first: {_quoted(one)}, second: {_quoted(other)}}}", counted(words, "word"), words)
            for one, other, words in same_orders(sorts, agreed)
        ),
    )
    lines += _advice(sorts, known)
    lines += _part(
        "packed",
        (
            (f"{{folder: {_quoted(folder)}, into: {_quoted(into)}}}", counted(n, "file"), n)
            for folder, into, n in packed(trees[-1])
        ),
    )
    lines += _part(
        "file_names",
        (
            (f"{{files: {_quoted(one.files)}, matches: {_quoted(one.matches)}}}", counted(one.count, "file"), one.count)
            for one in name_forms(paths, past)
        ),
    )
    lines += _alike(sorts)
    lines += _part(
        "gates",
        (
            (
                f"{{gate: {_quoted(one.gate)}, settings: {_quoted(one.settings)}}}",
                counted(one.count, "setting"),
                one.count,
            )
            for one in gates(sorts, known)
        ),
    )
    lines += _bundles(trees[-1])
    if guessed:
        lines += ["", "guesses:"]
        lines += [f"  - {one.yaml}  # {_in_one_line(one.evidence)}; {_sure(one.support)}" for one in guessed]
    return "\n".join(lines) + "\n"


def _one_each(guesses: Sequence[Guess]) -> list[Guess]:
    """The first guess for each place, or each item of a list there."""
    return list({(one.at, str(one.content) if one.is_one_more else ""): one for one in reversed(guesses)}.values())[
        ::-1
    ]


def _in_one_line(text: str) -> str:
    return "".join(" " if not one.isprintable() else one for one in text)


def _head(game: str, source: str) -> list[str]:
    return [
        "# A draft: what can be seen in the files, and nothing else. Read each rule; remove what is only chance, and write",
        "# `approved: true` into each rule that you approve. Rules that are not approved are notices and never block. When all is read, take out the",
        "# line `drafted`.",
        "# Behind each rule is what speaks for it. The confidence of a rule that held n times out of n is",
        "# (n + 1) / (n + 2), the rule of succession.",
        "gamebook: 1",
        f"game: {_text(game)}",
        f"drafted: {_text(source)}",
    ]


# --- files ------------------------------------------------------------------------------------------------------------


def _files(sorts: Sequence[Sort], known: Mapping[int, Knowledge]) -> Iterator[str]:
    yield from ("", "files:" if sorts else "files: {}")
    for sort in sorts:
        count = len(sort.newest)
        yield f"  {_text(sort.pattern)}:" + (f"  # {count} files" if "*" in sort.pattern else "")
        if sort.is_optional:
            yield "    optional: true  # one of the versions has no such file"
        if any(document.is_guessed for document in sort.newest):
            yield f"    read_as: {sort.format.value}  # {sort.format.label}, guessed by what is in it"
        if sort.tolerate:
            yield f"    tolerate: [{', '.join(sort.tolerate)}]  # is in the vendor's own files"
        if sort.slots:
            yield "    slots:"
            for name, slot in sort.slots.items():
                split = f", separator: {json.dumps(slot.separator)}" if slot.separator else ""
                yield f"      {_text(name)}: {{pattern: {json.dumps(slot.pattern)}{split}}}"
        body = list(_kinds(sort, known))
        if body:
            if not sort.slots and _is_complete(sort):
                yield "    closed: true"
            yield "    entries:"
            yield from body
        elif not sort.slots and not sort.tolerate and not sort.is_optional:
            yield '    purpose: ""'


def _is_complete(sort: Sort) -> bool:
    """Every name in the file can be written into the draft."""
    if any(
        entries.is_one_of_many or any(isinstance(n, NamePattern) for n in entries.kind)
        for entries in sort.kinds.values()
    ):
        return False  # the next version may have one more of them
    if sort.format.traits.sections and any(not one.name for document in sort.newest for one in document.root.children):
        return False  # a section without a name, which no rule can name
    return not sort.format.traits.line_based and all(
        not re.search(r'[/\[\]"#*?]', name) for entries in sort.kinds.values() for name in entries.children
    )


def _kinds(sort: Sort, known: Mapping[int, Knowledge]) -> Iterator[str]:
    if sort.format.traits.line_based and not sort.format.traits.script:
        return
    sums = list(equal_sums(sort, known))
    for kind, entries in sort.kinds.items():
        if kind or entries.columns:
            yield from _entries(kind, entries, known, [one for one in sums if one.kind == kind])


def _entries(kind: Kind, entries: Entries, known: Mapping[int, Knowledge], sums: Sequence[EqualSums]) -> Iterator[str]:
    address = print_kind(kind) or FILE_ITSELF
    fields = {place: known[id(column)] for place, column in entries.columns.items()}
    if entries.is_one_of_many:
        for one in fields.values():  # what one section has says nothing of a range
            one.least = one.most = None
            one.notes.clear()
    if entries.is_map:
        counts = sorted((len(entries.columns), place) for place in entries.columns)
        yield f"      {_text(address)}:  # its {len(counts)} names are data"
        yield f'        fields: {{each: {{path: "*"{_range_of_map(entries, known)}}}}}'
        yield from _musts([("sum(each)", one) for one in sums if one.place == "*"])
        return
    yield f"      {_text(address)}:" + (f"  # {entries.count} entries" if entries.count > 1 else "")
    lines = ["        closed: true"] if kind and isinstance(kind[-1], NamePattern) else []
    if entries.key and entries.key != "=":
        lines.append(f"        key: {_text(entries.key)}")
    names: dict[str, str] = {}
    taken: set[str] = set()
    for place in fields:
        names[place] = field_name(place, taken)
    written = [(place, _field(place, names[place], one, entries)) for place, one in fields.items()]
    if written:
        lines.append("        fields:")
        lines += [line for _, line in written]
    summed = [(" + ".join(names[place] for place in one.fields), one) for one in sums if one.fields]
    for total in (one for one in sums if one.place and one.place != "*"):
        name = field_name(total.place.replace("*/", ""), taken)
        lines += [] if "        fields:" in lines else ["        fields:"]
        lines.append(f"          {_text(name)}: {{path: {_text(total.place)}}}")
        summed.append((f"sum({name})", total))
    orders_of = [(f"{names[small]} <= {names[large]}", n) for small, large, n in orders(entries, fields)]
    lines += _musts(summed, orders_of)
    yield from lines or ["        fields: {}"]


def _musts(sums: Sequence[tuple[str, EqualSums]], others: Sequence[tuple[str, int]] = ()) -> list[str]:
    """The conditions on entries, each with how many of them fulfil it."""
    conditions = [*others, *((f"{what} == {one.total:f}", one.count) for what, one in sums)]
    lines = [f'          - {{condition: "{that}"}}  # in {n:,} entries, {_sure(n)}' for that, n in conditions]
    return ["        must:", *lines] if lines else []


def _range_of_map(entries: Entries, known: Mapping[int, Knowledge]) -> str:
    together = Column("*", sum((c.values for c in entries.columns.values()), Counter()))
    together.counts = sum((c.counts for c in entries.columns.values()), Counter())
    one = infer(entries, together)
    return "".join(f", {part}" for part in _parts(one))


def _field(place: str, name: str, known: Knowledge, entries: Entries) -> str:
    parts = [f"path: {_text(place)}"] if place != name else []
    parts += _parts(known)
    if known.usual:
        known.notes.append(f"{len(known.usual)} words in {counted(sum(known.column.counts.values()), 'value')}")
    if known.always:
        parts.append("always: true")
        known.notes.append(f"in all of {entries.count}")
    support = sum(known.column.counts.values())
    note = f"  # {'; '.join(known.notes)}; {_sure(support)}" if known.notes else ""
    return f"          {_text(name)}: {{{', '.join(parts)}}}{note}"


def _parts(known: Knowledge) -> Iterator[str]:
    if known.kind:
        yield f"is: {known.kind}"
    if known.least is not None:
        yield f"min: {known.least:f}"
    if known.most is not None:
        yield f"max: {known.most:f}"
    if known.units:
        yield f"units: [{', '.join(_text(unit) for unit in known.units)}]"
    if known.unit:
        yield f"unit: {_text(known.unit)}"
    if known.plain:
        yield "plain: true"
    if known.words:
        yield f"list: [{', '.join(_text(word) for word in known.words)}]"
    if known.usual:
        yield f"usual: [{', '.join(_text(word) for word in known.usual)}]"
    if known.default:
        yield f"default: {_quoted(known.default)}"
    if known.matches:
        yield f"matches: {json.dumps(known.matches)}"
    if known.takes_effect:
        yield f"takes_effect: {known.takes_effect}"
    if known.note:
        yield f"note: {_quoted(known.note)}"


# --- references, families, agreement ---------------------------------------------------------------------------------------


def _lists(wanted: Sequence[Target]) -> Iterator[str]:
    by_name = {target.name: target for target in wanted}
    if by_name:
        yield from ("", "lists:")
    for name, target in sorted(by_name.items()):
        yield f"  {_text(name)}: {{{target.yaml}}}  # {len(target.words)} words"


def _part(name: str, rules: Iterable[tuple[str, str, int]]) -> Iterator[str]:
    """A part of the gamebook: each rule with what speaks for it and its support."""
    listed = list(rules)
    if listed:
        yield from ("", f"{name}:")
    for yaml, note, support in listed:
        yield f"  - {yaml}  # {f'{note}; ' if note else ''}{_sure(support)}"


def _need(need: Needs) -> tuple[str, str, int]:
    order = ", in_order: true" if need.in_order else ""
    among = _text(need.among.name)
    each, needs = _quoted(need.each), _quoted(need.needs)
    yaml = f"{{each: {each}, name: {_text(need.name)}, requires: {needs}, list: {among}{order}}}"
    return yaml, counted(need.support, "need"), need.support


def _refers(found: Sequence[Reference]) -> Iterator[str]:
    if found:
        yield from ("", "refers:" if any(not reference.is_open for reference in found) else "refers: []")
    asked: set[frozenset[str]] = set()
    for reference in found:
        used = len(reference.words)
        if reference.is_open:
            pair = frozenset((reference.address, reference.target.address))
            if pair not in asked:
                yield from _question(reference)
            asked.add(pair)
            continue
        more = ", take: name" if reference.take == "name" else ""
        more += f", within: {_quoted(reference.within)}" if reference.within else ""
        more += f", exceptions: [{', '.join(map(_quoted, reference.exceptions))}]" if reference.exceptions else ""
        yield (
            f"  - {{every: {_quoted(reference.address)}, list: {_text(reference.target.name)}{more}}}"
            f"  # {counted(reference.support, 'value')}, {used} of {len(reference.target.words)} words; {_sure(reference.support)}"
        )


def _question(reference: Reference) -> Iterator[str]:
    """Two places with the very same words, each of them once: which one the other takes them from cannot be seen."""
    yield f"  # Which is the source? {reference.address} and {reference.target.address} have the same {len(reference.target.words)} words."
    yield "  # Keep one of these two rules, with a list of the other's words:"
    yield f"  #  - {{every: {_quoted(reference.address)}, list: {_text(reference.target.name)}}}"
    yield f"  #  - {{every: {_quoted(reference.target.address)}, list: a list with source: {_quoted(reference.address)}}}"


def _unique(sorts: Sequence[Sort], known: Mapping[int, Knowledge]) -> Iterator[str]:
    found = list(families(sorts, known))
    if found:
        yield from ("", "unique:")
    for name, addresses, support in found:
        within = ", scope: file" if any("*" in address.partition("#")[0] for address in addresses) else ""
        over = ", ".join(map(_quoted, addresses))
        yield f"  - {{name: {_text(name)}, over: [{over}]{within}}}  # {counted(support, 'value')}; confidence {confidence(support):.3f}"


def _alike(sorts: Sequence[Sort]) -> Iterator[str]:
    found = list(variants(sorts))
    if found:
        yield from ("", "alike:")
    for one in found:
        same = json.dumps(f"(?:{'|'.join(map(re.escape, one.firsts))}) (.+)")
        fields = ", ".join(json.dumps(place) for place in one.fields)
        support = one.groups * len(one.firsts)
        yield f"  - {{each: {_quoted(one.address)}, group_by: {same}, fields: [{fields}]}}  # {support} entries; {_sure(support)}"


def _advice(sorts: Sequence[Sort], known: Mapping[int, Knowledge]) -> Iterator[str]:
    """What the comments in the files warn of."""
    found = [
        (sort, address(sort, entries, column.place), warned)
        for sort, entries, column in columns_of(sorts)
        for warned in known[id(column)].warned
    ]
    if found:
        yield from ("", "advice:")
    for sort, where, warned in found:
        yield (
            f"  - {{every: {_quoted(where)}, condition: {_quoted(warned.condition)}, message: {_quoted(warned.sentence)}, "
            f"origin: {_quoted(f'a comment in {sort.pattern}')}}}"
        )


def _bundles(tree: Mapping[str, bytes]) -> Iterator[str]:
    found = list(bundles(tree))
    if found:
        yield from ("", "bundles:")
    for one in found:
        yield f"  - kind: {_text(one.on.rpartition('/')[2])}  # {counted(one.support, 'folder')} with {one.manifest}, which says their name"
        yield f"    when_on: {_quoted(f'{one.on}/{{}}')}"
        if one.off:
            yield f"    when_off: {_quoted(f'{one.off}/{{}}')}  # which of the two is on cannot be seen for sure"
        manifest = {
            "file": f"{one.on}/{{}}/{one.manifest}",
            "name": one.name,
            "version": one.version,
            "needs": one.needs,
        }
        yield f"    manifest: {{{', '.join(f'{key}: {_quoted(value)}' for key, value in manifest.items() if value)}}}"


def _sure(support: int) -> str:
    return f"confidence {confidence(support):.3f}"


def _quoted(text: str) -> str:
    """The same in quotation marks."""
    return json.dumps(text, ensure_ascii=False)


def _text(text: str) -> str:
    """A YAML scalar that is read back as this text."""
    return text if _PLAIN.match(text) and text.lower() not in _WORDS_OF_YAML else json.dumps(text, ensure_ascii=False)
