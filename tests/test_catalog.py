"""The shipped catalog: its constitution, its annotations, and what a change of a property does."""

import copy
import fnmatch
import json
import random
import re
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from jovial_scaffold.core.changes.changing import change_effect
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.schemas.annotations import ANNOTATIONS, ASPECTS
from jovial_scaffold.core.schemas.catalog import SHIPPED, ResourceType, shipped_catalog
from jovial_scaffold.core.schemas.describing import differences, example, properties
from jovial_scaffold.reports.catalog import type_page
from jovial_scaffold.reports.terminal import Style
from tests.support import Write, jovial
from tests.support_catalog import laws, parts

DOCS = Path(__file__).parents[1] / "docs"
PAGE = (DOCS / "fulmar.md").read_text("utf-8")
TYPES = [
    "network",
    "subnet",
    "route",
    "firewall",
    "public_address",
    "balancer",
    "certificate",
    "name_zone",
    "name_record",
    "machine",
    "machine_group",
    "disk",
    "image",
    "handler",
    "container_set",
    "database",
    "cache",
    "bucket",
    "queue",
    "topic",
    "schedule",
    "secret_store",
    "encryption_key",
    "principal",
    "grant",
    "alert",
    "overview",
    "log_archive",
]
SHIPPED_TYPES = (shipped_catalog("fulmar") or ([], {}))[0]
BY_ID = {each.id: each for each in SHIPPED_TYPES}
WHOLE = {
    "properties": {
        "parts": {"properties": {"a": {"type": "integer"}}, "changeEffect": "was == becomes ? 'in_place' : 'locked'"},
        "free": {"type": "integer", "changeEffect": "becomes.orValue(0) < was.orValue(0) ? 'restart' : 'in_place'"},
    }
}


def rows(chapter: str) -> list[tuple[list[str], tuple[str, ...]]]:
    """The rows of a table of the page: what they are about, and what they say of it."""
    text = PAGE.partition(f"## {chapter}\n")[2].partition("\n## ")[0]
    cells = [[cell.strip() for cell in line.strip("|").split("|")] for line in text.splitlines() if line.startswith("| `")]
    return [(re.findall(r"`([^`]+)`", first), tuple(each.strip("`") for each in others)) for first, *others in cells]


@pytest.mark.parametrize("chapter", ["Bounds", "Choices", "Forms"])
def test_the_constitution_and_the_schemas_say_the_same(chapter: str) -> None:
    written = rows(chapter)
    exact = {path: said for paths, said in written for path in paths if not path.startswith("*.")}
    general = {path: said for paths, said in written for path in paths if path.startswith("*.")}
    held: dict[str, set[tuple[str, ...]]] = {}
    for law, paths in laws()[chapter.lower()].items():
        for path in paths:
            held.setdefault(path, set()).add(law)
    used = set()
    for path, said in held.items():
        row = path if path in exact else next((each for each in general if fnmatch.fnmatchcase(path, each)), "")
        used.add(row)
        assert said == {{**exact, **general}.get(row)}, path
    assert used == exact.keys() | general.keys()


def test_there_are_28_types_and_every_property_is_described() -> None:
    assert {each.name.partition(".")[2] for each in SHIPPED_TYPES} == set(TYPES) and len(TYPES) == 28
    versions = {name: [each.version for each in SHIPPED_TYPES if each.name == f"fulmar.{name}"] for name in TYPES}
    assert sum(len(each) > 1 for each in versions.values()) >= 5
    for each in SHIPPED_TYPES:
        for path, part in parts(each.schema, each.id):
            assert "description" in part or path.endswith(("[]", ".*")), path
        assert "look" in each.schema and each.schema["properties"]["id"]["pattern"].startswith(f"^fulmar:{each.name.partition('.')[2]}:")


