"""
Every call of the service, described once: method, path, what is sent, and how the answer is read.

The sync and the async client only differ in how they send such a description.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Generic, Literal, TypeVar
from urllib.parse import quote

from pydantic import BaseModel, SecretStr, TypeAdapter

from zerrit import api

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Call(Generic[T]):
    method: str
    path: str
    parse: Callable[[Any], T]
    params: Mapping[str, Any] = field(default_factory=dict)
    json: Any = None
    data: Mapping[str, Any] | None = None
    files: Sequence[tuple[str, tuple[str, bytes, str]]] | None = None
    is_raw: bool = False  #: the answer is bytes, not JSON
    headers: Mapping[str, str] = field(default_factory=dict)


def _one(model: type[T]) -> Callable[[Any], T]:
    return TypeAdapter(model).validate_python


def _many(model: type[T]) -> Callable[[Any], list[T]]:
    return TypeAdapter(list[model]).validate_python  # type: ignore[valid-type]  # a list of what is handed in


def _bytes(data: Any) -> bytes:
    return bytes(data)


def _nothing(_: Any) -> None:
    return None


def _sent(value: BaseModel) -> dict[str, Any]:
    """The JSON of a request; secrets are opened only here, on their way out."""

    def opened(item: Any) -> Any:
        if isinstance(item, SecretStr):
            return item.get_secret_value()
        if isinstance(item, datetime):
            return item.isoformat()
        if isinstance(item, dict):
            return {name: opened(below) for name, below in item.items()}
        return item

    result: dict[str, Any] = opened(value.model_dump())
    return result


def _step(step: api.StepIn) -> dict[str, Any]:
    return step.model_dump(exclude_defaults=True) | {"kind": step.kind, "address": step.address}


def _server(server_id: str, rest: str = "") -> str:
    return f"/servers/{quote(server_id, safe='')}{rest}"


def _version(version: int | None) -> dict[str, str]:
    return {"If-Match": f'"{version}"'} if version is not None else {}


def token(name: str, password: str, label: str = "") -> Call[api.TokenOut]:
    """Sign in with name and password: a token for further calls. `label` names it in the list of tokens."""
    return Call("POST", "/tokens", _one(api.TokenOut), json={"name": name, "password": password, "label": label})


def tokens() -> Call[list[api.KeptTokenOut]]:
    """Your own sessions and tokens, without their secrets."""
    return Call("GET", "/tokens", _many(api.KeptTokenOut))


def revoke_token(token_id: int) -> Call[None]:
    """End one of your own sessions or tokens at once."""
    return Call("DELETE", f"/tokens/{token_id}", _nothing)


def sign_out() -> Call[None]:
    """End the session of this client's own token."""
    return Call("DELETE", "/session", _nothing)


def people() -> Call[list[api.PersonOut]]:
    """Everyone who may sign in, by name."""
    return Call("GET", "/people", _many(api.PersonOut))


def add_person(person: api.PersonIn) -> Call[api.PersonOut]:
    """Let someone more sign in: a helper with places that they may change, or another admin."""
    return Call("POST", "/people", _one(api.PersonOut), json=_sent(person))


def edit_person(name: str, may_change: Sequence[str] | None = None, password: str | None = None) -> Call[api.PersonOut]:
    """Give a helper other places, or someone another password, which ends their sessions and tokens."""
    given = {"may_change": list(may_change) if may_change is not None else None, "password": password}
    sent = {key: value for key, value in given.items() if value is not None}
    return Call("PATCH", f"/people/{quote(name, safe='')}", _one(api.PersonOut), json=sent)


def remove_person(name: str) -> Call[None]:
    """Someone may not sign in any more; what they did stays."""
    return Call("DELETE", f"/people/{quote(name, safe='')}", _nothing)


def change_password(old: str, new: str) -> Call[None]:
    """Change your own password; all your other sessions and tokens end."""
    return Call("PUT", "/me/password", _nothing, json={"old": old, "new": new})


def verify_activity() -> Call[api.ChainOut]:
    """Verify the hash chain of the activity log; what was altered or removed is named."""
    return Call("GET", "/activity/chain", _one(api.ChainOut))


def me() -> Call[api.PersonOut]:
    """Who this client is signed in as."""
    return Call("GET", "/me", _one(api.PersonOut))


def gamebooks() -> Call[list[api.GamebookOut]]:
    """The gamebooks that the service has, without their text."""
    return Call("GET", "/gamebooks", _many(api.GamebookOut))


def save_gamebook(name: str, text: str) -> Call[None]:
    """Save a gamebook under a name. A problem names the line of a fault in it."""
    return Call("PUT", f"/gamebooks/{quote(name, safe='')}", _nothing, json={"text": text})


def servers() -> Call[list[api.ServerOut]]:
    """All servers, each with its last snapshot and run."""
    return Call("GET", "/servers", _many(api.ServerOut))


def server(server_id: str) -> Call[api.ServerOut]:
    """One server."""
    return Call("GET", _server(server_id), _one(api.ServerOut))


def add_server(given: api.ServerIn) -> Call[api.ServerOut]:
    """Add a server. Its connection and control are tried at once."""
    return Call("POST", "/servers", _one(api.ServerOut), json=_sent(given))


def test_connection(given: api.ConnectionTestIn) -> Call[api.ConnectionTestOut]:
    """Look at what a connection leads to, before a server is added."""
    return Call("POST", "/connection-test", _one(api.ConnectionTestOut), json=_sent(given))


def test_control(given: api.ControlTestIn) -> Call[api.ControlTestOut]:
    """Ask a control whether its game runs, before a server is added."""
    return Call("POST", "/control-test", _one(api.ControlTestOut), json=_sent(given))


def change_server(given: api.ServerIn) -> Call[api.ServerOut]:
    """Give a server other settings. A secret that is left empty stays as it is stored."""
    return Call("PUT", _server(given.id), _one(api.ServerOut), json=_sent(given))


