"""What two well-kept packages reach on the YAML suite: the mark that our reader is held to."""

from __future__ import annotations

import warnings
from typing import Any

import yaml
from ruamel.yaml import YAML
from ruamel.yaml.error import ReusedAnchorWarning
from ruamel.yaml.error import YAMLError as RuamelError

warnings.simplefilter("ignore", ReusedAnchorWarning)


def _one(documents: list[Any]) -> Any:
    return documents[0] if len(documents) == 1 else documents


def read_with_pyyaml(text: str) -> tuple[bool, Any]:
    """(accepted, data) by PyYAML's C parser with its safe constructor; None where it makes no data."""
    try:
        for _ in yaml.parse(text, Loader=yaml.CSafeLoader):
            pass
    except yaml.YAMLError:
        return False, None
    try:
        return True, _one(list(yaml.load_all(text, Loader=yaml.CSafeLoader)))
    except (yaml.YAMLError, ValueError, TypeError):
        return True, None


def read_with_ruamel(text: str) -> tuple[bool, Any]:
    """The same by ruamel.yaml's round-trip parser for YAML 1.2."""
    reader = YAML()
    try:
        for _ in reader.parse(text):
            pass
    except (RuamelError, AttributeError, ValueError, IndexError, NotImplementedError, AssertionError):
        return False, None
    try:
        return True, _one(list(YAML(typ="safe", pure=True).load_all(text)))
    except (RuamelError, AttributeError, ValueError, TypeError, IndexError, NotImplementedError, AssertionError):
        return True, None
