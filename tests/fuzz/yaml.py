"""Spoilt YAML: whatever the quick reader makes of a text is what the grammar of YAML 1.2 makes of it, refusals included."""

import functools
import random
from pathlib import Path

from jovial_scaffold.core.text.yaml_flow import GrammarError
from jovial_scaffold.core.text.yaml_grammar import events_of
from jovial_scaffold.core.text.yaml_reader import read_yaml, values_of
from tests.fuzz.expressions import alike

_ROOT = Path(__file__).parents[2]
_PUT = (
    *" \n\t:-?#[]{},&*!|>'\"%@`ab0.",
    "\n  ",
    "\n- ",
    ": ",
    " #",
    "\n\n",
    "? ",
    "- - ",
    "|\n ",
    ">-\n  ",
    "\\",
    "\r\n",
    "---\n",
    "...\n",
    "&a ",
    "*a",
)


@functools.cache
def texts() -> tuple[str, ...]:
    """The YAML of the package and of the tables of cases."""
    folders = (_ROOT / "src" / "jovial_scaffold", _ROOT / "tests" / "cases")
    return tuple(path.read_text("utf-8") for folder in folders for path in sorted(folder.rglob("*.yaml")))


def spoilt(chance: random.Random) -> str:
    """A stretch of one of them, with a few characters taken out and put in."""
    text = chance.choice(texts())
    start = chance.randrange(len(text))
    text = text[start : start + chance.randint(5, 200)]
    for _ in range(chance.randint(0, 4)):
        at = chance.randrange(len(text) + 1)
        text = f"{text[:at]}{chance.choice(_PUT)}{text[at + chance.randint(0, 2) :]}"
    return text


def attempt(chance: random.Random) -> str:
    """One text."""
    text = spoilt(chance)
    value, problems = read_yaml(text)
    try:
        wanted, wrong = values_of(text, events_of(text))
    except GrammarError:
        assert any(each.id in ("yaml-syntax", "yaml-second-document") for each in problems), (text, value)
        return "errors"
    cut = [each for each in problems if each.id != "yaml-cut"]
    assert {each.id for each in cut} == {each.id for each in wrong if each.id != "yaml-cut"}, (text, problems, wrong)
    assert alike(value, wanted), (text, value, wanted)
    return "errors" if problems else "clean"