def game_state(server_id: str) -> Call[api.GameStateOut]:
    """What the control says of the game, and how many play where it counts them."""
    return Call("GET", _server(server_id, "/state"), _one(api.GameStateOut))


def fetch(server_id: str, thorough: bool = False) -> Call[api.FetchOut]:
    """Read what may have changed on the server; a difference becomes a new snapshot. `thorough` reads every file."""
    return Call("POST", _server(server_id, "/fetch"), _one(api.FetchOut), params=_given(thorough=thorough or None))


def import_defaults(server_id: str, label: str, archive: bytes) -> Call[api.SnapshotOut]:
    """Import the files that a game ships, as a ZIP, under a version label."""
    upload = [("archive", ("defaults.zip", archive, "application/zip"))]
    return Call("POST", _server(server_id, "/defaults"), _one(api.SnapshotOut), data={"label": label}, files=upload)


def files(server_id: str) -> Call[list[api.FileStateOut]]:
    """The files of the last snapshot with their state against the defaults."""
    return Call("GET", _server(server_id, "/files"), _many(api.FileStateOut))


def empty_folders(server_id: str) -> Call[list[str]]:
    """The folders of the last snapshot in which nothing is."""
    return Call("GET", _server(server_id, "/folders"), _many(str))


def file(server_id: str, path: str, change: int | None = None) -> Call[api.FileOut]:
    """The text of a file with its findings; with `change` as that change leaves it."""
    return Call("GET", _server(server_id, "/file"), _one(api.FileOut), params=_given(path=path, change=change))


def findings(
    server_id: str, path: str = "", change: int | None = None, limit: int | None = None
) -> Call[api.FindingsOut]:
    """The first findings of one file, or of all, 1,000 without a `limit`; with `change` as that change leaves them."""
    params = _given(path=path or None, change=change, limit=limit)
    return Call("GET", _server(server_id, "/findings"), _one(api.FindingsOut), params=params)


def address_in_text(
    server_id: str, path: str, line: int, column: int, change: int | None = None
) -> Call[api.AddressOut]:
    """The entry or field that a line and column (1-based) of a file belong to."""
    params = _given(path=path, line=line, column=column, change=change)
    return Call("GET", _server(server_id, "/address"), _one(api.AddressOut), params=params)


def entries(server_id: str, query: api.EntriesQuery) -> Call[api.EntriesOut]:
    """One page of the entries of a file as rows of cells, with what is known of each field."""
    params = query.model_dump(exclude_defaults=True) | {"path": query.path}
    return Call("GET", _server(server_id, "/entries"), _one(api.EntriesOut), params=params)


def entry_groups(server_id: str, query: api.GroupsQuery) -> Call[api.GroupsOut]:
    """Entries grouped by the value of a field, with counts and exact sums before and after a change."""
    params = query.model_dump(exclude_defaults=True) | {"path": query.path, "by": query.by}
    return Call("GET", _server(server_id, "/entry-groups"), _one(api.GroupsOut), params=params)


def overview() -> Call[api.OverviewOut]:
    """What needs a person, over all servers, the most pressing first."""
    return Call("GET", "/overview", _one(api.OverviewOut))


def search(text: str, server_id: str = "") -> Call[api.NameSearchOut]:
    """Servers, files, entries, settings, changes and snapshots with all words of `text` in their name or value."""
    return Call("GET", "/search", _one(api.NameSearchOut), params=_given(text=text, server=server_id))


def search_files(server_id: str, query: api.TextSearchQuery) -> Call[api.TextSearchOut]:
    """Search in the text of all files of a server; with a `replacement`, each place with what it would become."""
    params = query.model_dump(exclude_defaults=True) | {"text": query.text}
    return Call("GET", _server(server_id, "/text-search"), _one(api.TextSearchOut), params=params)


def replace_in_files(change_id: int, given: api.ReplaceIn, version: int | None = None) -> Call[api.ReplacedOut]:
    """Replace what a search finds in the files of a change; `version` as in `add_step`."""
    path = f"/changes/{change_id}/replacements"
    return Call("POST", path, _one(api.ReplacedOut), json=_sent(given), headers=_version(version))


def show(server_id: str, address: str) -> Call[list[api.ShownOut]]:
    """What is at an address: text, comment, and place in the file. A pattern gives several."""
    return Call("GET", _server(server_id, "/show"), _many(api.ShownOut), params={"address": address})


def changes(server_id: str) -> Call[list[api.ChangeOut]]:
    """The changes of a server, the newest first."""
    return Call("GET", _server(server_id, "/changes"), _many(api.ChangeOut))


def create_change(server_id: str, title: str) -> Call[api.ChangeOut]:
    """Create an empty change on the last snapshot of a server."""
    return Call("POST", _server(server_id, "/changes"), _one(api.ChangeOut), json={"title": title})


def change(change_id: int) -> Call[api.ChangeDetail]:
    """A change with its steps, findings, effects and checklist."""
    return Call("GET", f"/changes/{change_id}", _one(api.ChangeDetail))


def add_step(change_id: int, step: api.StepIn, version: int | None = None) -> Call[api.ChangeDetail]:
    """Add a step to a change. With `version` it is refused where someone else edited the change since."""
    path = f"/changes/{change_id}/steps"
    return Call("POST", path, _one(api.ChangeDetail), json=_step(step), headers=_version(version))


def missing_contents(digests: Sequence[str]) -> Call[list[str]]:
    """Which contents the service does not have, by their SHA-256; the others need not be sent."""
    return Call("POST", "/contents/missing", _many(str), json={"digests": list(digests)})


def save_contents(files: Mapping[str, bytes]) -> Call[list[api.ContentOut]]:
    """Send contents for the steps of a change; they are named by their SHA-256 then."""
    parts = [("files", (path.rpartition("/")[2], data, "application/octet-stream")) for path, data in files.items()]
    return Call("POST", "/contents", _many(api.ContentOut), files=parts)


