"""Entry forms of a server: those of its gamebook, and those that are drafted from an existing entry."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import yaml

from zerrit.core.documents import Document
from zerrit.core.forms import draft_form, form_steps, known_answers, removal_of, renaming_of
from zerrit.core.rules.forms import FormRules
from zerrit.core.steps import Outcome, Step
from zerrit.work.base.errors import NotFound, Refused
from zerrit.work.base.workspace import Workspace
from zerrit.work.changes.changes import (
    add_steps,
    files_after,
    get_change,
    reader,
    replayed_on,
    worked_out,
)
from zerrit.work.servers.servers import get_server
from zerrit.work.servers.stored_gamebooks import gamebook_of
from zerrit.work.snapshots.snapshots import files_of, require_latest


@dataclass(frozen=True, slots=True)
class Form:
    """A form with the answers that are taken where none is given."""

    name: str
    rules: FormRules
    known: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Filled:
    """The steps that a form makes, what each does, and the version of the change.

    `left`: of a removal or renaming, the places of the form in which the thing was not found for sure. `named`: of a renaming,
    values elsewhere that are the old word still.
    """

    steps: tuple[Step, ...]
    outcomes: tuple[Outcome, ...]
    left: tuple[str, ...]
    named: tuple[str, ...]
    version: int
    is_saved: bool


def forms_of(workspace: Workspace, server_id: str) -> list[Form]:
    """The forms of a server's gamebook, by name. Raises NotFound: the server, or no files of it, are known."""
    documents = _documents(workspace, server_id)
    with workspace.session() as session:
        gamebook, _ = gamebook_of(session, get_server(session, server_id))
    forms = gamebook.rules.forms if gamebook is not None else {}
    return [Form(name, rules, known_answers(rules, documents)) for name, rules in sorted(forms.items())]


def drafted_form(workspace: Workspace, server_id: str, address: str) -> Form:
    """The form by which another entry like the one at an address would be made. Raises NotFound, FormRefused."""
    documents = _documents(workspace, server_id)
    rules = draft_form(documents, address)
    return Form("", rules, known_answers(rules, documents))


def form_text(form: Form) -> str:
    """A form as YAML, as it is in a gamebook."""
    plain = form.rules.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    return yaml.safe_dump(
        {"forms": {form.name or form.rules.about: plain}}, sort_keys=False, allow_unicode=True, width=120
    )


def fill(
    workspace: Workspace,
    person: str,
    change_id: int,
    answers: Mapping[str, str],
    *,
    name: str = "",
    like: str = "",
    remove: bool = False,
    rename_to: str = "",
    dry_run: bool = False,
    version: int | None = None,
) -> Filled:
    """Make the steps of a form and add all of them to a change, or none.

    `name` is a form of the gamebook; without one it is drafted from the entry at `like`.

    Raises NotFound, FormRefused, Refused, WrongState, Outdated.
    """
    if remove and rename_to:
        raise Refused("Take the thing out, or give it another word; not both.")
    if bool(name) == bool(like):
        raise Refused("Name a form of the gamebook, or the address of an entry that the new one is like.")
    with workspace.session() as session:
        change = get_change(session, change_id)
        known = worked_out(workspace, session, change)
        gamebook, _ = gamebook_of(session, get_server(session, change.server_id))
        seen = change.version
        files = files_after(workspace, known.files, known.replayed)
        documents = files.documents
        rules = draft_form(documents, like) if like else (gamebook.rules.forms.get(name) if gamebook else None)
        if rules is None:
            raise NotFound(f"The gamebook of {change.server_id} has no form called {name}.")
        word, named = answers.get("word", ""), tuple[str, ...]()
        if remove:
            steps, left = removal_of(rules, word, documents)
        elif rename_to:
            steps, left, named = renaming_of(rules, word, rename_to, documents, reader(gamebook))
            if name and word == rules.like:
                named = (*named, f"the form `{name}` of the gamebook, which is like {word}")
        else:
            steps, left = form_steps(rules, answers, documents, reader(gamebook)), ()
        new = (one.target or one.address for one in steps if not remove)
        taken = next((path for path in new if path in files.others), None)
        if taken is not None:
            raise Refused(f"{taken} is there already, and is no text file. Choose another word.")
        outcomes = replayed_on(session, gamebook, files, steps).outcomes
    if dry_run:
        return Filled(steps, outcomes, left, named, seen, is_saved=False)
    saved = add_steps(workspace, person, change_id, steps, version=version if version is not None else seen)
    return Filled(steps, outcomes, left, named, saved.version, is_saved=True)


def _documents(workspace: Workspace, server_id: str) -> Mapping[str, Document]:
    with workspace.session() as session:
        server = get_server(session, server_id)
        return files_of(workspace, session, server, require_latest(session, server_id)).documents
