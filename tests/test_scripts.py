"""Edits of texts: what is asked for changes, and every other byte stays, in each notation."""

import json
import os
import random
import subprocess
import tempfile
import tomllib
from copy import deepcopy
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.text.edits import Discretion, FileChange, edited, unified_diff
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.script import Script, Unplaced
from jovial_scaffold.core.text.written_values import toml_key, toml_value
from tests.fuzz.styles import KEYS, value, written, yaml
from tests.support import load_cases


def places(held: Any, pointer: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """All places in a value but the whole."""
    found = []
    for key, item in held.items() if isinstance(held, dict) else enumerate(held) if isinstance(held, list) else ():
        found += [(*pointer, key), *places(item, (*pointer, key))]
    return found


def around(held: Any, pointer: tuple[Any, ...]) -> Any:
    """What holds a place."""
    for step in pointer[:-1]:
        held = held[step]
    return held


def attempt(chance: random.Random) -> str:
    """One change of one text, against the same change of its value."""
    held = {key: value(chance) for key in chance.sample(KEYS, chance.randint(1, 5))}
    name, text = written(chance, held)
    source, wrong = read_source(text.encode(), name)
    assert source is not None and not wrong, (text, wrong)
    assert source.value == held, (text, source.value, held)
    script, expected = Script(source), deepcopy(held)
    pointer = chance.choice(places(held))
    kind = chance.choice(("set", "insert", "remove", "rename"))
    inside, last = around(expected, pointer), pointer[-1]
    try:
        if isinstance(inside, list) and len(pointer) > 1 and chance.random() < 0.5:
            inside.append(value(chance, 1))
            kind = "append"
            script.append(pointer[:-1], inside[-1])
            last = None
        elif kind == "set":
            inside[last] = value(chance, 1)
            script.set(pointer, inside[last])
        elif kind == "remove":
            del inside[last]
            script.remove(pointer)
        elif not isinstance(inside, dict):
            return "left"
        elif kind == "insert":
            inside["new"] = value(chance, 1)
            script.insert(pointer[:-1], "new", inside["new"], after=last if chance.random() < 0.5 else None)
        else:
            inside["new name"] = inside.pop(last)
            script.rename(pointer, "new name")
    except Unplaced:
        return "unplaced"
    result = edited(text, script.edits)
    again, wrong = read_source(result.encode(), name)
    assert again is not None and not wrong, (kind, pointer, text, result, wrong)
    assert (again.value or {}) == expected, (kind, pointer, text, result)
    assert len(script.edits) == 1, script.edits
    if kind in ("set", "rename", "insert"):  # what is taken away takes its own comments along
        kept = text.count("#") - text[script.edits[0].start : script.edits[0].end].count("#")
        assert result.count("#") >= kept, (kind, pointer, text, result)
    assert result.endswith("\n") == text.endswith("\n") or kind == "remove", (kind, pointer, text, result)
    assert ("\r" in result) == ("\r" in text) or kind == "remove", (kind, result)
    return kind


@settings(max_examples=1_500, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_a_text_that_is_changed_holds_what_its_changed_value_holds(seed: int) -> None:
    attempt(random.Random(seed))


@pytest.mark.parametrize("case", load_cases("scripts.yaml"))
def test_edits_leave_a_text_as_a_person_would(case: dict[str, Any]) -> None:
    source, wrong = read_source(case["text"].encode(), case.get("file", "x.yaml"))
    assert source is not None and not wrong
    script = Script(source)
    getattr(script, case["do"])(*(tuple(each) if isinstance(each, list) and at == 0 else each for at, each in enumerate(case["with"])))
    assert edited(case["text"], script.edits) == case["gives"]
    if case.get("file", "").endswith(".toml"):
        tomllib.loads(case["gives"])


@settings(max_examples=300, deadline=None)
@given(st.integers(min_value=0, max_value=10**9), st.sampled_from((' "open', " 'open", " [1, 2", " {a: 1", " @x", " ]", " x: y: z")))
def test_what_stands_around_a_mistake_is_read(seed: int, mistake: str) -> None:
    """An entry that cannot be read costs itself; its mistake is found in its own lines."""
    chance = random.Random(seed)
    held = {key: value(chance) for key in chance.sample(KEYS, chance.randint(1, 4))}
    text = yaml(chance, held)
    if not text.endswith("\n"):
        return
    lines = text.splitlines(keepends=True)
    starts = [0, *(number for number, line in enumerate(lines) if line[:1] not in (" ", "\n", "#", "-")), len(lines)]
    at = chance.choice(starts)
    if at and not all(line.strip().startswith("#") or not line.strip() for line in lines[at:]) and at not in starts:
        return
    broken = "".join((*lines[:at], f"broken:{mistake}\n", *lines[at:]))
    source, wrong = read_source(broken.encode(), "x.yaml")
    assert source is not None and wrong
    found = {key: each for key, each in source.value.items() if key != "broken"}
    assert found == held, (broken, source.value)
    assert {each.span.line for each in wrong if each.span} == {at + 1}, (broken, wrong)


@settings(max_examples=300, deadline=None)
@given(
    st.integers(min_value=0, max_value=10**9),
    st.sampled_from(('"broken": "open', '"broken": [1, 2', '"broken": @x1234', "broken: 1234567", "'broken': 1234", '"broken": 12 "34"')),
)
def test_what_stands_around_a_mistake_in_json_is_read(seed: int, mistake: str) -> None:
    chance = random.Random(seed)
    held = {key: value(chance) for key in chance.sample(KEYS, chance.randint(1, 4))}
    lines = json.dumps(held, indent=2, ensure_ascii=False).splitlines()
    at = chance.choice([number for number, line in enumerate(lines) if line.startswith('  "')])
    broken = "\n".join((*lines[:at], f"  {mistake},", *lines[at:])) + "\n"
    source, wrong = read_source(broken.encode(), "x.json")
    assert source is not None and wrong
    assert {key: each for key, each in source.value.items() if key != "broken"} == held, (broken, source.value)
    assert {each.span.line for each in wrong if each.span} == {at + 1}, (broken, wrong)
    place = source.place((next(iter(held)),))
    assert source.text[place.key_start : place.key_end] == json.dumps(next(iter(held)), ensure_ascii=False)


@settings(max_examples=300, deadline=None)
@given(
    st.integers(min_value=0, max_value=10**9),
    st.sampled_from(("broken = @xyz", 'broken = "open', "broken 1234", "broken = [1, 2}", "[broken")),
)
def test_what_stands_around_a_mistake_in_toml_is_read(seed: int, mistake: str) -> None:
    chance = random.Random(seed)
    held = {key: value(chance, 3) for key in chance.sample(KEYS, chance.randint(1, 4))}
    lines = [f"{toml_key(key)} = {toml_value(each)}" for key, each in held.items()]
    at = chance.randint(0, len(lines))
    broken = "\n".join((*lines[:at], mistake, *lines[at:])) + "\n"
    source, wrong = read_source(broken.encode(), "x.toml")
    assert source is not None and wrong
    assert {key: each for key, each in source.value.items() if key != "broken"} == held, (broken, source.value)
    assert {each.span.line for each in wrong if each.span} == {at + 1}, (broken, wrong)


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.sampled_from(("a\n", "b\n", "\n", "  c\n", "d\r\n")), max_size=30),
    st.lists(st.tuples(st.integers(0, 30), st.sampled_from(("", "new\n", "x y\n"))), max_size=5),
    st.booleans(),
    st.booleans(),
    st.frozensets(st.integers(1, 30), max_size=4),
)
def test_a_diff_is_what_git_applies(
    lines: list[str], changes: list[tuple[int, str]], cut_old: bool, cut_new: bool, quiet: frozenset[int]
) -> None:
    """Whatever lines are no context: the diff of two texts makes the one of the other."""
    new = list(lines)
    for at, text in changes:
        if text:
            new.insert(min(at, len(new)), text)
        elif new:
            del new[min(at, len(new) - 1)]
    before, after = "".join(lines), "".join(new)
    before = before.removesuffix("\n") if cut_old else before
    after = after.removesuffix("\n") if cut_new else after

    class Quiet(Discretion):
        def unquoted(self, name: str, line: int) -> bool:
            return line in quiet

    diff = unified_diff([FileChange("f.txt", before.encode(), after.encode())], Quiet())
    if before == after:
        assert not diff
        return
    with tempfile.TemporaryDirectory() as folder:
        Path(folder, "f.txt").write_bytes(before.encode())
        Path(folder, "change.diff").write_bytes(diff.encode())
        git = ["git", "apply", "--unidiff-zero", "change.diff"]
        done = subprocess.run(
            git, cwd=folder, capture_output=True, text=True, check=False, env={**os.environ, "GIT_CEILING_DIRECTORIES": "/"}
        )
        assert done.returncode == 0, (done.stderr, before, after, diff)
        assert Path(folder, "f.txt").read_bytes() == after.encode()