def stored(server_id: str, path: str, snapshot: int | None = None) -> Call[bytes]:
    """The bytes of a file as it is stored, or a folder as a ZIP; of the last snapshot, or of another one."""
    params = _given(path=path, snapshot=snapshot)
    return Call("GET", _server(server_id, "/stored"), _bytes, params=params, is_raw=True)


def bundles() -> Call[list[api.BundleOut]]:
    """The kept bundles, the newest first."""
    return Call("GET", "/bundles", _many(api.BundleOut))


def bundle(bundle_id: int) -> Call[api.BundleOut]:
    """A kept bundle."""
    return Call("GET", f"/bundles/{bundle_id}", _one(api.BundleOut))


def save_bundle(given: api.BundleIn) -> Call[api.BundleOut]:
    """Keep a bundle whose contents were sent before; the same archive is kept once."""
    return Call("POST", "/bundles", _one(api.BundleOut), json=_sent(given))


def save_archive(file_name: str, archive: bytes, origin: str = "") -> Call[api.BundleOut]:
    """Keep a bundle from its archive (ZIP or TAR), which the service unpacks."""
    files = [("file", (file_name, archive, "application/octet-stream"))]
    return Call("POST", "/bundles/archive", _one(api.BundleOut), data={"origin": origin}, files=files)


def forget_bundle(bundle_id: int) -> Call[None]:
    """Keep a bundle no longer; what is installed of it stays."""
    return Call("DELETE", f"/bundles/{bundle_id}", _nothing)


def bundle_inventory(bundle_id: int, server_id: str = "") -> Call[api.InventoryOut]:
    """What a bundle holds; beside a server also where it goes and what is there already."""
    path = f"/bundles/{bundle_id}/inventory"
    return Call("GET", path, _one(api.InventoryOut), params=_given(server=server_id))


def server_bundles(server_id: str) -> Call[list[api.ServerBundleOut]]:
    """The bundles of a server: version, on or off, place in the order, edited files, loaded at the last start."""
    return Call("GET", _server(server_id, "/bundles"), _many(api.ServerBundleOut))


def install_bundle(server_id: str, given: api.InstallIn) -> Call[api.InstallOut]:
    """What installing a kept bundle comes to; with `create` a change is opened for it."""
    return Call("POST", _server(server_id, "/bundles/install"), _one(api.InstallOut), json=_sent(given))


def switch_bundle(server_id: str, given: api.SwitchIn) -> Call[api.SwitchOut]:
    """What switching a bundle on or off comes to; with `create` a change is opened for it."""
    return Call("POST", _server(server_id, "/bundles/switch"), _one(api.SwitchOut), json=_sent(given))


def remove_bundle(server_id: str, given: api.RemoveBundleIn) -> Call[api.SwitchOut]:
    """What removing a bundle comes to; with `create` a change is opened for it."""
    return Call("POST", _server(server_id, "/bundles/remove"), _one(api.SwitchOut), json=_sent(given))


def same_bundles(server_id: str, given: api.SameBundlesIn) -> Call[api.SwitchOut]:
    """What it takes to have the same bundles on as another server; with `create` a change is opened for it."""
    return Call("POST", _server(server_id, "/bundles/same"), _one(api.SwitchOut), json=_sent(given))


def add_steps(change_id: int, steps: Sequence[api.StepIn], version: int | None = None) -> Call[api.ChangeDetail]:
    """Add several steps, or none of them where one is impossible or changes nothing; `version` as in `add_step`."""
    path = f"/changes/{change_id}/step-list"
    sent = {"steps": [_step(step) for step in steps]}
    return Call("POST", path, _one(api.ChangeDetail), json=sent, headers=_version(version))


def remove_steps(change_id: int, step_ids: Sequence[int], version: int | None = None) -> Call[api.StepsOut]:
    """Remove several steps, or none of them; they are returned, so that they can be added again."""
    path = f"/changes/{change_id}/steps"
    return Call("DELETE", path, _one(api.StepsOut), params={"step": list(step_ids)}, headers=_version(version))


def check_typed(server_id: str, typed: api.TypedIn, change: int | None = None) -> Call[api.TypedCheckOut]:
    """Check a file with text that is being typed, on the latest files or as a change leaves them; nothing is saved."""
    params = _given(change=change)
    return Call("POST", _server(server_id, "/typed"), _one(api.TypedCheckOut), json=_sent(typed), params=params)


def save_text(change_id: int, typed: api.TypedIn, version: int | None = None) -> Call[api.SavedTextOut]:
    """Save what was typed into a file as steps of a change; `version` as in `add_step`."""
    path = f"/changes/{change_id}/text"
    return Call("POST", path, _one(api.SavedTextOut), json=_sent(typed), headers=_version(version))


def plan_merge(
    change_id: int,
    path: str,
    snippet: str,
    into: str = "",
    *,
    take: Sequence[str] = (),
    existing: Literal["", "combine", "replace", "skip"] = "",
) -> Call[api.MergePlanOut]:
    """What merging a published snippet, or the part of it in `take`, would do, entry by entry; nothing is saved."""
    body = {"path": path, "snippet": snippet, "into": into, "take": list(take), "existing": existing}
    return Call("POST", f"/changes/{change_id}/merge-plan", _one(api.MergePlanOut), json=body)


def try_step(change_id: int, step: api.StepIn, offset: int = 0) -> Call[api.OutcomeOut]:
    """What a step would do, place by place, of very many places a page from `offset` on; nothing is saved."""
    params = _given(offset=offset or None)
    return Call("POST", f"/changes/{change_id}/try", _one(api.OutcomeOut), json=_step(step), params=params)


def replay(change_id: int, given: api.ReplayIn) -> Call[api.ReplayOut]:
    """Try a change's steps on another server; with `create` in `given` they become a change there."""
    return Call("POST", f"/changes/{change_id}/replay", _one(api.ReplayOut), json=_sent(given))


def upgrade_plan(server_id: str, given: api.UpgradeIn) -> Call[api.UpgradeOut]:
    """What new defaults change, what was changed here, what merges and what conflicts."""
    return Call("POST", _server(server_id, "/upgrade-plan"), _one(api.UpgradeOut), json=_sent(given))


