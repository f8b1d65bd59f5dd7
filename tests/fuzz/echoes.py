"""Echoes of parameters: with any other values in the place of those that they repeat, all columns have the same, and another for others."""

import json
import random
import re
from typing import Any

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.driving import TEMPLATE
from jovial_scaffold.core.changes.matrix import Row, compare
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.rendering.overlays import MISSING, Overlay
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.text.source import Pointer, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from tests.fuzz.searching import made

_OTHERS: dict[type, tuple[Any, Any]] = {str: ("zaire", "quill"), int: (7_301, 8_402), bool: (True, False)}
_REPEATED = re.compile("‹([^›]*)›")
_RANGES = ("10.77.0.0/16", "10.88.0.0/16")


def other_value(value: Any, which: int) -> Any:
    """A value of the same kind that no project has, of maps and lists for each part; MISSING for what has none."""
    if isinstance(value, dict):
        return {key: other_value(item, which) for key, item in value.items()}
    if isinstance(value, list):
        return [other_value(item, which) for item in value]
    if type(value) is str and value.startswith("10."):
        return _RANGES[which]
    return _OTHERS.get(type(value), (MISSING, MISSING))[which]


def texts_with(row: Row, columns: dict[str, Evaluated], which: int) -> list[Any]:
    """What all columns would have with other values in place of those that the row repeats; nothing where that cannot be told."""
    found = []
    first = columns[next(iter(row.values))].parameters.values
    changes = {each.parameter: other_value(first.get(each.parameter), which) for each in row.drivers}
    if any(value is MISSING for value in changes.values()):
        return []
    for label in row.values:
        rendering = columns[label]
        value = Overlay(rendering, changes, Meter()).property(row.address, str(row.at[label][0]))
        if _lengths(value, row.at[label][1:]) != _lengths(rendering.resources[row.address].properties, row.at[label])[1:]:
            return []  # other items are there, so that what stands at this position is another one
        if not _is_keyed(value, row.at[label][1:], row.pointer[1:]):
            return []
        value = value_at(value, row.at[label][1:], MISSING) if value is not MISSING and value is not UNKNOWN else MISSING
        if value is MISSING or value is UNKNOWN or deep_marks(value)[2]:
            return []  # with that, it is not there, or cannot be computed
        found.append(value)
    return found


def _is_keyed(value: Any, pointer: Pointer, label: Pointer) -> bool:
    """Whether the items that a pointer leads through have the keys by which the row is called."""
    for step, key in zip(pointer, label, strict=False):
        value = value_at(value, (step,), MISSING)
        if isinstance(step, int) and isinstance(key, str) and not (isinstance(value, dict) and key in map(str, value.values())):
            return False
    return True


def _lengths(value: Any, pointer: Pointer) -> list[int]:
    """How long the lists are that a pointer leads through; 0 for what is none."""
    found = []
    for step in pointer:
        found.append(len(value) if isinstance(value, list) else 0)
        value = value_at(value, (step,), MISSING)
    return found


def judge_filled(row: Row, columns: dict[str, Evaluated]) -> bool:
    """Whether what a row repeats are parameters, words and what the cloud will say; then each column has the text that comes of it with its own
    values."""
    drivers = {each.parameter for each in row.drivers}
    texts = [row.values[label] for label in columns if label in row.values]
    if not all(type(each) is str for each in texts) or not all(name in drivers or ":" in name for name in _REPEATED.findall(row.echo)):
        return False
    for label, value in row.values.items():
        context = {f"context.{name}": held for name, held in columns[label].context.items()}
        values = {**columns[label].parameters.values, **context}
        filled = _REPEATED.sub(lambda match, held=values: json_text(held[match[1]]) if match[1] in drivers else match[0], row.echo)  # type: ignore[misc]
        assert (value.strip() if row.kind == "document" else value) == filled, row
    return True


def json_text(value: Any) -> str:
    """A value as it stands in a text."""
    return value if type(value) is str else json.dumps(value)


def _judge_other_templates(echoes: list[Row], renderings: list[Evaluated]) -> None:
    """Between columns of two templates that are written alike, the same texts repeat the same, as far as parameters are known to drive them."""
    expected = {(row.address, row.pointer): row.echo for row in echoes}
    for row in compare(renderings, echoes=True).rows:
        if row.kind == "property" and TEMPLATE not in {each.parameter for each in row.drivers}:
            assert row.echo == expected.get((row.address, row.pointer), ""), row


def attempt(chance: random.Random) -> str:
    """One project."""
    make = made(chance)
    project = make()
    renderings = project.views(project.environments)
    columns = {each.label: each for each in renderings}
    findings = [[*each.findings] for each in renderings]
    every = [row for row in compare(renderings, echoes=True).rows if row.echo]
    echoes = [row for row in every if row.kind == "property"]
    assert [[*each.findings] for each in renderings] == findings  # looking says nothing anew
    _judge_other_templates(echoes, [*renderings[:1], *make().views(project.environments[1:])])
    tried = 0
    for row in every:
        tried += judge_filled(row, columns)
    for row in echoes:
        one, two = (texts_with(row, columns, which) for which in (0, 1))
        for found in (one, two):
            assert all(same(each, found[0]) for each in found), (row, found)
        if one and two:
            assert not same(one[0], two[0]), (row, one, two)
            tried += 1
    return "clean" if tried else "unusable"
