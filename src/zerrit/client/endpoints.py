"""
The calls as methods, once for both clients.

A call is described in `calls.py`. Here it gets its name as a method: of the sync client it gives its value, of the async one
something to await.
"""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from functools import wraps
from typing import TYPE_CHECKING, Any, Generic, ParamSpec, TypeVar, overload

from zerrit.client import calls
from zerrit.client.calls import Call

if TYPE_CHECKING:
    from zerrit.client.asynchronous import AsyncClient
    from zerrit.client.sync import Client

P = ParamSpec("P")
T = TypeVar("T")


class Endpoint(Generic[P, T]):
    """A call as a method of a client; what it takes and gives is said by the function that describes it."""

    def __init__(self, describe: Callable[P, Call[T]]) -> None:
        self._describe = describe
        self.__doc__ = describe.__doc__

    @overload
    def __get__(self, client: Client, owner: type[Client]) -> Callable[P, T]: ...

    @overload
    def __get__(self, client: AsyncClient, owner: type[AsyncClient]) -> Callable[P, Awaitable[T]]: ...

    def __get__(self, client: Any, owner: type) -> Any:
        @wraps(self._describe)
        def send(*args: P.args, **kwargs: P.kwargs) -> Any:
            return client.send(self._describe(*args, **kwargs))

        return send