def open_upgrade(server_id: str, given: api.UpgradeIn) -> Call[api.ChangeDetail]:
    """Make a change of an upgrade; every conflict has to be decided."""
    return Call("POST", _server(server_id, "/upgrade"), _one(api.ChangeDetail), json=_sent(given))


def balance(
    server_id: str, address: str, by: Sequence[str] = (), targets: Sequence[str] = (), change: int | None = None
) -> Call[api.TallyOut]:
    """Sum and count the numbers at an address by group, before and after a change. Each target is `GROUP=PERCENT`."""
    params = _given(address=address, by=list(by), target=list(targets), change=change)
    return Call("GET", _server(server_id, "/figures/balance"), _one(api.TallyOut), params=params)


def room(
    server_id: str,
    address: str,
    limit: str = "",
    by: Literal["share", "order", "age"] = "share",
    first: Sequence[str] = (),
    spare: Sequence[str] = (),
    change: int | None = None,
) -> Call[api.RoomOut]:
    """Which numbers to lower, so that their sum stays within a limit; what the change itself sets is not touched."""
    params = _given(address=address, limit=limit, by=by, first=list(first), spare=list(spare), change=change)
    return Call("GET", _server(server_id, "/figures/room"), _one(api.RoomOut), params=params)


def odds(
    server_id: str,
    table: str = "",
    case: str | None = None,
    worth: str = "",
    amount: str = "",
    change: int | None = None,
) -> Call[list[api.OddsOut]]:
    """The exact odds of draw tables, before and after a change; with `worth`, what a use is worth on average."""
    params = _given(table=table, case=case, worth=worth, amount=amount, change=change)
    return Call("GET", _server(server_id, "/figures/odds"), _many(api.OddsOut), params=params)


def odds_seen(
    server_id: str,
    table: str,
    thing: str,
    count: int,
    draws: int,
    pieces: bool = False,
    case: str = "",
    change: int | None = None,
) -> Call[list[api.SeenOut]]:
    """How likely it is to see a thing as often as it was seen, or more extreme."""
    params = _given(table=table, thing=thing, count=count, draws=draws, pieces=pieces, case=case, change=change)
    return Call("GET", _server(server_id, "/figures/odds/seen"), _many(api.SeenOut), params=params)


def odds_apart(server_id: str, table: str, thing: str, case: str = "", change: int | None = None) -> Call[api.ApartOut]:
    """How many draws tell the odds before a change from those after it."""
    params = _given(table=table, thing=thing, case=case, change=change)
    return Call("GET", _server(server_id, "/figures/odds/apart"), _one(api.ApartOut), params=params)


def odds_weight(
    server_id: str,
    table: str,
    thing: str,
    wanted: str,
    aim: Literal["chance", "average"] = "chance",
    at: str = "",
    whole: bool = False,
    case: str = "",
    change: int | None = None,
) -> Call[api.WeightOut]:
    """Which weight gives a thing a chance of at least one (from 0 to 1), or an average number."""
    params = _given(table=table, thing=thing, at=at, whole=whole, case=case, change=change) | {aim: wanted}
    return Call("GET", _server(server_id, "/figures/odds/weight"), _one(api.WeightOut), params=params)


def derived(
    server_id: str, names: Sequence[str], amounts: Sequence[str] = (), change: int | None = None
) -> Call[list[api.DerivedOut]]:
    """Values that the game works out, such as prices, beside those before a change."""
    params = _given(name=list(names), amount=list(amounts), change=change)
    return Call("GET", _server(server_id, "/figures/derived"), _many(api.DerivedOut), params=params)


def loops(server_id: str, name: str = "", change: int | None = None) -> Call[api.LoopsOut]:
    """Trades that gain in a circle, with the smallest change of a price that ends each."""
    return Call(
        "GET", _server(server_id, "/figures/loops"), _one(api.LoopsOut), params=_given(name=name, change=change)
    )


def free_numbers(server_id: str, addresses: Sequence[str], change: int | None = None) -> Call[list[api.FreeNumberOut]]:
    """The next free numbers of families of ids."""
    params = _given(address=list(addresses), change=change)
    return Call("GET", _server(server_id, "/figures/free-numbers"), _many(api.FreeNumberOut), params=params)


def distances(
    server_id: str,
    address: str,
    axes: Sequence[str],
    centre: Sequence[str] = (),
    *,
    to: str = "",
    radius: str = "",
    box: Sequence[str] = (),
    height: str = "",
    floors: Sequence[str] = (),
    facing: str = "",
    zero: Literal["+x", "-x", "+z", "-z"] = "+z",
    turns: Literal["right", "left"] = "right",
    change: int | None = None,
) -> Call[list[api.DistanceOut]]:
    """How far entries lie from a centre or from the nearest of others: within a radius or a box, by floor and facing."""
    params = _given(address=address, axes=list(axes), centre=list(centre), to=to, radius=radius, box=list(box))
    params |= _given(height=height, floors=list(floors), facing=facing, change=change)
    params |= {"zero": zero, "turns": turns} if facing else {}
    return Call("GET", _server(server_id, "/figures/distances"), _many(api.DistanceOut), params=params)


def check(change_id: int) -> Call[api.ChangeDetail]:
    """Check a change: it becomes `checked` when nothing blocks it."""
    return Call("POST", f"/changes/{change_id}/check", _one(api.ChangeDetail))


def waive(
    change_id: int, code: str, address: str, reason: str, until: datetime | None = None
) -> Call[api.ChangeDetail]:
    """Waive a finding of a change with a reason, until a day or for good."""
    body = _waiver(code, address, reason, until)
    return Call("POST", f"/changes/{change_id}/waivers", _one(api.ChangeDetail), json=body)


def update(change_id: int) -> Call[api.ChangeDetail]:
    """Put a change on the last snapshot of its server."""
    return Call("POST", f"/changes/{change_id}/update", _one(api.ChangeDetail))