def test_what_is_referred_to_is_there() -> None:
    found: set[str] = set()
    for each in SHIPPED_TYPES:
        for path, part in parts(each.schema, each.id):
            for target in part.get("refersTo", ()):
                name, _, property = target.partition(":")
                assert any(property in other.schema["properties"] for other in SHIPPED_TYPES if other.name == f"fulmar.{name}"), (
                    path,
                    target,
                )
            assert part.get("aspect", "naming") in ASPECTS, path
            found |= part.keys() & set(ANNOTATIONS)
    whole = {key for each in SHIPPED_TYPES for key in each.schema.keys() & set(ANNOTATIONS)}
    assert found | whole == set(ANNOTATIONS)


_UNSET = object()
EFFECTS: list[tuple[str, tuple[str | int, ...], Any, Any, str]] = [
    ("fulmar.disk.v1", ("gigabytes",), 30, 60, "in_place"),
    ("fulmar.disk.v1", ("gigabytes",), 60, 30, "rebuild"),
    ("fulmar.disk.v1", ("gigabytes",), 60, Pending(["a:b"]), "rebuild"),
    ("fulmar.machine.v1", ("disks", 0, "gigabytes"), 60, 30, "rebuild"),
    ("fulmar.machine.v1", ("disks", 0, "gigabytes"), _UNSET, 30, "rebuild"),
    ("fulmar.database.v1", ("release",), "15", "16.2", "restart"),
    ("fulmar.database.v1", ("release",), "16.2", "15", "rebuild"),
    ("fulmar.database.v1", ("release",), _UNSET, "16", "restart"),
    ("fulmar.database.v1", ("release",), "16", _UNSET, "rebuild"),
    ("fulmar.database.v1", ("release",), "sixteen", "16", "rebuild"),
    ("fulmar.bucket.v1", ("versioned",), False, True, "in_place"),
    ("fulmar.bucket.v1", ("versioned",), True, False, "rebuild"),
    ("fulmar.bucket.v1", ("name",), "a", "b", "locked"),
    ("fulmar.network.v1", ("tags", "a"), "a", "b", "in_place"),
    ("own.whole.v1", ("parts", "a"), 1, 2, "locked"),
    ("own.whole.v1", ("free",), 1, _UNSET, "restart"),
    ("own.whole.v1", ("free",), _UNSET, 2, "in_place"),
]


@pytest.mark.parametrize(("kind", "pointer", "was", "becomes", "effect"), EFFECTS)
def test_what_a_change_does(kind: str, pointer: tuple[str | int, ...], was: Any, becomes: Any, effect: str) -> None:
    own = {**BY_ID, "own.whole.v1": ResourceType("own.whole.v1", "own.whole", 1, WHOLE)}
    assert change_effect(own[kind], pointer, was, becomes, _UNSET) == effect


WRONG = [
    ("changeEffect: live", 5, "catalog-schema"),
    ("changeEffect: \"becomes < then ? 'rebuild' : 'in_place'\"", 5, "catalog-schema"),
    ('changeEffect: "becomes <"', 5, "catalog-schema"),
    ('changeEffect: "becomes"', 5, "catalog-schema"),
    ("changeEffect: [rebuild]", 5, "catalog-schema"),
    ("refersTo: network", 5, "catalog-schema"),
    ("refersTo: [network]", 5, "catalog-schema"),
    ("adds: 1", 5, "catalog-schema"),
    ("anyOrdre: true", 5, "key-unknown"),
    ("unit: 3", 5, "catalog-schema"),
]


@pytest.mark.parametrize(("line", "number", "id"), WRONG)
def test_annotations_that_are_none_are_found_at_their_line(write: Write, line: str, number: int, id: str) -> None:
    schema = f"$id: own.safe.v1\ntype: object\nlook: key\nproperties:\n  size: {{type: integer, {line}}}\n"
    folder = write(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [own/]\nenvironments: {live: {}}\n",
            "own/safe.yaml": schema,
            "t.yaml": "resources: {}\n",
        }
    )
    result = jovial("check", cwd=folder)
    assert f"own/safe.yaml:{number}:" in result.stdout and id in result.stdout and result.returncode == 1, result.stdout


