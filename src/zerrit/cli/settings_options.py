"""The options of a command for the kinds of connections and controls, made from their models."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import Any, Final, Literal, get_origin

import click
from annotated_types import Ge, Le
from pydantic.fields import FieldInfo

from zerrit.settings import Fills, FolderConnection, Kind

Decorator = Callable[[Callable[..., None]], Callable[..., None]]
_FILE: Final = click.Path(exists=True, dir_okay=False, path_type=Path)
#: Fields that the option of the kind itself fills.
_FILLED: Final = frozenset(("kind", "host", "port", "commands", "start"))


def kind_options(kinds: Sequence[type[Kind]]) -> Iterator[Decorator]:
    """One option that chooses each kind, then one for each of the other fields."""
    names = {kind.option.name for kind in kinds}
    for kind in kinds:
        option = kind.option
        match option.fills:
            case Fills.NOTHING:
                yield click.option(f"--{option.name}", is_flag=True, help=option.help)
            case Fills.FILE:
                yield click.option(f"--{option.name}", type=_FILE, help=option.help)
            case Fills.ADDRESS | Fills.FIELD:
                yield click.option(f"--{option.name}", metavar=option.fills.value, help=option.help)
    for name, field in _fields(kinds).items():
        option_name = name.replace("_", "-")
        if option_name not in names:
            is_list = get_origin(field.annotation) is list
            yield click.option(f"--{option_name}", name, type=_type_of(field), multiple=is_list, help=field.description)


def _fields(kinds: Sequence[type[Kind]]) -> dict[str, FieldInfo]:
    """The fields that need an option: not those that a kind's own option fills, nor those that only a file can give."""
    found: dict[str, FieldInfo] = {}
    for kind in kinds:
        own = _first_field(kind) if kind.option.fills is Fills.FIELD else ""
        for name, field in kind.model_fields.items():
            if name not in _FILLED and name != own and kind.option.fills is not Fills.FILE:
                found.setdefault(name, field)
    return found


def _first_field(kind: type[Kind]) -> str:
    return next(name for name in kind.model_fields if name != "kind")


def _type_of(field: FieldInfo) -> Any:
    if get_origin(field.annotation) is Literal:
        return click.Choice([str(choice) for choice in field.annotation.__args__])  # type: ignore[union-attr]
    if field.annotation is int:
        low = next((int(str(one.ge)) for one in field.metadata if isinstance(one, Ge)), None)
        high = next((int(str(one.le)) for one in field.metadata if isinstance(one, Le)), None)
        return click.IntRange(low, high)
    return click.STRING


def kind_called(kinds: Sequence[type[Kind]], name: str) -> type[Kind] | None:
    """The kind with this name; None where the service knows one that this command does not."""
    return next((kind for kind in kinds if kind.model_fields["kind"].default == name), None)


def chosen_settings(
    kinds: Sequence[type[Kind]], given: Mapping[str, Any], known: Mapping[str, Any], what: str
) -> dict[str, Any]:
    """The settings as the options say them, on top of those that are known."""
    chosen = _chosen(kinds, given, known)
    if chosen is None:
        if known:
            return dict(known)
        options = [f"--{kind.option.name} {kind.option.fills.value}".strip() for kind in kinds]
        raise click.UsageError(f"Name {what}: {', '.join(options[:-1])} or {options[-1]}.")
    kind = chosen.model_fields["kind"].default
    own = known if known.get("kind") == kind else MappingProxyType({})
    found = {**own, "kind": kind}
    value = given[chosen.option.name.replace("-", "_")]
    if value:
        found |= _filled(chosen, value, own)
    for name in chosen.model_fields:
        if name not in _FILLED and (value := given.get(name)):
            found[name] = list(value) if isinstance(value, tuple) else value
    _add_commands(chosen, given, found)
    if chosen is FolderConnection and given["folder"]:
        found["folder"] = str(Path(given["folder"]).resolve())
    return found


def _chosen(kinds: Sequence[type[Kind]], given: Mapping[str, Any], known: Mapping[str, Any]) -> type[Kind] | None:
    """The kind whose option is given; the kind that is known where only fields of it are given.

    An option that is a field of another kind too, such as `--folder`, chooses its kind only where no other does.
    """
    wanted = [kind for kind in kinds if given[kind.option.name.replace("-", "_")]]
    sole = [kind for kind in wanted if kind.option.fills is not Fills.FILE and not _is_shared(kind, kinds)]
    if len(sole) > 1:
        raise click.UsageError(f"Give only one of {' and '.join(f'--{kind.option.name}' for kind in sole)}.")
    of_server = kind_called(kinds, str(known.get("kind", "")))
    of_file = [kind for kind in wanted if kind.option.fills is Fills.FILE]
    shared = [kind for kind in wanted if of_server is None or not _has_field(of_server, kind)]
    return next(iter((*sole, *of_file, *shared)), of_server)


def _is_shared(kind: type[Kind], kinds: Sequence[type[Kind]]) -> bool:
    name = kind.option.name.replace("-", "_")
    return any(name in other.model_fields for other in kinds if other is not kind) and kind.option.fills is Fills.FIELD


def _has_field(kind: type[Kind], wanted: type[Kind]) -> bool:
    return wanted.option.name.replace("-", "_") in kind.model_fields


def _filled(kind: type[Kind], value: Any, known: Mapping[str, Any]) -> dict[str, Any]:
    match kind.option.fills:
        case Fills.ADDRESS:
            usual = known.get("port") or kind.model_fields["port"].get_default()
            return _host_and_port(value, f"--{kind.option.name}", usual if isinstance(usual, int) else 0)
        case Fills.FIELD:
            return {_first_field(kind): value}
        case _:
            return {}


def _host_and_port(text: str, option: str, usual: int) -> dict[str, Any]:
    host, _, port = text.partition(":")
    if (port and not port.isdigit()) or (not port and not usual):
        raise click.UsageError(f"{option} {text}: write HOST:PORT, such as files.example:{usual or 7777}.")
    return {"host": host, "port": int(port or usual)}


# --- commands from a file -----------------------------------------------------------------------------------------


def _add_commands(kind: type[Kind], given: Mapping[str, Any], found: dict[str, Any]) -> None:
    """What the file of `--commands` says, for a kind that has commands."""
    if "commands" not in kind.model_fields:
        return
    written = _read_commands(given["commands"]) if given.get("commands") else {}
    if "use_shell" in kind.model_fields and written:
        found["use_shell"] = bool(written.pop("shell", False))
    if "start" in kind.model_fields:
        found["start"] = written.pop("start", found.get("start", []))
        found["commands"] = written or found.get("commands") or {"stop": "stop"}
    elif written:
        found["commands"] = written


def _read_commands(path: Path) -> dict[str, Any]:
    import yaml  # noqa: PLC0415

    try:
        found = yaml.safe_load(path.read_text("utf-8"))
    except yaml.YAMLError as error:
        raise click.UsageError(f"{path} cannot be read: {error}") from error
    if not isinstance(found, dict):
        raise click.UsageError(f"{path} should hold names with commands, such as `stop: [systemctl, stop, my-game]`.")
    return found