def withdraw(change_id: int) -> Call[api.ChangeDetail]:
    """Withdraw a change; it stays in the list and is no longer edited."""
    return Call("POST", f"/changes/{change_id}/withdraw", _one(api.ChangeDetail))


def differences(change_id: int, against: str = "base", texts: bool = False, sides: str = "") -> Call[api.ComparisonOut]:
    """What a change does, by entry: against `base`, `live` or `defaults`. `texts` adds the differences of lines, `sides`
    the complete text of one file in both states.
    """
    params = {"against": against, "texts": texts, "sides": sides}
    return Call("GET", f"/changes/{change_id}/differences", _one(api.ComparisonOut), params=params)


def comparison(old: str, new: str, only: str = "", texts: bool = False, sides: str = "") -> Call[api.ComparisonOut]:
    """The differences between two states, such as `reef@12` and `reef@live`; `texts` and `sides` as in `differences`."""
    params = _given(old=old, new=new, only=only) | {"texts": texts, "sides": sides}
    return Call("GET", "/comparison", _one(api.ComparisonOut), params=params)


def state(state: str, known: Mapping[str, str]) -> Call[bytes]:
    """The files of a state as a ZIP, without those whose hash is in `known`."""
    return Call("POST", "/state", _bytes, json={"state": state, "known": dict(known)}, is_raw=True)


def run(run_id: int) -> Call[api.RunOut]:
    """A run with its stages and evidence."""
    return Call("GET", f"/runs/{run_id}", _one(api.RunOut))


def runs(server_id: str) -> Call[list[api.RunOut]]:
    """The runs of a server, the newest first."""
    return Call("GET", _server(server_id, "/runs"), _many(api.RunOut))


def snapshots(server_id: str) -> Call[list[api.SnapshotOut]]:
    """The snapshots and defaults of a server, the newest first."""
    return Call("GET", _server(server_id, "/snapshots"), _many(api.SnapshotOut))


def activity(server_id: str) -> Call[list[api.ActivityOut]]:
    """What was done with a server, by whom, the newest first."""
    return Call("GET", _server(server_id, "/activity"), _many(api.ActivityOut))


def _given(**params: Any) -> dict[str, Any]:
    return {name: value for name, value in params.items() if value not in (None, "")}


# --- checks, gamebooks, review ----------------------------------------------------------------------------------------


def _waiver(code: str, address: str, reason: str, until: datetime | None) -> dict[str, Any]:
    return {"code": code, "address": address, "reason": reason, "until": until.isoformat() if until else None}


def check_server(server_id: str) -> Call[api.CheckOut]:
    """The findings in the last snapshot of a server."""
    return Call("GET", _server(server_id, "/check"), _one(api.CheckOut))


def waivers(server_id: str) -> Call[list[api.WaiverOut]]:
    """The waivers of a server, and whether each is still in use."""
    return Call("GET", _server(server_id, "/waivers"), _many(api.WaiverOut))


def waive_on(
    server_id: str, code: str, address: str, reason: str, until: datetime | None = None
) -> Call[list[api.WaiverOut]]:
    """Waive a finding of a server with a reason, until a day or for good."""
    body = _waiver(code, address, reason, until)
    return Call("POST", _server(server_id, "/waivers"), _many(api.WaiverOut), json=body)


def remove_waiver(server_id: str, waiver: int) -> Call[None]:
    """Remove a waiver; its findings count again."""
    return Call("DELETE", _server(server_id, f"/waivers/{waiver}"), _nothing)


def about(server_id: str, address: str, change: int | None = None) -> Call[api.AboutOut]:
    """Everything that is known of an address: rules, default, references, history."""
    return Call("GET", _server(server_id, "/about"), _one(api.AboutOut), params=_given(address=address, change=change))


def complete(server_id: str, typed: str, value: str | None = None) -> Call[list[str]]:
    """How an address that is being typed may go on; with `value`, what its field may hold."""
    params = {"typed": typed} | ({"value": value} if value is not None else {})
    return Call("GET", _server(server_id, "/complete"), _many(str), params=params)


def gamebook_text(name: str) -> Call[api.GamebookTextOut]:
    """The text of a gamebook."""
    return Call("GET", f"/gamebooks/{quote(name, safe='')}", _one(api.GamebookTextOut))


def gamebook_overview(server_id: str) -> Call[api.GamebookOverview]:
    """The gamebook of a server: its rules with how often each holds, its lists and files."""
    return Call("GET", _server(server_id, "/gamebook"), _one(api.GamebookOverview))


def test_gamebook(server_id: str, text: str) -> Call[api.GamebookTrial]:
    """What another text of the gamebook would find in the files; nothing is saved."""
    return Call("POST", _server(server_id, "/gamebook/test"), _one(api.GamebookTrial), json={"text": text})


def notes(server_id: str, address: str = "") -> Call[list[api.NoteOut]]:
    """The notes beside places of a server, of one address or of all."""
    return Call("GET", _server(server_id, "/notes"), _many(api.NoteOut), params={"address": address})


def add_note(server_id: str, address: str, text: str) -> Call[api.NoteOut]:
    """Write a note beside a place of a server: why a value is as it is."""
    return Call("POST", _server(server_id, "/notes"), _one(api.NoteOut), json={"address": address, "text": text})


def player_notes(change: int) -> Call[api.PlayerNotesOut]:
    """What a change means for the players, as Markdown."""
    return Call("GET", f"/changes/{change}/player-notes", _one(api.PlayerNotesOut))


def comments(change: int) -> Call[list[api.NoteOut]]:
    """The comments in a change, the oldest first."""
    return Call("GET", f"/changes/{change}/comments", _many(api.NoteOut))


def add_comment(change: int, text: str, address: str = "") -> Call[api.NoteOut]:
    """Write a comment in a change, beside a place or on the change as a whole."""
    return Call("POST", f"/changes/{change}/comments", _one(api.NoteOut), json={"address": address, "text": text})


