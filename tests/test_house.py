"""What holds for the project as a whole: made files are current, both clients alike, dependencies explained."""

from __future__ import annotations

import ast
import inspect
import io
import json
import re
import tomllib
from pathlib import Path

import click
import pytest
import structlog

from zerrit.cli.commands_page import commands_page
from zerrit.cli.main import SECTIONS, main
from zerrit.client import AsyncClient, Client, calls
from zerrit.client.endpoints import Endpoints
from zerrit.core.rules import KINDS
from zerrit.core.signs import SIGNS
from zerrit.report import rule_forms
from zerrit.settings.forms import forms
from zerrit.web import Settings, create_app

ROOT = Path(__file__).parent.parent


def test_the_consoles_types_are_made_from_the_api_as_it_is(tmp_path: Path) -> None:
    kept = json.loads((ROOT / "console/src/api/openapi.json").read_text())
    assert create_app(Settings(tmp_path)).openapi() == kept, "run `make types`"


def test_the_consoles_forms_are_made_from_the_settings() -> None:
    kept = json.loads((ROOT / "console/src/api/serverForms.json").read_text())
    assert forms() == kept, "run `make types`"
    assert {kind["kind"] for kind in kept["connections"]} == {"folder", "ftp", "ftps", "sftp", "manual"}


def test_the_consoles_forms_of_rules_are_made_from_the_kinds_of_rules() -> None:
    kept = json.loads((ROOT / "console/src/api/ruleForms.json").read_text())
    assert rule_forms.forms() == kept, "run `make types`"
    assert [kind["part"] for kind in kept["kinds"]] == ["field", "trouble", *(kind.part for kind in KINDS)]


def test_the_page_of_commands_is_made_from_the_commands() -> None:
    assert (ROOT / "docs/commands.md").read_text() == commands_page(), "run `make docs`"


def test_the_help_names_every_command_with_its_own_words() -> None:
    context = click.Context(main)
    for commands in SECTIONS.values():
        for name, (_, short) in commands.items():
            command = main.get_command(context, name)
            assert command is not None
            assert command.get_short_help_str(200) == short


def test_the_console_and_the_commands_have_the_same_signs() -> None:
    marks = (ROOT / "console/src/shared/KindMark.tsx").read_text()
    shown = dict(re.findall(r'^  "?([\w -]+?)"?: \{ sign: "(.)"', marks, re.MULTILINE))
    assert {kind: shown.get(kind) for kind in SIGNS} == SIGNS


def test_both_clients_have_every_call() -> None:
    described = {
        name
        for name, one in vars(calls).items()
        if inspect.isfunction(one) and one.__module__ == calls.__name__ and not name.startswith("_")
    }
    for client in (Client, AsyncClient):
        own = {name for name in vars(client) if not name.startswith("_")}
        assert {name for name in vars(Endpoints) if not name.startswith("_")} == described
        assert own == {"send", "close", "follow", "events", "put_file", "put_folder", "keep_bundle"}


def test_every_public_function_says_what_it_does() -> None:
    sources = [source for source in (ROOT / "src").rglob("*.py") if "migrations" not in source.parts]
    silent = [
        f"{source.relative_to(ROOT)}: {node.name}"
        for source in sources
        for node in ast.parse(source.read_text()).body
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        and not node.name.startswith("_")
        and not ast.get_docstring(node)
    ]
    assert silent == []


def test_every_dependency_is_explained() -> None:
    text = (ROOT / "docs/dependencies.md").read_text()
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    listed = [*project["dependencies"], *project["optional-dependencies"]["dev"]]
    package = json.loads((ROOT / "console/package.json").read_text())
    names = [re.split("[<>=]", line)[0] for line in listed]
    for name in [*names, *package["dependencies"], *package["devDependencies"]]:
        assert f"`{name}`" in text, name


def test_every_link_of_the_documentation_leads_somewhere_and_every_picture_is_linked() -> None:
    linked: set[Path] = set()
    for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#:]+)\)", page.read_text()):
            place = (page.parent / target).resolve()
            assert place.exists(), f"{page.name} links to {target}"
            linked.add(place)
    pictures = set((ROOT / "docs/screenshots").glob("*.png"))
    assert pictures <= linked
    assert len(pictures) < 20


def texts_of(source: Path) -> list[str]:
    """What a Python file may message: its string literals, with `{}` where a value comes in."""
    tree = ast.parse(source.read_text())
    inner = {id(part) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr) for part in node.values}
    texts = []
    for node in ast.walk(tree):
        if isinstance(node, ast.JoinedStr):
            texts.append("".join(str(p.value) if isinstance(p, ast.Constant) else "{}" for p in node.values))
        elif isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in inner:
            texts.append(node.value)
    return texts


