"""The public suites: JSON and XML pass whole, YAML too, and no yardstick does better."""

from __future__ import annotations

import pytest

from conformance.run import report, run_strict, run_yaml
from conformance.suites import is_installed, json_cases, xml_cases

pytestmark = pytest.mark.skipif(not is_installed(), reason="`make test` installs the suites")


def test_json_and_xml_pass_whole() -> None:
    for tally, least in ((run_strict(json_cases(), "a.json"), 280), (run_strict(xml_cases(), "a.xml"), 280)):
        assert tally.wrong == []
        assert tally.right >= least


def test_yaml_passes_whole_and_no_yardstick_does_better() -> None:
    tallies = run_yaml()
    ours = tallies["zerrit"]
    assert (ours.accepted.wrong, ours.refused.wrong, ours.equal.wrong) == ([], [], [])
    assert ours.accepted.right >= 277
    text, is_reached = report({}, tallies)
    assert is_reached, text