def remove_note(note_id: int) -> Call[None]:
    """Remove a note or comment of your own."""
    return Call("DELETE", f"/notes/{note_id}", _nothing)


def keep_note(note_id: int, *, dry_run: bool = False) -> Call[api.GamebookEditOut]:
    """Put a note beside a value into the gamebook, as a decision that is told to whoever changes the value."""
    return Call("POST", f"/notes/{note_id}/decision", _one(api.GamebookEditOut), json={"dry_run": dry_run})


def place_of_rule(server_id: str, address: str) -> Call[api.RulePlaceOut]:
    """Where the rule of a field stands in the gamebook of a server, or would stand."""
    return Call("GET", _server(server_id, "/gamebook/rule"), _one(api.RulePlaceOut), params={"address": address})


def save_as_gamebook(server_id: str, text: str) -> Call[api.GamebookNameOut]:
    """Save a text as the gamebook of a server; one without a gamebook gets it under its own name."""
    return Call("PUT", _server(server_id, "/gamebook"), _one(api.GamebookNameOut), json={"text": text})


def suggestions(server_id: str) -> Call[list[api.SuggestionOut]]:
    """Rules that were seen in the files and that no one has decided about."""
    return Call("GET", _server(server_id, "/suggestions"), _many(api.SuggestionOut))


def decide(
    server_id: str,
    suggestions: Sequence[str],
    *,
    accept: bool,
    data: Mapping[str, Any] | None = None,
    dry_run: bool = False,
) -> Call[api.GamebookEditOut]:
    """Accept suggested rules, a single one also as `data` says, or reject them; all of them, or none."""
    given = {"suggestions": list(suggestions), "accept": accept, "data": data, "dry_run": dry_run}
    return Call("POST", _server(server_id, "/suggestions"), _one(api.GamebookEditOut), json=given)


def put_rule(
    server_id: str, location: Sequence[str | int], data: Mapping[str, Any] | None, *, dry_run: bool = False
) -> Call[api.GamebookEditOut]:
    """Put one rule at its place in the gamebook of a server, such as `["refers", 2]`; None removes what is there."""
    given = {"location": list(location), "data": data, "dry_run": dry_run}
    return Call("PUT", _server(server_id, "/gamebook/rule"), _one(api.GamebookEditOut), json=given)


def file_format(server_id: str, path: str) -> Call[api.FileFormatOut]:
    """How a file is read, and whether its name, the gamebook or its content says so."""
    return Call("GET", _server(server_id, "/file/format"), _one(api.FileFormatOut), params={"path": path})


def read_file_as(server_id: str, path: str, format: str | None, *, dry_run: bool = False) -> Call[api.GamebookEditOut]:
    """Say in the gamebook of a server how a file is read, such as `keywords`; None leaves it to its name and content."""
    given = {"path": path, "format": format, "dry_run": dry_run}
    return Call("PUT", _server(server_id, "/file/format"), _one(api.GamebookEditOut), json=given)


def forms(server_id: str) -> Call[list[api.FormOut]]:
    """The forms of a server's gamebook."""
    return Call("GET", _server(server_id, "/forms"), _many(api.FormOut))


def drafted_form(server_id: str, address: str) -> Call[api.DraftedFormOut]:
    """A form made from an existing entry, also as YAML for a gamebook."""
    return Call("GET", _server(server_id, "/forms/draft"), _one(api.DraftedFormOut), params={"address": address})


def fill_form(change_id: int, given: api.FormIn, version: int | None = None) -> Call[api.FilledFormOut]:
    """Fill in a form: all its steps are added to the change, or none; `version` as in `add_step`."""
    sent = given.model_dump(mode="json")
    return Call("POST", f"/changes/{change_id}/form", _one(api.FilledFormOut), json=sent, headers=_version(version))


# --- the shelf --------------------------------------------------------------------------------------------------------


def shelf() -> Call[list[api.KeptOut]]:
    """The snippets on the shelf."""
    return Call("GET", "/shelf", _many(api.KeptOut))


def shelf_snippet(name: str, server_id: str = "") -> Call[api.KeptTextOut]:
    """A snippet of the shelf with its text, where it was put, and what differs there from it now."""
    return Call("GET", f"/shelf/{quote(name, safe='')}", _one(api.KeptTextOut), params=_given(server=server_id))


def keep_on_shelf(name: str, given: api.KeptIn) -> Call[api.KeptTextOut]:
    """Put a snippet on the shelf, or a newer text under its name."""
    return Call("PUT", f"/shelf/{quote(name, safe='')}", _one(api.KeptTextOut), json=given.model_dump(mode="json"))


def remove_from_shelf(name: str) -> Call[None]:
    """Take a snippet off the shelf; files into which it was put stay as they are."""
    return Call("DELETE", f"/shelf/{quote(name, safe='')}", _nothing)


def plan_from_shelf(change_id: int, given: api.PlacedIn) -> Call[api.MergePlanOut]:
    """What putting a snippet of the shelf into a change would do, entry by entry; nothing is saved."""
    sent = given.model_dump(mode="json")
    return Call("POST", f"/changes/{change_id}/shelf-plan", _one(api.MergePlanOut), json=sent)


def put_from_shelf(change_id: int, given: api.PlacedIn) -> Call[api.ChangeDetail]:
    """Put a snippet of the shelf into a change: one step that merges it."""
    return Call("POST", f"/changes/{change_id}/shelf", _one(api.ChangeDetail), json=given.model_dump(mode="json"))


def update_from_shelf(name: str, create: bool = False) -> Call[list[api.UpdatedOut]]:
    """Bring what was changed on the shelf since into all places of a snippet; with `create`, changes are created for it."""
    return Call("POST", f"/shelf/{quote(name, safe='')}/update", _many(api.UpdatedOut), json={"create": create})