def lacking(words: str) -> str:
    """What of a command line, as a message or a page gives it, does not exist."""
    command: click.Command = main
    for word in words.split():
        if isinstance(command, click.Group) and re.fullmatch("[a-z][a-z-]*", word):
            below = command.get_command(click.Context(command), word)
            if below is None:
                return word
            command = below
        elif word.startswith("--"):
            known = {name for option in command.params for name in (*option.opts, *option.secondary_opts)}
            if word not in (*known, "--help"):
                return word
    return ""


def test_every_command_that_is_spoken_of_exists() -> None:
    spoken = re.compile(r"\bzerrit ((?:[a-z-]+|\{\}|[A-Z#/.,*+\d]+)(?: (?:--?[a-z][a-z-]*|[\w#/.,*+{}<>-]+))*)")
    pages = [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]
    places = {str(page): re.findall(r"`[^`]+`|^    .*$|^zerrit .*$", page.read_text(), re.MULTILINE) for page in pages}
    places |= {str(source): texts_of(source) for source in (ROOT / "src").rglob("*.py")}
    found = [(place, words) for place, texts in places.items() for text in texts for words in spoken.findall(text)]
    assert len(found) > 100
    assert [(place, words) for place, words in found if lacking(words)] == []


#: Of the words that are swept out, those that are right in another sense, which no test can tell apart.
AMBIGUOUS = {"stands", "let go", "said", "look", "laid", "put", "whole", "so many", "what is", "what was", "is no X"}


def swept_words() -> list[str]:
    """The first column of the first table of docs/words.md."""
    page = (ROOT / "docs/words.md").read_text()
    table = page.partition("| not | but |")[2].partition("\n## ")[0]
    rows = [re.sub(r"\([^)]*\)", "", line.split("|")[1]) for line in table.splitlines()[2:] if line.startswith("|")]
    return [phrase.strip() for row in rows for phrase in re.split("[,;]", row)]


def test_words_that_are_swept_out_are_used_nowhere() -> None:
    words = [word for word in swept_words() if word not in AMBIGUOUS]
    assert len(words) > 15
    pattern = re.compile(rf"(?<![\w-])({'|'.join(map(re.escape, words))})(?![\w-])", re.IGNORECASE)
    pages = [page for page in (ROOT / "docs").glob("*.md") if page.name != "words.md"]
    texts = {str(page): [page.read_text()] for page in [ROOT / "README.md", *pages]}
    texts |= {str(page): [page.read_text()] for page in (ROOT / "console/src").rglob("*.tsx")}
    sources = [source for source in (ROOT / "src").rglob("*.py") if "migrations" not in source.parts]
    texts |= {str(source): [*texts_of(source), source.stem] for source in sources}
    assert [(place, found) for place, parts in texts.items() for part in parts for found in pattern.findall(part)] == []


def test_a_log_that_cannot_be_written_stops_nothing(monkeypatch: pytest.MonkeyPatch) -> None:
    closed = io.StringIO()
    closed.close()
    monkeypatch.setattr("sys.stderr", closed)
    structlog.get_logger("zerrit.test").error("the disk is full")


def options_of(command: click.Command) -> set[str]:
    named = {name for option in command.params for name in (*option.opts, *option.secondary_opts)}
    if isinstance(command, click.Group):
        for name in command.list_commands(click.Context(command)):
            below = command.get_command(click.Context(command), name)
            named |= options_of(below) if below is not None else set()
    return named


def test_every_option_that_a_command_speaks_of_exists() -> None:
    known = options_of(main) | {"--help", "--check"}  # the latter is one of sha256sum
    spoken = re.compile(r"(?<![\w-])--[a-z][a-z-]+\b(?!=)")
    sources = [*(ROOT / "src/zerrit/cli").glob("*.py"), *(ROOT / "src/zerrit/work").rglob("*.py")]
    found = [(source.name, word) for source in sources for text in texts_of(source) for word in spoken.findall(text)]
    assert len(found) > 100
    assert [(name, word) for name, word in found if word not in known] == []


def test_no_word_of_the_demo_world_is_in_the_product() -> None:
    """The demo is one game of many: nothing may speak of it but its own folder."""
    words = re.compile(
        r"\b(sea/|station\b|coral-gate|lantern-shelf|hauls?\b|gimbal|fathomline|finds\.xml|(?<!x-)charts/|seals/|galley|berths?\b"
        r"|tides?\b|draughts?\b|dredge|wardens?\b|pumps?\b|stewards?\b|purser|shelf\[|<find\b)",
        re.IGNORECASE,
    )
    sources = [
        *(file for file in (ROOT / "src").rglob("*.py") if not {"demo", "standin"} & set(file.parts)),
        *(file for file in (ROOT / "console/src").rglob("*.ts*") if "api" not in file.parts),
    ]
    found = [
        (str(file), words.findall(file.read_text()))
        for file in sources
        if file.name != "gamebook_page.py"  # which names the demo's gamebook as an example
    ]
    assert [one for one in found if one[1]] == []