@pytest.mark.parametrize("kind", BY_ID)
def test_an_example_of_a_type_is_valid_and_a_type_does_not_differ_from_itself(kind: str) -> None:
    each = BY_ID[kind]
    assert each.validator.violations(example(each.schema)) == [] and differences(each, each) == []
    page = type_page(each, "", Style(colours=False, width=100))
    for one in properties(each.schema):
        assert str(one.schema.get("description", "")).split()[:3] == [] or one.path.rpartition(".")[2] in page


CALLS: list[tuple[tuple[str, ...], int, tuple[str, ...]]] = [
    (("list",), 0, ("fulmar.queue.v1", "33 types")),
    (("show", "queue"), 0, ("wait_hours  integer", "else 48", "in h", "refers to queue:id", "queue (fulmar.queue):")),
    (("show", "fulmar.machine_group.v1"), 0, ("deprecated", "at most 90")),
    (("show", "machine_group", "disks"), 0, ("gigabytes  integer", "a change: becomes < was")),
    (("show", "machine_group.v2", "disks[].kind"), 0, ("standard | fast",)),
    (("show", "machine_grup"), 1, ("Did you mean `machine_group`?",)),
    (("show", "queue", "nmae"), 1, ("Did you mean `name`?",)),
    (("show",), 2, ("TYPE [PROPERTY]",)),
    (("search", "password"), 0, ("fulmar.cache.v1", "operator_password")),
    (("search", "unicorn"), 1, ("no type and no property",)),
    (("compare", "database.v1", "database.v2"), 0, ("What breaks", "release must be set now", "care is new")),
    (("compare", "database.v1"), 2, ("two types",)),
    (("lint", "nowhere"), 2, ("is not there",)),
]


@pytest.mark.parametrize(("words", "code", "says"), CALLS)
def test_the_command(tmp_path: Path, words: tuple[str, ...], code: int, says: tuple[str, ...]) -> None:
    result = jovial("catalog", *words, cwd=tmp_path, env={"COLUMNS": "120"})
    told = result.stdout + result.stderr
    assert result.returncode == code and all(each in told for each in says), told
    if code == 0:
        document = json.loads(jovial("catalog", *words, "--format", "json", cwd=tmp_path).stdout)
        name = document["format"].replace("/", "-")
        jsonschema.validate(document, json.loads((DOCS / "schemas" / f"{name}.schema.json").read_text()))


def test_a_catalog_is_checked(write: Write) -> None:
    folder = write(
        {
            "own/catalog.yaml": "name: own\ndefaults: {safe: 3}\n",
            "own/safe.v1.yaml": """$id: own.safe.v1
type: object
identity: [nmae]
properties:
  name: {type: string, default: 3, description: Its name}
  parts: {type: array, listKey: cod, items: {type: object, properties: {code: {type: string, description: d}}, required: [cdoe], additionalProperties: false}}
  of: {type: string, refersTo: ["saef:id", "safe:nmae"], description: What it is of}
  size: {type: integer, minimun: 3, description: How large}
""",
        }
    )
    result = jovial("catalog", "lint", "own", cwd=folder)
    places = re.findall(r"^own/safe\.v1\.yaml:(\d+):\d+ +(\w+) +([\w-]+)", result.stdout, re.M)
    assert result.returncode == 1 and "default version 3" in result.stdout, result.stdout
    assert sorted((int(line), level, id) for line, level, id in places) == [
        (1, "warning", "description-missing"),
        (3, "error", "catalog-schema"),
        (5, "error", "default-type"),
        (6, "error", "catalog-schema"),
        (6, "error", "catalog-schema"),
        (6, "note", "description-missing"),
        (7, "error", "catalog-schema"),
        (7, "error", "catalog-schema"),
        (8, "error", "key-unknown"),
    ]
    document = json.loads(jovial("catalog", "lint", "own", "--format", "json", cwd=folder).stdout)
    jsonschema.validate(document, json.loads((DOCS / "schemas" / "jovial-catalog-lint-1.schema.json").read_text()))
    assert len(document["findings"]) == len(places) + 1  # the one of the default version has no place in a file
    broken = write({"jovial.yaml": "project: [\n"})
    assert jovial("catalog", "list", cwd=broken).returncode == 2 and "33 types" not in jovial("catalog", "list", cwd=broken).stdout
    assert "nothing to report" in jovial("catalog", "lint", str(SHIPPED / "fulmar"), cwd=folder).stdout