def relate(
    server_id: str, relation: str, first: str, second: str, *, dry_run: bool = False
) -> Call[api.GamebookEditOut]:
    """Make a rule between the fields at two addresses: the first is `equal`, `at-most`, or `refers-to` the second."""
    given = {"relation": relation, "first": first, "second": second, "dry_run": dry_run}
    return Call("POST", _server(server_id, "/gamebook/relations"), _one(api.GamebookEditOut), json=given)


def adjust_rule(
    server_id: str, code: str, address: str, how: str, *, change: int | None = None, dry_run: bool = False
) -> Call[api.GamebookEditOut]:
    """Change the rule behind a finding: `allow` its value, `skip-file`, or make it an `error`, `warning` or `notice`."""
    given = {"code": code, "address": address, "how": how, "change": change, "dry_run": dry_run}
    return Call("POST", _server(server_id, "/gamebook/adjustments"), _one(api.GamebookEditOut), json=given)


def draft_gamebook(server_id: str) -> Call[api.GamebookTextOut]:
    """A gamebook drafted from the defaults of a server; nothing is saved."""
    return Call("POST", _server(server_id, "/gamebook/draft"), _one(api.GamebookTextOut))


def review(server_id: str) -> Call[list[api.FileReviewOut]]:
    """How many settings of each file no one has reviewed."""
    return Call("GET", _server(server_id, "/review"), _many(api.FileReviewOut))


def review_file(server_id: str, path: str) -> Call[list[api.SettingOut]]:
    """The settings of a file, each with who reviewed it and when."""
    return Call("GET", _server(server_id, "/review/file"), _many(api.SettingOut), params={"path": path})


def mark_read(server_id: str, path: str, addresses: Sequence[str] | None = None) -> Call[api.ReadOut]:
    """Mark settings of a file as reviewed; all of them where no addresses are given."""
    body = {"path": path, "addresses": list(addresses) if addresses is not None else None}
    return Call("POST", _server(server_id, "/review"), _one(api.ReadOut), json=body)


# --- runs -------------------------------------------------------------------------------------------------------------


def deploy(change_id: int, options: api.OptionsIn | None = None) -> Call[api.RunOut]:
    """Begin to deploy a change. The run goes on in the service; `follow` shows its progress."""
    return Call("POST", f"/changes/{change_id}/deploy", _one(api.RunOut), json=_options(options))


def deploy_together(server_id: str, changes: Sequence[int], options: api.OptionsIn | None = None) -> Call[api.RunOut]:
    """Begin to deploy several changes of a server in one run, in this order."""
    body = {"changes": list(changes), "options": _options(options)}
    return Call("POST", _server(server_id, "/deploy"), _one(api.RunOut), json=body)


def rollback(server_id: str, snapshot: int, options: api.OptionsIn | None = None) -> Call[api.RunOut]:
    """Begin to roll a server back to a snapshot."""
    body = {"snapshot": snapshot, "options": _options(options)}
    return Call("POST", _server(server_id, "/rollback"), _one(api.RunOut), json=body)


def restart(server_id: str, options: api.OptionsIn | None = None) -> Call[api.RunOut]:
    """Begin to restart a game, with a snapshot while it is stopped."""
    return Call("POST", _server(server_id, "/restart"), _one(api.RunOut), json=_options(options))


def _options(options: api.OptionsIn | None) -> dict[str, Any]:
    return (options or api.OptionsIn()).model_dump(mode="json")


def cancel(run_id: int) -> Call[api.RunOut]:
    """Cancel a run: what it wrote is reverted. Where it waits for a person on its way back, it is abandoned."""
    return Call("POST", f"/runs/{run_id}/cancel", _one(api.RunOut))


def report_state(server_id: str, is_running: bool, is_sure: bool = False) -> Call[dict[str, str]]:
    """Report whether a game runs that a person stops and starts. Its log is checked first."""
    body = {"is_running": is_running, "is_sure": is_sure}
    return Call("POST", _server(server_id, "/report"), _one(dict[str, str]), json=body)


def upload(server_id: str, shown: Mapping[str, bytes], gone: Sequence[str] = ()) -> Call[api.UploadOut]:
    """Upload files of a server with a manual connection, and say which are gone."""
    parts = [("files", (path.rpartition("/")[2], data, "application/octet-stream")) for path, data in shown.items()]
    body: dict[str, Any] = {"paths": list(shown), "gone": list(gone)}
    return Call("POST", _server(server_id, "/upload"), _one(api.UploadOut), data=body, files=parts)


def upload_zip(server_id: str, archive: bytes) -> Call[api.UploadOut]:
    """Upload the files of a server with a manual connection as a ZIP."""
    parts = [("files", ("files.zip", archive, "application/zip"))]
    return Call("POST", _server(server_id, "/upload"), _one(api.UploadOut), files=parts)


def evidence_file(run_id: int, path: str) -> Call[bytes]:
    """The bytes of a file that a failed start wrote."""
    return Call("GET", f"/runs/{run_id}/evidence/{quote(path)}", _bytes, is_raw=True)


def instructions(run_id: int) -> Call[bytes]:
    """What a person has to do for a run, as a ZIP with the files and numbered steps."""
    return Call("GET", f"/runs/{run_id}/instructions", _bytes, is_raw=True)


def accept_identity(server_id: str, identity: str) -> Call[api.ServerOut]:
    """Accept another certificate or key of a server's host; the connection is tried with it."""
    return Call("POST", _server(server_id, "/accept"), _one(api.ServerOut), json={"identity": identity})


def answer_checklist(change_id: int, item_id: int, is_right: bool, note: str = "") -> Call[api.ChangeDetail]:
    """Say how one item of a checklist is in the game."""
    body = {"is_right": is_right, "note": note}
    return Call("POST", f"/changes/{change_id}/checklist/{item_id}", _one(api.ChangeDetail), json=body)


def mark_in_effect(change_id: int, pending_id: int) -> Call[api.ChangeDetail]:
    """Say that a value that waited for more than a restart is in effect."""
    return Call("POST", f"/changes/{change_id}/pending/{pending_id}", _one(api.ChangeDetail))


