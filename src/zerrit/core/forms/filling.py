"""
From the answers of a form to steps.

A copy has the new word for the old one all over it, in each of its letter cases; what a form sets comes after that. The steps
are worked out on the files one after the other, since the address of a copy is known only once it is there.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Final, NamedTuple

from zerrit.core.addresses import parse_address, print_segments
from zerrit.core.documents import Document, Node
from zerrit.core.documents.value_edits import recased
from zerrit.core.errors import ZerritError
from zerrit.core.expressions import compile_pattern
from zerrit.core.figures.numbers import free_numbers
from zerrit.core.file_steps import Read
from zerrit.core.rules.forms import FormPlace, FormRules, QuestionRules
from zerrit.core.steps import OutcomeKind, Step, StepKind, replay

WORD: Final = "word"
MOST_NAMED: Final = 50  #: places that are told of a renaming
_PLACE: Final = re.compile(r"\{(\w+)(?:\.(lower|upper|title|dashes|underscores))?\}")
_NUMBER: Final = re.compile(r"-?\d+(?:\.\d+)?\Z")


class FormRefused(ZerritError):
    """A form cannot be filled in so."""

    kind = "form-refused"


def form_steps(
    form: FormRules, given: Mapping[str, str], documents: Mapping[str, Document], read: Read
) -> tuple[Step, ...]:
    """The steps that make the new thing in all its places.

    Raises FormRefused: an answer is missing or wrong, or a place cannot be filled.
    """
    answers = answered(form, given, documents)
    steps: list[Step] = []
    current = dict(documents)
    for number, place in enumerate(form.places, 1):
        step = _step_of(form, place, answers, current)
        current, new = _after(current, step, read, number)
        steps.append(step)
        for field, value in place.fields.items() if place.copy_of else ():
            where = new if field == "." else f"{new}/{field}"
            setting = Step(StepKind.SET, where, operation=f"={filled(value, answers)}")
            before, (current, _) = current, _after(current, setting, read, number)
            steps += [setting] if current != before else []
    return tuple(steps)


class Found(NamedTuple):
    """The steps for a thing that is there, and the places of its form in which it was not found for sure."""

    steps: tuple[Step, ...]
    left: tuple[str, ...]


def removal_of(form: FormRules, word: str, documents: Mapping[str, Document]) -> Found:
    """What takes a thing out of all places of its form in which it is.

    Raises FormRefused: it is in none of them.
    """
    steps: list[Step] = []
    left: list[str] = []
    for place in form.places:
        address = _place_of(form, place, word, documents)
        if address:
            steps.append(Step(StepKind.REMOVE_FILE if place.file else StepKind.REMOVE, address))
        else:
            left.append(_told(place, word))
    if not steps:
        raise FormRefused(f"`{word}` is in none of the places of this form.")
    return Found(tuple(steps), tuple(left))


class Renaming(NamedTuple):
    """The steps that give a thing another word, the places of its form in which it was not found for sure, and the values
    elsewhere that are the old word still.
    """

    steps: tuple[Step, ...]
    left: tuple[str, ...]
    named: tuple[str, ...]


def renaming_of(form: FormRules, old: str, new: str, documents: Mapping[str, Document], read: Read) -> Renaming:
    """What gives a thing another word in all places of its form in which it is: in keys, names and values, in each letter
    case, and in the name of its file.

    Raises FormRefused: it is in none of them, or the new word is there already.
    """
    if not new or recased(old, old, new) == old:
        raise FormRefused("Give the thing another word than it has.")
    for place in form.places:
        taken = _place_of(form, place, new, documents)
        if taken:
            raise FormRefused(f"{taken} is there already. Choose another word.")
    current = dict(documents)
    steps: list[Step] = []
    left: list[str] = []

    def make(step: Step) -> None:
        nonlocal current
        current, _ = _after(current, step, read, len(steps) + 1)
        steps.append(step)

    for place in form.places:
        address = _place_of(form, place, old, current)
        if not address:
            left.append(_told(place, old))
            continue
        if place.file:
            path = filled(place.file, {WORD: new})
            make(Step(StepKind.MOVE_FILE, address, target=path))
            address = f"{path}#"
        for step in _in_other_words(current, address, old, new):
            make(step)
    if not steps:
        raise FormRefused(f"`{old}` is in none of the places of this form.")
    return Renaming(tuple(steps), tuple(left), tuple(_still_named(current, old, new)))


def _in_other_words(documents: Mapping[str, Document], address: str, old: str, new: str) -> list[Step]:
    """The steps for one entry: its values, then the names in it from the inside out, its key last."""
    parsed = parse_address(address)
    document = documents[parsed.path]
    (entry,) = document.select(print_segments(parsed.segments)) if parsed.segments else [document.root]
    named = [node for node in entry.walk() if node.parent is not None and node.name != "line"]
    values: list[Step] = []
    names: list[tuple[Node, str]] = []
    for node in named:
        key = document.keys.field_for(node.names) if not node.is_value else None
        own = document.keys.key_of(node) if key else node.name
        is_called = bool(own) and recased(own or "", old, new) != own
        if is_called:
            names.append((node, recased(own or "", old, new)))
        is_key = node.parent is not None and document.keys.field_for(node.parent.names) == node.name
        value = node.value or ""
        if node.is_value and not is_key and recased(value, old, new) != value:
            where = f"{document.path}#{document.keys.address_of(node)}"
            values.append(Step(StepKind.SET, where, operation=f"={recased(value, old, new)}"))
    inside_out = sorted(names, key=lambda one: -len(one[0].names))
    # An item of a list has its value for an address, so only the steps on values are made there.
    renamed = [
        Step(StepKind.RENAME, f"{document.path}#{document.keys.address_of(node)}", name=name)
        for node, name in inside_out
        if node.name or not node.is_value
    ]
    return [*values, *renamed]


def _still_named(documents: Mapping[str, Document], old: str, new: str) -> list[str]:
    """Where the old word is still a value or a key; texts that only mention it are not told."""
    found: list[str] = []
    for path, document in documents.items():
        for node in document.root.walk():
            if node.is_value and node.name != "line" and _is_word(node.value or "", old, new):
                found.append(f"{path}#{document.keys.address_of(node)}")
                if len(found) == MOST_NAMED:
                    return found
    return found


def _is_word(value: str, old: str, new: str) -> bool:
    return value.lower() == old.lower() and recased(value, old, new) != value


def _told(place: FormPlace, word: str) -> str:
    return filled(place.file, {WORD: word}) if place.file else place.copy_of or place.add


def _place_of(form: FormRules, place: FormPlace, word: str, documents: Mapping[str, Document]) -> str:
    """The address, or the path, of a thing at a place of the form; empty where it is not found for sure."""
    if place.file:
        path = filled(place.file, {WORD: word})
        return path if path in documents else ""
    return _there(form, place, {WORD: word}, documents)


def answered(form: FormRules, given: Mapping[str, str], documents: Mapping[str, Document]) -> dict[str, str]:
    """An answer to each question: the one that is given, the default, or the next free number.

    Raises FormRefused: one is missing, or is not as it has to be.
    """
    unknown = next((name for name in given if name not in form.ask), None)
    if unknown is not None:
        raise FormRefused(f"The form asks nothing called {unknown}. It asks for {', '.join(form.ask)}.")
    answers: dict[str, str] = {}
    for name, question in form.ask.items():
        answer = given.get(name, "") or question.default or _next(question, documents)
        title = f"{name} ({question.title})" if question.title not in ("", name) else name
        if not answer:
            raise FormRefused(f"There is no answer to {title}.")
        if question.kind == "number" and not _NUMBER.match(answer):
            raise FormRefused(f"`{answer}` is no number, and {title} is one.")
        if question.matches and not compile_pattern(question.matches).fullmatch(answer):
            raise FormRefused(f"`{answer}` does not have the form that {title} has: {question.matches}.")
        answers[name] = answer
    return answers


def known_answers(form: FormRules, documents: Mapping[str, Document]) -> dict[str, str]:
    """What is taken where no answer is given: the default, or the next free number, as far as there is one."""
    found: dict[str, str] = {}
    for name, question in form.ask.items():
        try:
            found[name] = question.default or _next(question, documents)
        except FormRefused:
            found[name] = ""
    return found


def _next(question: QuestionRules, documents: Mapping[str, Document]) -> str:
    if question.next_of is None:
        return ""
    try:
        return free_numbers(documents, question.next_of)[0].following
    except ZerritError as error:
        raise FormRefused(f"There is no next number: {error}") from error


def filled(template: str, answers: Mapping[str, str]) -> str:
    """A text with answers in the place of their names: `{word}`, `{word.lower}`, `{word.upper}`, `{word.title}`.

    `{word.dashes}` and `{word.underscores}` are in lower case with that sign for each blank.

    Raises FormRefused: a name in braces is no question.
    """

    def answer(match: re.Match[str]) -> str:
        name, case = match.groups()
        if name not in answers:
            raise FormRefused(f"`{match.group()}` is in the form, and nothing called {name} is asked.")
        value = answers[name]
        cases = {
            "lower": value.lower(),
            "upper": value.upper(),
            "title": value[:1].upper() + value[1:],
            "dashes": value.lower().replace(" ", "-"),
            "underscores": value.lower().replace(" ", "_"),
        }
        return cases[case] if case else value

    return _PLACE.sub(answer, template)


def _step_of(form: FormRules, place: FormPlace, answers: Mapping[str, str], documents: Mapping[str, Document]) -> Step:
    if place.copy_of:
        address = parse_address(place.copy_of)
        document = documents.get(address.path)
        known = document.select(print_segments(address.segments)) if document is not None else []
        is_word = document is not None and len(known) == 1 and is_named_so(document, known[0], form.like)
        return Step(StepKind.COPY, place.copy_of, key=filled(place.new_name, answers), throughout=is_word)
    if place.file:
        source = documents.get(place.from_file)
        if source is None:
            raise FormRefused(f"{place.from_file} is not there, or is no text file, so no file can be made from it.")
        path = filled(place.file, answers)
        if path in documents:
            raise FormRefused(f"{path} is there already.")
        return Step(StepKind.PUT_FILE, path, content=recased(source.text, form.like, answers[WORD]))
    home = place.add if "#" in place.add else f"{place.add}#"
    if place.value:
        return Step(StepKind.ADD, home, name=place.name, value=filled(place.value, answers))
    fields = {name: filled(value, answers) for name, value in place.fields.items()}
    return Step(StepKind.ADD, home, name=place.name, fields=fields)


def _after(documents: dict[str, Document], step: Step, read: Read, number: int) -> tuple[dict[str, Document], str]:
    """The files after a step, and the address of what it made.

    Raises FormRefused: it cannot be made, or something is so already.
    """
    made = replay(documents, [step], read)
    (outcome,) = made.outcomes
    if outcome.kind is OutcomeKind.IMPOSSIBLE:
        raise FormRefused(f"Place {number} of the form: {outcome.message}")
    if outcome.kind is OutcomeKind.SAME and step.kind is not StepKind.SET:
        raise FormRefused(f"Place {number} of the form: {step.address} has it already.")
    return dict(made.documents), outcome.changes[0].address if outcome.changes else ""


def _there(form: FormRules, place: FormPlace, answers: Mapping[str, str], documents: Mapping[str, Document]) -> str:
    """The address of the thing at a place of the form; empty where it is not there, or is not told from others."""
    address = parse_address(place.copy_of or place.add)
    document = documents.get(address.path)
    if document is None:
        return ""
    known = document.select(print_segments(address.segments)) if address.segments else [document.root]
    if not known:
        return ""
    parent = known[0].parent if place.copy_of else known[0]
    siblings = parent.children if parent is not None else ()
    if place.copy_of:
        found = _copies(form, place, answers, document, known[0], siblings)
    elif place.value:
        value = filled(place.value, answers)
        found = [child for child in siblings if child.value == value and child.name == place.name]
    else:
        wanted = {name: filled(value, answers) for name, value in place.fields.items() if f"{{{WORD}" in value}
        found = [
            child
            for child in siblings
            if wanted and child.name == place.name and all(child.field(name) == value for name, value in wanted.items())
        ]
    return f"{address.path}#{document.keys.address_of(found[0])}" if len(found) == 1 else ""


def _copies(
    form: FormRules,
    place: FormPlace,
    answers: Mapping[str, str],
    document: Document,
    old: Node,
    siblings: Sequence[Node],
) -> list[Node]:
    """What is called so beside the entry that is copied."""
    if not is_named_so(document, old, form.like) and WORD in answers:
        fields = [child.name for child in old.children if child.value == form.like]
        is_map = not document.keys.key_of(old)  # its entries have names of their own
        return [
            child
            for child in siblings
            if fields and child.field(fields[0]) == answers[WORD] and (is_map or child.name == old.name)
        ]
    name = filled(place.new_name, answers)
    return [
        child
        for child in siblings
        if (document.keys.key_of(child) == name and child.name == old.name)
        or (not document.keys.key_of(child) and (child.name == name or child.name.endswith(f".{name}")))
    ]


def is_named_so(document: Document, node: Node, word: str) -> bool:
    """The key or the name of an entry is the word, in one of its letter cases, or ends with it behind a prefix."""
    name = (document.keys.key_of(node) or node.name.rpartition(".")[2]).lower()
    return name == word.lower() or (name.endswith(word.lower()) and not name[-len(word) - 1].isalnum())
