"""Commands about entry forms: one sheet of questions for all places of a new thing."""

from __future__ import annotations

import click

from zerrit import api
from zerrit.cli.output import echo, output_option, print_json, short
from zerrit.cli.session import connect
from zerrit.core.wording import counted


@click.command()
@click.argument("server_id")
@click.option("--like", default="", metavar="ADDRESS", help="Draft one from this entry, as YAML for the gamebook.")
@output_option
def forms(server_id: str, like: str, output: str) -> None:
    """List the forms of a server's gamebook, or draft one from an existing entry."""
    with connect() as zerrit:
        if like:
            drafted = zerrit.drafted_form(server_id, like)
            if output == "json":
                print_json(drafted.model_dump(mode="json"))
                return
            _print_form(drafted.form)
            echo("")
            echo(drafted.text.rstrip())
            return
        found = zerrit.forms(server_id)
    if output == "json":
        print_json([one.model_dump(mode="json") for one in found])
        return
    if not found:
        echo(f"The gamebook of {server_id} has no forms. Draft one: zerrit forms {server_id} --like ADDRESS")
    for one in found:
        _print_form(one)


def _print_form(form: api.FormOut) -> None:
    echo(f"{form.name or 'Drafted'}: {form.about}")
    for question in form.questions:
        title = f" ({question.title})" if question.title not in ("", question.name) else ""
        answer = f", else {short(question.answer, 40)}" if question.answer else ""
        echo(f"  asks {question.name}{title}: a {question.kind}{answer}")
    for place in form.places:
        echo(f"  fills {place}")


@click.command()
@click.argument("change_id", type=int)
@click.argument("words", nargs=-1, metavar="[NAME] [QUESTION=ANSWER]...")
@click.option("--like", default="", metavar="ADDRESS", help="Without NAME: the form that is drafted from this entry.")
@click.option("--remove", is_flag=True, help="Take the thing called `word` out of all places of the form.")
@click.option(
    "--rename-to", default="", metavar="WORD", help="Give the thing called `word` this word in all its places."
)
@click.option("--dry-run", is_flag=True, help="Only show what would be done.")
@output_option
def form(
    change_id: int, words: tuple[str, ...], like: str, remove: bool, rename_to: str, dry_run: bool, output: str
) -> None:
    """Fill in a form: all its steps are added to the change, or none.

    NAME is a form of the gamebook (`zerrit forms SERVER` lists them). `word` is what the new thing is called.
    """
    name = words[0] if words and "=" not in words[0] else ""
    answers: dict[str, str] = {}
    for word in words[1:] if name else words:
        question, equals, answer = word.partition("=")
        if not equals or not question:
            raise click.UsageError(f"`{word}`: write QUESTION=ANSWER, such as word=lamp.")
        answers[question] = answer
    given = api.FormIn(name=name, like=like, answers=answers, remove=remove, rename_to=rename_to, dry_run=dry_run)
    with connect() as zerrit:
        filled = zerrit.fill_form(change_id, given)
    if output == "json":
        print_json(filled.model_dump(mode="json"))
        return
    for outcome in filled.outcomes:
        for changed in outcome.changes:
            old = f"{short(changed.old, 40)} -> " if changed.old is not None else "new: "
            new = short(changed.new, 70) if changed.new is not None else "(gone)"
            echo(f"{changed.address}: {old}{new}")
    for place in filled.left:
        echo(f"Not found there for sure, so it stays as it is: {place}")
    for place in filled.named:
        echo(f"Has the old word still: {place}")
    steps = counted(len(filled.steps), "step")
    echo(f"{steps} added to change {filled.change}." if filled.is_saved else f"{steps}; nothing was added (dry run).")
