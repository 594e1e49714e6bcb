"""
Rules that a draft suggests, and what a person decides about each of them.

A suggestion is a rule that was seen in files and that no one has read: one of a drafted gamebook that is not approved, or
one of a new draft that the gamebook does not have. To accept it puts it into the gamebook as a rule that counts; to reject
it takes it out and remembers that, in the gamebook itself, so that no later draft suggests it again.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from pydantic import ValidationError

from zerrit.core.addresses import kind_of, place_in_kind
from zerrit.core.errors import EditRefused
from zerrit.core.expressions import compile_pattern
from zerrit.core.gamebooks.gamebook import Gamebook
from zerrit.core.gamebooks.rule_edits import data_at, part_of, with_part, without_part
from zerrit.core.gamebooks.rule_list import PlacedRule
from zerrit.core.gamebooks.rule_proposals import as_mapping
from zerrit.core.gamebooks.source_lines import Location, locate
from zerrit.core.rules import AdviceRule, FieldRules, GuessRule, ListedRule, ReferRule
from zerrit.core.wildcards import path_matches

#: What stays of a field whose rule is rejected: its name must stay known, and what is said to a reader of it.
_NO_LIMITS = ("path", "note", "takes_effect", "id")


def identity_of(placed: PlacedRule) -> str:
    """What a rule is called in `rejected`: its place in the files, or what it says, which later drafts repeat."""
    return (
        placed.id
        if not isinstance(placed.rule, ListedRule)
        else f"{_where(placed)}{placed.part}: {placed.rule.sentence()}"
    )


def _where(placed: PlacedRule) -> str:
    location = placed.location
    return f"{location[1]}#{location[3]} " if location[0] == "files" else ""


def evidence_of(gamebook: Gamebook, placed: PlacedRule) -> str:
    """What speaks for a drafted rule: the comment behind it, or where an advice is from."""
    _, node = locate(gamebook.source, placed.location)
    origin = placed.rule.origin if isinstance(placed.rule, AdviceRule) else ""
    return node.comment.strip() or origin


def is_open(gamebook: Gamebook, placed: PlacedRule) -> bool:
    """A rule of a drafted gamebook that no one has approved."""
    return bool(gamebook.rules.drafted) and not placed.rule.approved and placed.says_something


def is_new(gamebook: Gamebook, placed: PlacedRule, paths: tuple[str, ...]) -> bool:
    """A rule of a draft about which the gamebook says nothing, and which was not rejected."""
    if not placed.says_something or identity_of(placed) in gamebook.rules.rejected:
        return False
    rule, location = placed.rule, placed.location
    if isinstance(rule, GuessRule):
        return _is_new_guess(gamebook, rule, paths)
    if location[0] == "files":
        home = _home(gamebook, str(location[1]), paths)
        if home is None or placed.part == "closed":
            return False  # files that the gamebook parts in another way; or: which names there are is its own matter
        return not _knows_place(gamebook, home, placed)
    about = {named.text for named in rule.addresses()} if isinstance(rule, ListedRule) else set()
    if isinstance(rule, ReferRule):
        about = {rule.every}
        if rule.every in _with_words(gamebook):
            return False
    for other in gamebook.placed:
        if other.part != placed.part or not isinstance(other.rule, ListedRule):
            continue
        its = {other.rule.every} if isinstance(other.rule, ReferRule) else {n.text for n in other.rule.addresses()}
        if (about and about <= its) or identity_of(other) == identity_of(placed):
            return False
    return True


def _is_new_guess(gamebook: Gamebook, guess: GuessRule, paths: tuple[str, ...]) -> bool:
    """Nothing is at its place; of a list, no one has begun it, or it has nothing for the same words."""
    place = _place_of(gamebook, guess, paths)
    if place is None or any(
        isinstance(other.rule, GuessRule) and other.rule.sentence() == guess.sentence() for other in gamebook.placed
    ):
        return False
    there = data_at(gamebook.source.text, place)
    if isinstance(guess.add, dict) and isinstance(there, list):
        return not any(isinstance(one, dict) and one.get("list") == guess.add.get("list") for one in there)
    if isinstance(guess.add, str) and isinstance(there, list):
        return guess.add not in there and not any(_fits(one, guess.add) for one in there if isinstance(one, str))
    return not there


def _fits(pattern: str, other: str) -> bool:
    """A pattern fits what another one is made for, as far as that can be told from its text."""
    example = re.sub(r"\\[bsSwWAZ][+*]?|\\(.)", lambda found: found[1] or "", other.replace("\\d+", "1"))
    return compile_pattern(pattern).search(example) is not None


def _place_of(gamebook: Gamebook, guess: GuessRule, paths: tuple[str, ...]) -> Location | None:
    """Where a guess goes in the gamebook; None where that parts the files in another way."""
    if guess.at[0] != "files" or len(guess.at) < 3:
        return guess.at
    home = _home(gamebook, guess.at[1], paths)
    return ("files", home, *guess.at[2:]) if home is not None else None


def _with_words(gamebook: Gamebook) -> set[str]:
    """The addresses of all fields whose words the gamebook says at the field itself."""
    return {
        f"{pattern}#{place_in_kind(names, one.path or name)}"
        for pattern, file in gamebook.rules.files.items()
        for names, entry in file.entries.items()
        for name, one in entry.fields.items()
        if one.allowed is not None
    }


def _home(gamebook: Gamebook, pattern: str, paths: tuple[str, ...]) -> str | None:
    """The part of the gamebook that a file of a draft belongs to: the pattern that it has there, or a new one.

    None where the gamebook knows some of these files by one pattern and some by another.
    """
    of = {id(rules): one for one, rules in gamebook.rules.files.items()}
    homes = {of.get(id(gamebook.file(path)), "") for path in paths if path_matches(pattern, path)}
    if len(homes) != 1:
        return None
    return homes.pop() or pattern


def _knows_place(gamebook: Gamebook, home: str, placed: PlacedRule) -> bool:
    file = gamebook.rules.files.get(home)
    if file is None:
        return False
    if isinstance(placed.rule, FieldRules):
        # The same field may be named from its entry or from a group in it. One that is only named has no rule yet; but
        # its name in the gamebook is a person's own, and stays.
        place = kind_of(place_in_kind(str(placed.location[3]), placed.rule.path or str(placed.location[-1])))
        return any(
            kind_of(place_in_kind(names, one.path or name)) == place
            for names, entry in file.entries.items()
            for name, one in entry.fields.items()
        )
    entry = file.entries.get(str(placed.location[3]))
    if entry is None:
        return False
    words = placed.rule.sentence() if isinstance(placed.rule, ListedRule) else ""
    return any(must.sentence() == words for must in entry.must)


def accepted(
    gamebook: Gamebook, source: Gamebook, placed: PlacedRule, paths: tuple[str, ...], data: dict[str, Any] | None
) -> tuple[str, Location]:
    """The text of the gamebook with a suggested rule that counts, and where it stands.

    `source` is the gamebook itself or the draft that the rule is of; `data` what a person made of it, None where it
    stays as it is. Raises EditRefused.
    """
    wanted = dict(data) if data is not None else as_mapping(source, placed)
    if isinstance(placed.rule, GuessRule):
        return _guess_accepted(gamebook, source, placed, paths, wanted)
    if gamebook.rules.drafted:
        wanted["approved"] = True
    text, location = gamebook.source.text, placed.location
    if source is not gamebook:
        text, location = _with_what_it_needs(gamebook, source, placed, paths, wanted)
    if data is not None and source is not gamebook:
        text = _remembered(text, gamebook, identity_of(placed))
    return with_part(text, location, wanted), location


def _guess_accepted(
    gamebook: Gamebook, source: Gamebook, placed: PlacedRule, paths: tuple[str, ...], data: dict[str, Any]
) -> tuple[str, Location]:
    """The gamebook with a guess at the place where it counts, and where that is."""
    try:
        guess = GuessRule.model_validate(data)
    except ValidationError as error:
        raise EditRefused(f"This guess cannot be accepted: {error.errors()[0]['msg']}.") from None
    place = _place_of(gamebook, guess, paths)
    if place is None:
        raise EditRefused("The gamebook parts these files in another way than the draft. Write it into its text.")
    text, content = gamebook.source.text, guess.content
    if source is gamebook:
        text = without_part(text, placed.location)
    elif isinstance(content, dict):
        content = dict(content)
        for name in [named.text for named in guess.lists()]:
            text, content["list"] = _with_list(text, source, name)
    if guess.add is not None:
        place = (*place, len(data_at(text, place) or ()))
    if data != as_mapping(source, placed) and source is not gamebook:
        text = _remembered(text, gamebook, identity_of(placed))
    return with_part(text, place, content), place


def _with_list(text: str, source: Gamebook, drafted: str) -> tuple[str, str]:
    """The text with a list of a draft, under its name there, or another one where that is taken; and that name."""
    name, data = drafted, part_of(source.data, ("lists", drafted))
    mine = data_at(text, ("lists", name))
    if mine is not None and mine != data:
        others = (f"{drafted} {number}" for number in range(2, 1000))
        name = next(one for one in others if data_at(text, ("lists", one)) is None)
    return with_part(text, ("lists", name), data), name


def _with_what_it_needs(
    gamebook: Gamebook, source: Gamebook, placed: PlacedRule, paths: tuple[str, ...], wanted: dict[str, Any]
) -> tuple[str, Location]:
    """The lists that a drafted rule names, the names of fields in its condition, and its place in the gamebook."""
    text, location, rule = gamebook.source.text, placed.location, placed.rule
    for key, drafted in _lists_of(rule):
        text, name = _with_list(text, source, drafted)
        if name != drafted:
            wanted[key] = name
    if location[0] != "files":
        return text, (location[0], len(data_at(text, (location[0],)) or ()))
    home = _home(gamebook, str(location[1]), paths)
    if home is None:
        raise EditRefused("The gamebook parts these files in another way than the draft. Write the rule into its text.")
    kind = str(location[3])
    base: Location = ("files", home, "entries", kind)
    if data_at(text, base) is None:
        key = source.rules.files[str(location[1])].entries[kind].key
        if key:
            text = with_part(text, (*base, "key"), key)
    if placed.part == "must":
        for name, field in source.rules.files[str(location[1])].entries[kind].fields.items():
            if name in rule.spoken and data_at(text, (*base, "fields", name)) is None:  # type: ignore[attr-defined]
                text = with_part(text, (*base, "fields", name), {"path": field.path} if field.path else {})
        return text, (*base, "must", len(data_at(text, (*base, "must")) or ()))
    return text, (*base, *location[4:])


def _lists_of(rule: Any) -> Iterator[tuple[str, str]]:
    if isinstance(rule, FieldRules):
        if isinstance(rule.allowed, str):
            yield "list", rule.allowed
    elif isinstance(rule, ListedRule):
        yield from ((str(named.key[0]) if named.key else "list", named.text) for named in rule.lists() if named.text)


def rejected(gamebook: Gamebook, source: Gamebook, placed: PlacedRule) -> str:
    """The text of the gamebook without a suggested rule, and with the note that it was rejected. Raises EditRefused."""
    text = gamebook.source.text
    if source is gamebook:
        if isinstance(placed.rule, FieldRules):
            data = as_mapping(gamebook, placed)
            text = with_part(text, placed.location, {name: data[name] for name in _NO_LIMITS if name in data})
        else:
            text = without_part(text, placed.location)
    return _remembered(text, gamebook, identity_of(placed))


def _remembered(text: str, gamebook: Gamebook, identity: str) -> str:
    return with_part(text, ("rejected", len(gamebook.rules.rejected)), identity)
