"""What is proposed for a line that YAML cannot read makes the file readable."""

from typing import Any

import pytest

from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.yaml_mending import _first_error, mended
from jovial_scaffold.core.text.yaml_reader import read_yaml
from jovial_scaffold.reports.words import said
from tests.support import load_cases


@pytest.mark.parametrize("case", load_cases("mending.yaml"))
def test_a_hint_is_a_line_that_can_be_read(case: dict[str, Any]) -> None:
    value, problems = read_yaml(case["text"])
    assert value is UNKNOWN and len(problems) == 1
    index = _first_error(case["text"])
    assert index is not None
    hint = said(mended(case["text"], index))
    assert case["says"] in hint and bool(hint) is bool(case["says"])


def test_what_is_very_long_is_not_tried() -> None:
    assert said(mended("a: b: c\n" + "#" * 500_000, 4)) == ""