def confirm(change_id: int, note: str) -> Call[api.ChangeDetail]:
    """Confirm a change that has no checklist, with a note."""
    return Call("POST", f"/changes/{change_id}/confirm", _one(api.ChangeDetail), json={"note": note})


# --- snapshots, drift, taking back ------------------------------------------------------------------------------------


def take_snapshot(server_id: str, reason: str = "", pin: bool = False) -> Call[api.SnapshotOut]:
    """Take a snapshot of a server as it is now; `pin` keeps it for good."""
    body = {"reason": reason, "pin": pin}
    return Call("POST", _server(server_id, "/snapshots"), _one(api.SnapshotOut), json=body)


def pin_snapshot(server_id: str, snapshot: int, reason: str) -> Call[api.SnapshotOut]:
    """Pin a snapshot with a reason; an empty reason unpins it."""
    return Call("PUT", _server(server_id, f"/snapshots/{snapshot}/pin"), _one(api.SnapshotOut), json={"reason": reason})


def export_snapshot(server_id: str, snapshot: int) -> Call[bytes]:
    """A snapshot as a ZIP with a list of hashes and instructions."""
    return Call("GET", _server(server_id, f"/snapshots/{snapshot}/export"), _bytes, is_raw=True)


def import_snapshot(server_id: str, archive: bytes) -> Call[api.SnapshotOut]:
    """Import a snapshot that was exported."""
    upload = [("archive", ("snapshot.zip", archive, "application/zip"))]
    return Call("POST", _server(server_id, "/snapshots/import"), _one(api.SnapshotOut), files=upload)


def plan_pruning(server_id: str) -> Call[api.PruningOut]:
    """Which snapshots the retention of a server would prune, and why the others stay."""
    return Call("GET", _server(server_id, "/pruning"), _one(api.PruningOut))


def prune(server_id: str) -> Call[api.PruningOut]:
    """Prune snapshots by the retention of a server."""
    return Call("POST", _server(server_id, "/pruning"), _one(api.PruningOut))


def verify_all() -> Call[api.IntegrityOut]:
    """Hash all stored contents again; what is damaged is named."""
    return Call("POST", "/verification", _one(api.IntegrityOut))


def backup() -> Call[bytes]:
    """The service's own database as it is now."""
    return Call("GET", "/backup", _bytes, is_raw=True)


def restore_part(server_id: str, snapshot: int, what: str, title: str = "") -> Call[api.ChangeDetail]:
    """Create a change that makes a folder, file or entry as it was in a snapshot."""
    body = {"snapshot": snapshot, "what": what, "title": title}
    return Call("POST", _server(server_id, "/restore"), _one(api.ChangeDetail), json=body)


def revert(change_id: int, given: api.RevertIn) -> Call[api.RevertOut]:
    """What reverting a deployed change would do to the files of today; with `create` it becomes a change."""
    return Call("POST", f"/changes/{change_id}/revert", _one(api.RevertOut), json=_sent(given))


def drift(server_id: str, snapshot: int | None = None) -> Call[api.DriftOut]:
    """What was changed on a server outside Zerrit, by the last snapshot or another one."""
    return Call("GET", _server(server_id, "/drift"), _one(api.DriftOut), params=_given(snapshot=snapshot))


def adopt_drift(server_id: str, snapshot: int | None = None, title: str = "") -> Call[api.ChangeDetail]:
    """Create a change of what was changed outside Zerrit; it counts as deployed."""
    body = {"snapshot": snapshot, "title": title}
    return Call("POST", _server(server_id, "/drift/adopt"), _one(api.ChangeDetail), json=body)


def revert_drift(server_id: str, snapshot: int | None = None, title: str = "") -> Call[api.ChangeDetail]:
    """Create a change that takes back what was changed outside Zerrit."""
    body = {"snapshot": snapshot, "title": title}
    return Call("POST", _server(server_id, "/drift/revert"), _one(api.ChangeDetail), json=body)


# --- tasks, rollouts, the grid --------------------------------------------------------------------------------------


def schedule(server_id: str) -> Call[list[api.TaskOut]]:
    """The scheduled tasks of a server, with when each is due."""
    return Call("GET", _server(server_id, "/schedule"), _many(api.TaskOut))


def add_task(server_id: str, given: api.TaskIn) -> Call[api.TaskOut]:
    """Add a scheduled task."""
    return Call("POST", _server(server_id, "/schedule"), _one(api.TaskOut), json=_sent(given))


def remove_task(server_id: str, task: int) -> Call[None]:
    """Remove a scheduled task."""
    return Call("DELETE", _server(server_id, f"/schedule/{task}"), _nothing)


def queue(change_id: int) -> Call[api.ChangeDetail]:
    """Queue a change for the next scheduled restart."""
    return Call("POST", f"/changes/{change_id}/queue", _one(api.ChangeDetail))


def unqueue(change_id: int) -> Call[api.ChangeDetail]:
    """Take a change out of the queue."""
    return Call("DELETE", f"/changes/{change_id}/queue", _one(api.ChangeDetail))


def begin_rollout(given: api.RolloutIn) -> Call[api.RolloutOut]:
    """Begin to bring a change to several servers, wave by wave."""
    return Call("POST", "/rollouts", _one(api.RolloutOut), json=_sent(given))


def rollouts() -> Call[list[api.RolloutOut]]:
    """All rollouts, the newest first."""
    return Call("GET", "/rollouts", _many(api.RolloutOut))


def rollout(rollout_id: int) -> Call[api.RolloutOut]:
    """One rollout with how it goes on each server."""
    return Call("GET", f"/rollouts/{rollout_id}", _one(api.RolloutOut))


def server_values(address: str, servers: Sequence[str] = (), only_odd: bool = False) -> Call[api.ServerValuesOut]:
    """The values at an address on all servers, with those that differ marked."""
    params = _given(address=address, server=list(servers), only_odd=only_odd or None)
    return Call("GET", "/server-values", _one(api.ServerValuesOut), params=params)
