"""What is found: names, text in files, replacements as steps, what needs a person."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.quick import GAMEBOOK, quick_stack
from zerrit import api
from zerrit.client import Client, ProblemError
from zerrit.demo.stack import DemoStack
from zerrit.records import Server

FINDS = "sea/finds.xml"
Shared = tuple[DemoStack, Client]


def found(zerrit: Client, text: str, server: str = "") -> list[tuple[str, str, str]]:
    return [(hit.kind, hit.server, hit.address or hit.path or hit.title) for hit in zerrit.search(text, server).hits]


def test_entries_are_found_by_a_part_of_their_name_on_all_servers(shared: Shared) -> None:
    _, zerrit = shared
    hits = found(zerrit, "copper gim")
    assert ("entry", "coral-gate", "shelf[brass]/find[Copper Gimbal]") in hits
    assert ("entry", "lantern-shelf", "shelf[brass]/find[Copper Gimbal]") in hits
    assert {server for _, server, _ in found(zerrit, "copper gim", "coral-gate")} == {"coral-gate"}


def test_entries_are_found_by_a_value_and_settings_by_their_address(shared: Shared) -> None:
    _, zerrit = shared
    hit = next(hit for hit in zerrit.search("bilge rating", "coral-gate").hits if hit.path == "station.ini")
    assert "Bilge" in hit.address
    assert zerrit.show("coral-gate", f"{hit.path}#{hit.address}")[0].line == hit.line


def test_words_of_the_game_and_findings_are_found(shared: Shared) -> None:
    _, zerrit = shared
    word = next(hit for hit in zerrit.search("ribbonweed flats", "coral-gate").hits if hit.kind == "word")
    assert (word.title, word.detail, word.path) == ("Ribbonweed Flats", "one of the grounds", "")
    finding = next(hit for hit in zerrit.search("two hyphens", "coral-gate").hits if hit.kind == "finding")
    assert (finding.path, finding.line, finding.server) == ("sea/buoys.xml", 2, "coral-gate")


def test_words_and_places_with_line_breaks_are_found(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        (quick.game().folder / "odd.json").write_text('{"berths": [{"name": "north\\nquay"}, {"name": "south quay"}]}')
        book = GAMEBOOK.replace("lists:\n", 'lists:\n  berths: {source: "odd.json#berths/*/name"}\n')
        quick.zerrit.save_gamebook("quick", book)
        quick.add()
        words = [hit.title for hit in quick.zerrit.search("quay", "reef").hits if hit.kind == "word"]
        assert words == ["north\nquay", "south quay"]


def test_files_servers_and_changes_are_found(shared: Shared) -> None:
    _, zerrit = shared
    assert found(zerrit, "finds.xml", "coral-gate")[0] == ("file", "coral-gate", FINDS)
    assert ("server", "coral-gate", "Coral Gate") in found(zerrit, "coral gate")
    title = zerrit.changes("coral-gate")[0].title
    assert ("change", "coral-gate", title) in found(zerrit, title, "coral-gate")


@pytest.mark.parametrize(
    "text", ["   ", '"', "a\\b", "%", "_", "x' OR 1=1 --", "zz qq \U0001f41a", "* ?", "AND", "NEAR("]
)
def test_odd_words_are_words(shared: Shared, text: str) -> None:
    _, zerrit = shared
    assert isinstance(zerrit.search(text).hits, list)


def test_text_is_searched_by_word_case_and_pattern(shared: Shared) -> None:
    _, zerrit = shared

    def count(**more: object) -> int:
        query = api.TextSearchQuery.model_validate({"text": "gimbal", "files": "finds.xml", **more})
        return zerrit.search_files("coral-gate", query).total

    assert count() == count(word=True) > 0
    assert count(case=True) == 0
    assert count(text="gimba", word=True) == 0
    assert count(text="(copper|brass) gimbal", pattern=True) == 2
    assert count(files="*.ini") == 0


def test_a_hit_says_its_place_and_its_line(shared: Shared) -> None:
    _, zerrit = shared
    hit = zerrit.search_files("coral-gate", api.TextSearchQuery(text="Copper Gimbal", files=FINDS)).hits[0]
    line = zerrit.file("coral-gate", FINDS).text.splitlines()[hit.line - 1]
    assert (hit.before + hit.match + hit.after, line[hit.column - 1 :].startswith(hit.match)) == (line, True)


@pytest.mark.parametrize(("text", "why"), [("(", "is not a pattern"), ("a{1000}{1000}", "is not a pattern")])
def test_a_bad_pattern_is_said(shared: Shared, text: str, why: str) -> None:
    _, zerrit = shared
    with pytest.raises(ProblemError, match=why):
        zerrit.search_files("coral-gate", api.TextSearchQuery(text=text, pattern=True))


def test_a_replacement_is_previewed_and_made_as_steps_but_for_what_is_skipped(zerrit: Client) -> None:
    change = zerrit.create_change("coral-gate", "replace").id
    query = api.TextSearchQuery(text='returns="(\\d) tides"', pattern=True, files=FINDS, change=change)
    preview = zerrit.search_files("coral-gate", query.model_copy(update={"replacement": 'returns="1\\1 tides"'}))
    first, second = preview.hits[0], preview.hits[1]
    assert second.replaced == second.match.replace('"', '"1', 1)
    skip = [f"{hit.path}:{hit.line}:{hit.column}" for hit in preview.hits if hit is not second]
    given = api.ReplaceIn(text=query.text, replacement='returns="1\\1 tides"', pattern=True, files=FINDS, skip=skip)
    done = zerrit.replace_in_files(change, given)
    assert (done.places, done.steps) == (1, 1)
    (step,) = zerrit.change(change).step_list
    assert (step.kind, step.address.endswith("/@returns")) == ("set", True)
    lines = zerrit.file("coral-gate", FINDS, change).text.splitlines()
    assert second.replaced in lines[second.line - 1]
    assert first.match in lines[first.line - 1]


def test_a_replacement_of_nothing_and_one_with_a_wrong_group_are_refused(zerrit: Client) -> None:
    change = zerrit.create_change("coral-gate", "replace").id
    with pytest.raises(ProblemError, match="is not found"):
        zerrit.replace_in_files(change, api.ReplaceIn(text="no such words here", replacement="x"))
    with pytest.raises(ProblemError, match="names a group"):
        zerrit.replace_in_files(change, api.ReplaceIn(text="Gimbal", replacement="\\3", pattern=True, files=FINDS))
    assert zerrit.change(change).steps == 0


def test_entries_are_paged_filtered_and_sorted_by_the_service(shared: Shared) -> None:
    _, zerrit = shared

    def rows(**more: object) -> list[str]:
        query = api.EntriesQuery.model_validate({"path": FINDS, "kind": "shelf/find", **more})
        return [row.trail for row in zerrit.entries("coral-gate", query).rows]

    everything = rows(limit=1000)
    assert len(everything) == 399
    assert rows(offset=10, limit=5) == everything[10:15]
    assert rows(search="copper gimbal") == ["brass / Copper Gimbal"]
    page = zerrit.entries(
        "coral-gate", api.EntriesQuery(path=FINDS, kind="shelf/find", where=["@worth:>200"], sort="@worth")
    )
    worth = [int(row.cells["@worth"]) for row in page.rows]
    assert worth == sorted(worth)
    assert (min(worth) > 200, page.matching, page.total) == (True, len(worth), 399)
    coral = rows(where=["@ground:coral"], limit=1000)
    assert rows(where=["@ground:=Coral Gate"], limit=1000) == [row for row in everything if row in coral]
    assert rows(where=["@ground:=coral gate"]) == [], "a whole value is as in an address: its case counts"
    at = zerrit.entries(
        "coral-gate", api.EntriesQuery(path=FINDS, address="shelf[brass]/find[Copper Gimbal]", limit=20)
    )
    assert "brass / Copper Gimbal" in [row.trail for row in at.rows]
    assert at.offset % 20 == 0


def test_a_file_opens_at_its_main_kind_of_entry(shared: Shared) -> None:
    _, zerrit = shared
    assert zerrit.entries("coral-gate", api.EntriesQuery(path=FINDS)).kind == "shelf/find"


@pytest.mark.parametrize(
    ("where", "why"), [("@worth:>many", "needs one number behind it"), ("@worth", "FIELD:CONDITION")]
)
def test_a_bad_condition_is_said(shared: Shared, where: str, why: str) -> None:
    _, zerrit = shared
    with pytest.raises(ProblemError, match=why):
        zerrit.entries("coral-gate", api.EntriesQuery(path=FINDS, where=[where]))


def test_the_overview_says_what_needs_a_person(zerrit: Client) -> None:
    before = {(one.kind, one.server) for one in zerrit.overview().items}
    zerrit.add_server(zerrit_server("bare"))
    after = {(one.kind, one.server) for one in zerrit.overview().items}
    assert after - before == {("never-fetched", "bare")}


def zerrit_server(name: str) -> api.ServerIn:
    return api.ServerIn.model_validate(
        {"id": name, "title": name, "connection": {"kind": "manual"}, "control": {"kind": "manual"}}
    )


def test_a_table_is_narrowed_to_what_a_change_has_changed_and_to_findings(shared: Shared) -> None:
    _, zerrit = shared
    change = zerrit.create_change("coral-gate", "Two finds").id
    gimbal, sextant = "shelf[brass]/find[Copper Gimbal]", "shelf[brass]/find[Brass Sextant]"
    zerrit.add_step(change, api.StepIn(kind="set", address=f"{FINDS}#{gimbal}/@worth", operation="=46"))
    zerrit.add_step(change, api.StepIn(kind="set", address=f"{FINDS}#{sextant}/@ground", operation="=Nowhere"))

    def rows(kind: str, only: str) -> list[str]:
        query = {"path": FINDS, "kind": kind, "change": change, "only": only}
        return [row.address for row in zerrit.entries("coral-gate", api.EntriesQuery.model_validate(query)).rows]

    assert sorted(rows("shelf/find", "changed")) == [sextant, gimbal]
    assert rows("shelf/find", "findings") == [sextant]
    assert rows("shelf", "changed") == rows("shelf", "findings") == ["shelf[brass]"]


def test_a_host_that_shows_another_certificate_needs_attention_until_it_is_right_again(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add("reef", "ftps")
        with quick.workspace.writing() as session:
            server = session.get_one(Server, "reef")
            accepted = server.connection
            server.connection = accepted.model_copy(update={"identity": "SHA256:" + "0" * 64})
        with pytest.raises(ProblemError):
            quick.zerrit.fetch("reef")
        (item,) = [one for one in quick.zerrit.overview().items if one.kind == "identity"]
        assert (item.server, "another certificate" in item.message) == ("reef", True)
        with quick.workspace.writing() as session:
            session.get_one(Server, "reef").connection = accepted
        quick.zerrit.fetch("reef")
        assert "identity" not in [one.kind for one in quick.zerrit.overview().items]


def test_players_and_pending_values_are_counted(tmp_path: Path) -> None:
    with quick_stack(tmp_path) as quick:
        quick.add()
        state = quick.zerrit.game_state("reef")
        assert (state.state, state.players) == ("running", 0)
        quick.game().players = 3
        assert quick.zerrit.game_state("reef").players == 3
        assert quick.zerrit.server("reef").pending == 0


@pytest.mark.parametrize("text", ["\0abc", "abc\0", "a\0", "tub \0", '"\0"', "\0\U00105cc0]"])
def test_a_sign_that_no_text_has_finds_nothing(shared: Shared, text: str) -> None:
    assert shared[1].search(text).hits == []