def _edited(chance: random.Random, schema: dict[str, Any]) -> dict[str, Any]:
    """A schema with a few things of a random object in it changed, as a next version may have them."""
    made: dict[str, Any] = copy.deepcopy(schema)
    for _ in range(chance.randint(1, 3)):
        places = [part for _, part in parts(made, "x")]
        if chance.random() < 0.3:  # of any part: an item of a list, an entry of a map, a form
            chance.choice(places)[chance.choice(["minLength", "maxLength", "minimum", "maxItems"])] = chance.choice([1, 4, 40])
            continue
        objects = [made, *(part for part in places if "properties" in part)]
        whole = chance.choice([each for each in objects if each.get("properties")])
        name = chance.choice(sorted(whole["properties"]))
        part = whole["properties"][name]
        required = whole.setdefault("required", [])
        kind = chance.randint(0, 6)
        if kind == 0:
            del whole["properties"][name]
            whole["required"] = [each for each in required if each != name]
        elif kind == 1:
            whole["properties"][f"new_{name}"] = {"type": "string"}
            whole["required"] = [*required, f"new_{name}"] if chance.random() < 0.5 else required
        elif kind == 2:
            whole["required"] = [each for each in required if each != name] if name in required else [*required, name]
        elif kind == 3 and "enum" in part:
            part["enum"] = [*part["enum"][1:], "another"][: chance.randint(1, 9)]
        elif kind == 4:
            part["type"] = chance.choice(["string", "integer", "boolean", "array", "object"])
        else:
            for keyword in sorted(part.keys() & {"minimum", "maximum", "minLength", "maxLength", "minItems", "maxItems", "maxProperties"}):
                part[keyword] = max(0, part[keyword] + chance.choice([-3, 3]))
    return made


def _instance(chance: random.Random, schema: dict[str, Any]) -> Any:
    """A value that mostly fits a schema, at the edges of its bounds."""
    if "oneOf" in schema:
        return _instance(chance, chance.choice(schema["oneOf"]))
    if "enum" in schema:
        return chance.choice(schema["enum"])
    if "const" in schema:
        return schema["const"]
    kind = schema.get("type")
    if kind == "object":
        own = {
            name: part for name, part in schema.get("properties", {}).items() if name in schema.get("required", ()) or chance.random() < 0.6
        }
        return {name: _instance(chance, part) for name, part in own.items() if part.get("readOnly") is not True}
    if kind == "array":
        least = schema.get("minItems", 0)
        return [_instance(chance, schema.get("items", {})) for _ in range(chance.randint(least, min(least + 2, schema.get("maxItems", 9))))]
    if kind in ("integer", "number"):
        return chance.choice([schema.get("minimum", 1), schema.get("maximum", 7)])
    if kind == "boolean":
        return chance.random() < 0.5
    sample = example({"properties": {"a": schema}, "required": ["a"]})["a"]
    longest = schema.get("maxLength", 20)
    return (
        sample
        if chance.random() < 0.5 or "format" in schema or not str(sample).startswith("alp")
        else ("alp" + "a" * 300)[: min(longest, 300)]
    )


@pytest.mark.parametrize("kind", BY_ID)
def test_what_was_valid_and_is_not_any_more_is_said_to_break(kind: str) -> None:
    """Against an oracle: instances of the old version, judged by both."""
    chance, old, tried = random.Random(kind), BY_ID[kind], 0
    for _ in range(25):
        new = ResourceType(old.id, old.name, old.version + 1, _edited(chance, old.schema))
        breaks = any(each.breaks for each in differences(old, new))
        for _ in range(8):
            value = _instance(chance, old.schema)
            if old.validator.violations(value):
                continue
            tried += 1
            assert breaks or new.validator.violations(value) == [], (differences(old, new), value)
    assert tried > 20
