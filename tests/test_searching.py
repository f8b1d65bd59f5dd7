"""`find` judges only what may hold what is looked for: it finds what one would by rendering everything."""

import random
from collections.abc import Iterator
from typing import Any

import pytest

from jovial_scaffold import Project
from jovial_scaffold.core.comparing.finding import Hit, TextSought, hits_in, together
from jovial_scaffold.core.expressions.library.strings import scalar_text
from tests.fuzz.drivers import loaded, project
from tests.support import Write

PROJECT = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n"
TEMPLATE = """parameters: {word: {type: string, description: d}, hours: {type: integer, description: d}}
resources:
  one (fulmar.queue): {name: "q-${word}", wait_hours: "${hours}"}
  two (fulmar.queue): {name: other, wait_hours: "${hours * 10}"}
outputs: {o: "${one.name}"}
"""


def _texts(value: Any) -> Iterator[str]:
    if isinstance(value, dict | list):
        for each in value.values() if isinstance(value, dict) else value:
            yield from _texts(each)
    elif isinstance(value, str | bool | int | float):
        yield scalar_text(value)


def _all_hits(files: dict[str, bytes], text: str) -> list[Hit]:
    """Those of renderings in which everything is judged."""
    from jovial_scaffold.core.comparing.finding import SearchedView

    whole = loaded(files)
    sought = TextSought(text)
    return together([SearchedView(each.label, each.label, hits_in(each, sought), []) for each in whole.views(whole.environments)])


@pytest.mark.parametrize("seed", range(40))
def test_it_finds_what_rendering_everything_shows(seed: int) -> None:
    chance = random.Random(seed)
    files = project(chance)
    rendered = loaded(files)
    held = sorted(
        {text for name in rendered.environments for text in _texts([e.properties for e in rendered.render(name).resources.values()])}
    )
    for text in chance.sample(held, min(4, len(held))):
        start = chance.randrange(len(text)) if text else 0
        for wanted in {text, text[start : start + 3], text.upper()} - {""}:
            assert loaded(files).find(wanted).hits == _all_hits(files, wanted), wanted


def _project(write: Write, **files: str) -> Project:
    return Project.load(
        write({"jovial.yaml": PROJECT, "t.yaml": TEMPLATE, "a.yaml": "word: x\nhours: 3\n", "b.yaml": "word: y\nhours: 40\n", **files})
    )


def test_what_is_wrong_elsewhere_does_not_stop_it(write: Write) -> None:
    found = _project(write).find("q-x")
    assert [each.name for each in found.hits] == ["one:name", "o"] and not any(found.errors.values())


def test_what_hides_a_value_is_said(write: Write) -> None:
    found = _project(write).find("400")  # which no queue takes
    assert [each.id for each in found.errors["b"]] == ["property-range"] and not found.errors["a"] and not found.hits
    missing = _project(write, **{"a.yaml": "hours: 3\n"}).find("q-x")
    assert [each.id for each in missing.errors["a"]] == ["parameter-missing"] and not missing.hits
