"""Rules of a gamebook: suggested, made by a form, from a finding and from a field; notes and comments beside places."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.browser import sign_in
from tests.service.test_checks import with_own_fault
from zerrit import api
from zerrit.client import Client
from zerrit.demo.stack import ADMIN, PASSWORD, DemoStack

Shared = tuple[DemoStack, Client]
SERVER = "lantern-shelf"
GIMBAL = "shelf[brass]/find[Copper Gimbal]"


@pytest.fixture
def at(page: Page, shared: Shared) -> Iterator[Page]:
    sign_in(page, shared[0].url, ADMIN, PASSWORD)
    yield page


def card(at: Page, suggestion: api.SuggestionOut) -> Locator:
    return at.get_by_role("region", name=suggestion.rule.text, exact=True)


def test_suggested_rules_are_accepted_changed_rejected_and_put_off(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    first, second, third, fourth, *_ = found = zerrit.suggestions(SERVER)
    at.goto(f"{stack.url}/servers/{SERVER}/gamebook")
    at.get_by_role("button", name="suggested rules").click()
    expect(at.get_by_role("status").get_by_text(f"{len(found)} to decide")).to_be_visible()
    expect(card(at, first)).to_contain_text(first.evidence)
    card(at, first).get_by_role("button", name="Accept").click()
    expect(card(at, first)).to_have_count(0)

    card(at, second).get_by_role("button", name="Change").click()
    at.get_by_label("Reason").fill("agreed at the helm")
    at.get_by_role("button", name="Test on the files").click()
    expect(at.get_by_text("The rule: ")).to_be_visible()
    assert "agreed at the helm" not in zerrit.gamebook_overview(SERVER).text
    at.get_by_role("button", name="Accept the rule").click()
    expect(card(at, second)).to_have_count(0)

    card(at, third).get_by_role("button", name="Reject").click()
    expect(card(at, third)).to_have_count(0)
    card(at, fourth).get_by_role("button", name="Later").click()
    expect(at.get_by_text(f"{len(found) - 4} to decide, 1 for later")).to_be_visible()
    at.reload()
    at.get_by_role("button", name="suggested rules").click()
    expect(card(at, fourth)).to_have_count(0)
    at.get_by_role("button", name="Show those again").click()
    expect(card(at, fourth)).to_be_visible()
    book = zerrit.gamebook_overview(SERVER)
    assert first.rule.text in [rule.text for rule in book.rules]
    assert "agreed at the helm" in [rule.reason for rule in book.rules]
    assert third.id not in [one.id for one in zerrit.suggestions(SERVER)]


def test_a_rule_of_any_kind_is_made_and_edited_by_a_form(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    at.goto(f"{stack.url}/servers/{SERVER}/gamebook")
    at.get_by_role("button", name="New rule").click()
    at.get_by_label("Kind of rule").click()
    at.get_by_role("option", name=re.compile("^Must: ")).click()
    at.get_by_label("Let").fill("strokes = station.ini#Pumps/Bus")
    at.get_by_label("Condition (needed)").fill("strokes >= 900")
    at.get_by_role("button", name="Test on the files").click()
    expect(at.get_by_text("In the latest files: 1 more finding.")).to_be_visible()
    at.get_by_label("Condition (needed)").fill("strokes >= 9")
    at.get_by_label("Severity").click()
    at.get_by_role("option", name="warning").click()
    at.get_by_role("button", name="Save the rule").click()
    at.get_by_label("Search rules").fill("strokes >= 9")
    at.get_by_role("button", name="strokes >= 9").click()
    expect(at.get_by_label("Let")).to_have_value("strokes = station.ini#Pumps/Bus")
    at.get_by_label("Condition (needed)").fill("strokes ><")
    at.get_by_role("button", name="Save the rule").click()
    expect(at.get_by_role("alert")).to_contain_text("This is not a rule yet")
    rule = next(one for one in zerrit.gamebook_overview(SERVER).rules if one.text == "strokes >= 9")
    assert (rule.severity, rule.data["let"]) == ("warning", {"strokes": "station.ini#Pumps/Bus"})


def test_the_suggested_rules_that_hold_everywhere_are_accepted_at_once(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    words = "no value occurs twice"
    fitting = [one for one in zerrit.suggestions(SERVER) if words in f"{one.rule.text} {one.evidence}".lower()]
    sound = [one for one in fitting if one.rule.violations == 0 and not one.rule.unmeasured]
    assert 1 < len(sound) < 30
    at.goto(f"{stack.url}/servers/{SERVER}/gamebook?view=suggested")
    at.get_by_label("Search suggestions").fill(words)
    at.get_by_role("button", name=f"Accept the {len(sound)} without exceptions").click()
    dialog = at.get_by_role("dialog", name=f"Accept {len(sound)} suggested rules")
    expect(dialog).to_contain_text("In the latest files nothing more and nothing less is found with it.")
    dialog.get_by_role("button", name="Accept them").click()
    expect(dialog).to_have_count(0)
    book = {rule.text for rule in zerrit.gamebook_overview(SERVER).rules}
    assert {one.rule.text for one in sound} <= book


def test_logs_and_crash_files_have_a_form(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    before = zerrit.gamebook_overview(SERVER).trouble
    at.goto(f"{stack.url}/servers/{SERVER}/gamebook")
    at.get_by_role("button", name="Logs and crash files").click()
    dialog = at.get_by_role("dialog", name="Logs and crash files of the game")
    expect(dialog.get_by_label("Log", exact=True)).to_have_value(before["log"])
    dialog.get_by_label("Log patterns").fill("(went down")
    dialog.get_by_role("button", name="Test on the files").click()
    expect(dialog.get_by_role("alert")).to_contain_text("This is not a rule yet")
    dialog.get_by_label("Log patterns").fill("went down\nhull is open")
    dialog.get_by_role("button", name="Save", exact=True).click()
    expect(dialog).to_have_count(0)
    assert zerrit.gamebook_overview(SERVER).trouble == before | {"log_patterns": ["went down", "hull is open"]}


def test_a_word_is_allowed_from_its_finding(page: Page, zerrit: Client, stack: DemoStack) -> None:
    with_own_fault(zerrit, stack)
    sign_in(page, stack.url, ADMIN, PASSWORD)
    page.goto(f"{stack.url}/servers/{SERVER}/findings")
    page.get_by_role("button", name="Rule …").first.click()
    page.get_by_role("menuitem", name="Allow this word").click()
    expect(page.get_by_text("In the latest files: 1 fewer.")).to_be_visible()
    assert zerrit.check_server(SERVER).blocking == 1
    page.get_by_role("button", name="Save in the gamebook").click()
    expect(page.get_by_text("No error in 79 files")).to_be_visible()
    assert zerrit.check_server(SERVER).blocking == 0


def test_the_inspector_shows_rules_makes_one_with_another_field_and_takes_notes(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    at.goto(f"{stack.url}/servers/{SERVER}/files/sea/finds.xml?address={GIMBAL}/@worth")
    inspector = at.get_by_role("region", name="Inspector")
    expect(inspector.get_by_role("region", name="Odds")).to_contain_text("Copper Gimbal")
    expect(inspector.get_by_role("button", name="shelf/find: worth is")).to_be_visible()
    inspector.get_by_role("button", name="Rule with another field").click()
    at.get_by_label("Address of the other field").fill(f"sea/finds.xml#{GIMBAL}/@heft")
    at.get_by_role("button", name="Test on the files").click()
    expect(at.get_by_text("worth <= heft. It speaks of 399 places.")).to_be_visible()
    at.get_by_role("button", name="Cancel").click()
    inspector.get_by_label("Why it is so").fill("low on purpose: it is a gift")
    inspector.get_by_role("button", name="Note", exact=True).click()
    remove = inspector.get_by_role("button", name="Remove")
    expect(remove).to_be_visible()  # what is only typed is in the field, and not yet a note
    expect(inspector.get_by_role("region", name="Notes")).to_contain_text("low on purpose: it is a gift")
    (note,) = zerrit.notes(SERVER, f"sea/finds.xml#{GIMBAL}/@worth")
    assert (note.text, note.author) == ("low on purpose: it is a gift", ADMIN)
    inspector.get_by_role("button", name="Into the gamebook").click()
    expect(inspector.get_by_role("region", name="Notes")).to_contain_text("It is in the gamebook now.")
    assert "low on purpose: it is a gift" in zerrit.gamebook_text("fathomline").text
    remove.click()
    expect(inspector.get_by_role("region", name="Notes")).not_to_contain_text("gift")


def test_a_change_is_commented_on_at_a_place(at: Page, shared: Shared) -> None:
    stack, zerrit = shared
    change = zerrit.create_change(SERVER, "To talk about").id
    zerrit.add_step(change, api.StepIn(kind="set", address=f"sea/finds.xml#{GIMBAL}/@worth", operation="=41"))
    at.goto(f"{stack.url}/changes/{change}")
    comments = at.get_by_role("region", name="Comments")
    comments.get_by_label("About the place").fill(f"sea/finds.xml#{GIMBAL}/@worth")
    comments.get_by_label("Comment", exact=True).fill("41 is odd; why not 40?")
    comments.get_by_role("button", name="Write").click()
    expect(comments.get_by_label("Comment", exact=True)).to_have_value("")  # it is saved, and no longer only typed
    expect(comments).to_contain_text("41 is odd; why not 40?")
    (written,) = zerrit.comments(change)
    assert written.address == f"sea/finds.xml#{GIMBAL}/@worth"
