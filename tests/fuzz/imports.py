"""Foreign descriptions with a few things spoilt: each becomes a catalog that our own reading finds no error in, or a word on why not."""

import copy
import functools
import random
from typing import Any

from jovial_scaffold.core.folders import Found, MemoryFolder
from jovial_scaffold.core.schemas.catalog import read_catalog
from jovial_scaffold.core.schemas.describing import example, properties
from jovial_scaffold.core.schemas.importing.catalog import NothingToImport, import_catalog
from jovial_scaffold.core.schemas.importing.reading import Reader
from jovial_scaffold.core.schemas.linting import lint
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.reports.machine import json_text, yaml_text
from tests.fuzz.mini import places_in
from tests.support import load_cases

VALUES: tuple[Any, ...] = (
    *(
        None,
        True,
        False,
        0,
        -1,
        2**70,
        1.5,
        "",
        "x",
        "#",
        "#/",
        "#/$defs/x",
        "..",
        "../x.json#/a",
        "https://a.example/b#c",
        "a" * 300,
        "\ud800",
    ),
    *([], {}, [1], ["a", "a"], {"$ref": "#"}, {"$ref": 7}, {"type": "object"}, {"allOf": [{"$ref": "#"}]}, {"not": {}}, "string", "object"),
)
WORDS = (
    "$ref",
    "$id",
    "type",
    "required",
    "properties",
    "items",
    "allOf",
    "oneOf",
    "pattern",
    "default",
    "nullable",
    "enum",
    "format",
    "$defs",
)


@functools.cache
def _bases() -> tuple[dict[str, Any], ...]:
    cases = [each.values[0] for each in load_cases("importing.yaml") if "types" in each.values[0]]
    return tuple(each.get("documents") or {each.get("called", "d.json"): each["document"]} for each in cases)


def spoil(chance: random.Random, value: Any) -> None:
    """One thing of a document is another then: a value, a key, or something that was not there."""
    places = places_in(value)
    if not places:
        return
    part, key = chance.choice(places)
    kind = chance.randint(0, 4)
    if kind == 0:
        del part[key]
    elif kind == 1 and isinstance(part, dict):
        part[chance.choice(WORDS)] = copy.deepcopy(chance.choice(VALUES))
    elif kind == 2:
        other, place = chance.choice(places)
        part[key] = copy.deepcopy(other[place])
    else:
        part[key] = copy.deepcopy(chance.choice(VALUES))


def attempt(chance: random.Random) -> str:
    """One case."""
    documents = copy.deepcopy(chance.choice(_bases()))
    for _ in range(chance.randint(1, 4)):
        spoil(chance, documents)
    files = {str(name): json_text(value).encode("utf-8", "surrogatepass") for name, value in documents.items() if name}
    reader = Reader(MemoryFolder(files))
    read = reader.all()
    try:
        result = import_catalog(read, reader.read, ("*",) if chance.random() < 0.3 else (), "own")
    except NothingToImport:
        return "unusable"
    written = {f"own/{name}": yaml_text([content], explicit=False, blocks=True).encode() for name, content in result.files.items()}
    types, defaults, label, findings = read_catalog(Files(MemoryFolder(written)), Found("own", "folder"), None)
    list(lint(types, defaults, label))  # that may find what the description itself has wrong
    wrong = [(each.id, each.message, each.span) for each in findings if each.level == "error"]
    assert not wrong, (documents, wrong)
    assert {each.id for each in types} == set(result.types)
    for each in types:
        properties(each.schema)
        example(each.schema)
        each.validator.violations({"a": 1})
        assert each.shape
    return "errors" if reader.findings else "clean"