class Endpoints:
    """Every call of the service."""

    token = Endpoint(calls.token)
    tokens = Endpoint(calls.tokens)
    revoke_token = Endpoint(calls.revoke_token)
    people = Endpoint(calls.people)
    add_person = Endpoint(calls.add_person)
    edit_person = Endpoint(calls.edit_person)
    remove_person = Endpoint(calls.remove_person)
    sign_out = Endpoint(calls.sign_out)
    change_password = Endpoint(calls.change_password)
    verify_activity = Endpoint(calls.verify_activity)
    me = Endpoint(calls.me)
    gamebooks = Endpoint(calls.gamebooks)
    save_gamebook = Endpoint(calls.save_gamebook)
    servers = Endpoint(calls.servers)
    server = Endpoint(calls.server)
    add_server = Endpoint(calls.add_server)
    test_connection = Endpoint(calls.test_connection)
    test_control = Endpoint(calls.test_control)
    change_server = Endpoint(calls.change_server)
    game_state = Endpoint(calls.game_state)
    fetch = Endpoint(calls.fetch)
    import_defaults = Endpoint(calls.import_defaults)
    files = Endpoint(calls.files)
    empty_folders = Endpoint(calls.empty_folders)
    file = Endpoint(calls.file)
    address_in_text = Endpoint(calls.address_in_text)
    findings = Endpoint(calls.findings)
    entries = Endpoint(calls.entries)
    show = Endpoint(calls.show)
    changes = Endpoint(calls.changes)
    missing_contents = Endpoint(calls.missing_contents)
    save_contents = Endpoint(calls.save_contents)
    stored = Endpoint(calls.stored)
    bundles = Endpoint(calls.bundles)
    bundle = Endpoint(calls.bundle)
    save_bundle = Endpoint(calls.save_bundle)
    save_archive = Endpoint(calls.save_archive)
    forget_bundle = Endpoint(calls.forget_bundle)
    bundle_inventory = Endpoint(calls.bundle_inventory)
    server_bundles = Endpoint(calls.server_bundles)
    install_bundle = Endpoint(calls.install_bundle)
    switch_bundle = Endpoint(calls.switch_bundle)
    remove_bundle = Endpoint(calls.remove_bundle)
    same_bundles = Endpoint(calls.same_bundles)
    create_change = Endpoint(calls.create_change)
    change = Endpoint(calls.change)
    add_step = Endpoint(calls.add_step)
    add_steps = Endpoint(calls.add_steps)
    remove_steps = Endpoint(calls.remove_steps)
    check_typed = Endpoint(calls.check_typed)
    save_text = Endpoint(calls.save_text)
    replace_in_files = Endpoint(calls.replace_in_files)
    entry_groups = Endpoint(calls.entry_groups)
    overview = Endpoint(calls.overview)
    search = Endpoint(calls.search)
    search_files = Endpoint(calls.search_files)
    plan_merge = Endpoint(calls.plan_merge)
    try_step = Endpoint(calls.try_step)
    replay = Endpoint(calls.replay)
    upgrade_plan = Endpoint(calls.upgrade_plan)
    open_upgrade = Endpoint(calls.open_upgrade)
    balance = Endpoint(calls.balance)
    room = Endpoint(calls.room)
    odds = Endpoint(calls.odds)
    odds_seen = Endpoint(calls.odds_seen)
    odds_apart = Endpoint(calls.odds_apart)
    odds_weight = Endpoint(calls.odds_weight)
    loops = Endpoint(calls.loops)
    derived = Endpoint(calls.derived)
    free_numbers = Endpoint(calls.free_numbers)
    distances = Endpoint(calls.distances)
    check = Endpoint(calls.check)
    waive = Endpoint(calls.waive)
    check_server = Endpoint(calls.check_server)
    waivers = Endpoint(calls.waivers)
    waive_on = Endpoint(calls.waive_on)
    remove_waiver = Endpoint(calls.remove_waiver)
    about = Endpoint(calls.about)
    complete = Endpoint(calls.complete)
    gamebook_text = Endpoint(calls.gamebook_text)
    gamebook_overview = Endpoint(calls.gamebook_overview)
    test_gamebook = Endpoint(calls.test_gamebook)
    notes = Endpoint(calls.notes)
    add_note = Endpoint(calls.add_note)
    player_notes = Endpoint(calls.player_notes)
    comments = Endpoint(calls.comments)
    add_comment = Endpoint(calls.add_comment)
    remove_note = Endpoint(calls.remove_note)
    keep_note = Endpoint(calls.keep_note)
    place_of_rule = Endpoint(calls.place_of_rule)
    save_as_gamebook = Endpoint(calls.save_as_gamebook)
    suggestions = Endpoint(calls.suggestions)
    decide = Endpoint(calls.decide)
    put_rule = Endpoint(calls.put_rule)
    file_format = Endpoint(calls.file_format)
    forms = Endpoint(calls.forms)
    drafted_form = Endpoint(calls.drafted_form)
    fill_form = Endpoint(calls.fill_form)
    read_file_as = Endpoint(calls.read_file_as)
    shelf = Endpoint(calls.shelf)
    shelf_snippet = Endpoint(calls.shelf_snippet)
    keep_on_shelf = Endpoint(calls.keep_on_shelf)
    remove_from_shelf = Endpoint(calls.remove_from_shelf)
    plan_from_shelf = Endpoint(calls.plan_from_shelf)
    put_from_shelf = Endpoint(calls.put_from_shelf)
    update_from_shelf = Endpoint(calls.update_from_shelf)
    relate = Endpoint(calls.relate)
    adjust_rule = Endpoint(calls.adjust_rule)
    draft_gamebook = Endpoint(calls.draft_gamebook)
    review = Endpoint(calls.review)
    review_file = Endpoint(calls.review_file)
    mark_read = Endpoint(calls.mark_read)
    update = Endpoint(calls.update)
    withdraw = Endpoint(calls.withdraw)
    differences = Endpoint(calls.differences)
    comparison = Endpoint(calls.comparison)
    state = Endpoint(calls.state)
    run = Endpoint(calls.run)
    runs = Endpoint(calls.runs)
    snapshots = Endpoint(calls.snapshots)
    activity = Endpoint(calls.activity)
    deploy = Endpoint(calls.deploy)
    deploy_together = Endpoint(calls.deploy_together)
    rollback = Endpoint(calls.rollback)
    restart = Endpoint(calls.restart)
    cancel = Endpoint(calls.cancel)
    report_state = Endpoint(calls.report_state)
    upload = Endpoint(calls.upload)
    upload_zip = Endpoint(calls.upload_zip)
    evidence_file = Endpoint(calls.evidence_file)
    instructions = Endpoint(calls.instructions)
    accept_identity = Endpoint(calls.accept_identity)
    answer_checklist = Endpoint(calls.answer_checklist)
    mark_in_effect = Endpoint(calls.mark_in_effect)
    confirm = Endpoint(calls.confirm)
    take_snapshot = Endpoint(calls.take_snapshot)
    pin_snapshot = Endpoint(calls.pin_snapshot)
    export_snapshot = Endpoint(calls.export_snapshot)
    import_snapshot = Endpoint(calls.import_snapshot)
    plan_pruning = Endpoint(calls.plan_pruning)
    prune = Endpoint(calls.prune)
    verify_all = Endpoint(calls.verify_all)
    backup = Endpoint(calls.backup)
    restore_part = Endpoint(calls.restore_part)
    revert = Endpoint(calls.revert)
    drift = Endpoint(calls.drift)
    adopt_drift = Endpoint(calls.adopt_drift)
    revert_drift = Endpoint(calls.revert_drift)
    schedule = Endpoint(calls.schedule)
    add_task = Endpoint(calls.add_task)
    remove_task = Endpoint(calls.remove_task)
    queue = Endpoint(calls.queue)
    unqueue = Endpoint(calls.unqueue)
    begin_rollout = Endpoint(calls.begin_rollout)
    rollouts = Endpoint(calls.rollouts)
    rollout = Endpoint(calls.rollout)
    server_values = Endpoint(calls.server_values)
