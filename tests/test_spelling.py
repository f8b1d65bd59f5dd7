"""Which name was meant by a misspelt one, and when that is sure enough to go on with."""

import os
import pickle
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.spelling import Speller, is_slip, near, slip_of
from jovial_scaffold.core.templates.compiling import taken_for
from jovial_scaffold.core.text.source import Origin, Source

ROOT = Path(__file__).parents[1]
WORDS = st.text("abcdefghij_", min_size=2, max_size=12)


@pytest.mark.parametrize(
    ("written", "known", "close", "sure"),
    [
        ("requre", ("require", "message"), "require", True),
        ("multipleof", ("multipleOf", "maximum"), "multipleOf", True),
        ("si", ("takes", "is"), "is", True),
        ("lte", ("let", "types"), "let", True),
        ("$pre", ("$per", "$when"), "$per", True),
        ("applys", ("applies", "where"), "applies", False),
        ("defaultes", ("default", "enum"), "default", False),
        ("colour", ("tags", "name"), "", False),
        ("is", ("takes", "is"), "", False),
    ],
)
def test_what_was_meant(written: str, known: tuple[str, ...], close: str, sure: bool) -> None:
    assert near(written, known) == close
    assert slip_of(written, known) == (close if sure else "")


@given(WORDS, st.integers(0, 11), st.sampled_from("klm"))
def test_one_letter_is_a_slip(word: str, at: int, letter: str) -> None:
    at %= len(word)
    for other in (word[:at] + letter + word[at:], word[:at] + word[at + 1 :], word[:at] + letter + word[at + 1 :], word.upper()):
        assert is_slip(word, other) and is_slip(other, word)
    if at + 1 < len(word):
        assert is_slip(word, word[:at] + word[at + 1] + word[at] + word[at + 2 :])


@given(WORDS, st.lists(st.sampled_from("klm"), min_size=2, max_size=4))
def test_more_letters_are_none(word: str, letters: list[str]) -> None:
    assert not is_slip(word, word + "".join(letters)) and not is_slip("".join(letters) + word, word)


def test_only_strange_keys_are_taken_for_others() -> None:
    origin = Origin(Source("t.yaml", "", None, lambda _: {}), ("resources",))
    found = taken_for({"$whne": 1, "key": 2, "name": 3}, origin, ("$when", "$key"), ("$whne",))
    assert found == {"$when": 1, "key": 2, "name": 3}
    assert origin.source.meant == {("resources", "$when"): "$whne"}


@given(st.frozensets(st.text("abcd_", min_size=1, max_size=6), max_size=9), st.text("abcd_", min_size=1, max_size=6))
def test_of_a_set_the_first_by_its_letters_is_meant(known: frozenset[str], name: str) -> None:
    assert Speller(known).near(name) == Speller(sorted(known)).near(name)
    assert pickle.loads(pickle.dumps(Speller(known))).near(name) == Speller(known).near(name)


@pytest.mark.slow
def test_what_is_said_does_not_hang_on_chance() -> None:
    """Sets of texts come in another order in each process."""
    written = (
        "import json, random\n"
        "from jovial_scaffold.core.folders import MemoryFolder\n"
        "from jovial_scaffold.core.project import Project\n"
        "from tests.support import checked_document\n"
        "from tests.fuzz import shapes\n"
        "hubs = {f'hub_{number} (fulmar.network)': {'name': f'net-{number}', 'range': '10.0.0.0/16'} for number in (1, 2, 3)}\n"
        "made = {'resources': {**hubs, 'sub (fulmar.subnet)': {'name': 'sub', 'network': '${hub_9.id}'}}}\n"
        "files = {'jovial.yaml': {'project': 'p', 'template': 't.json', 'catalogs': ['fulmar'], 'environments': {'a': {}}}, 't.json': made}\n"
        "for each in ({name: json.dumps(content).encode() for name, content in files.items()}, shapes.project(random.Random(5))):\n"
        "    print(json.dumps(checked_document(Project(MemoryFolder(each)))))\n"
    )
    said = {
        subprocess.run(
            [sys.executable, "-c", written], cwd=ROOT, env={**os.environ, "PYTHONHASHSEED": str(seed)}, capture_output=True, check=True
        ).stdout
        for seed in range(4)
    }
    assert len(said) == 1 and b"Did you mean `hub_3`?" in said.pop()
