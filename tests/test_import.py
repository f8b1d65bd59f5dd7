"""`jovial catalog import`: the same values are valid as by the foreign description, and what has no counterpart is listed."""

import json
import os
import random
import tarfile
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from urllib.parse import quote

import jsonschema
import pytest
import referencing
import yaml
from referencing.jsonschema import specification_with

from jovial_scaffold.core.folders import Found, MemoryFolder
from jovial_scaffold.core.schemas.bundling import Documents
from jovial_scaffold.core.schemas.catalog import read_catalog
from jovial_scaffold.core.schemas.importing.catalog import Imported, NothingToImport, import_catalog, snake
from jovial_scaffold.core.schemas.importing.documents import dialect_of
from jovial_scaffold.core.schemas.linting import lint
from jovial_scaffold.core.schemas.validation import Validator
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.reports.catalog import type_page
from jovial_scaffold.reports.machine import yaml_text
from jovial_scaffold.reports.terminal import Style
from tests.support import Write, jovial, load_cases, valid_json
from tests.support_instances import changed, fitting


def _imported(case: dict[str, Any]) -> Imported:
    documents = case.get("documents") or {case.get("called", "d.json"): case["document"]}
    return import_catalog(documents, lambda name: None, case.get("select", ()), case.get("as", ""))


def _validator(result: Imported, type: str) -> Validator:
    file = f"{type.partition('.')[2]}.yaml"
    bundled = Documents(result.files).bundled(file, result.files[file])
    return Validator({key: value for key, value in bundled.items() if key != "$id"})


@pytest.mark.parametrize("case", [each for each in load_cases("importing.yaml") if "types" in each.values[0]])
def test_import(case: dict[str, Any]) -> None:
    result = _imported(case)
    assert sorted(result.types) == case["types"]
    assert sorted(
        {each.what for each in result.left} - {"schema"} if "left" not in case else {each.what for each in result.left}
    ) == case.get("left", [])
    if "catalog" in case:
        assert result.files["catalog.yaml"] == case["catalog"]
    for file, content in case.get("files", {}).items():
        assert result.files[file] == content
        assert list(result.files[file])[:1] in (["$id"], ["description"])
    for expected in ("valid", "invalid"):
        for type, values in case.get(expected, {}).items():
            found = [_validator(result, type).violations(value) == [] for value in values]
            assert found == [expected == "valid"] * len(values), (type, found)


@pytest.mark.parametrize("case", [each for each in load_cases("importing.yaml") if "fails" in each.values[0]])
def test_nothing_to_import(case: dict[str, Any]) -> None:
    with pytest.raises(NothingToImport) as raised:
        _imported(case)
    assert raised.value.reason == case["fails"]


@pytest.mark.parametrize("case", [each for each in load_cases("importing.yaml") if "types" in each.values[0]])
def test_what_is_written_is_a_catalog_without_errors(case: dict[str, Any]) -> None:
    result = _imported(case)
    files = {f"own/{name}": yaml_text([content], explicit=False, blocks=True).encode() for name, content in result.files.items()}
    types, defaults, label, findings = read_catalog(Files(MemoryFolder(files)), Found("own", "folder"), None)
    findings += lint(types, defaults, label)
    assert [each for each in findings if each.level == "error"] == [] and label == result.name
    assert {each.id for each in types} == set(result.types)
    assert all(type_page(each, "", Style(False, 90)).startswith(each.id) for each in types)


def test_the_command(tmp_path: Path) -> None:
    description = {
        "openapi": "3.1.0",
        "info": {"title": "Harbour"},
        "components": {"schemas": {"Ship": {"type": "object", "properties": {"crew": {"$ref": "crew.yaml#/Person"}}}}},
    }
    (tmp_path / "harbour.json").write_text(json.dumps(description))
    (tmp_path / "crew.yaml").write_text("Person: {type: object, required: [name], x-note: a}\n")
    done = jovial("catalog", "import", "harbour.json", "--into", "own", "--name", "port", "--format", "json", cwd=tmp_path)
    assert done.returncode == 0
    document = valid_json("catalog-import", done.stdout)
    assert document["types"] == [{"id": "port.ship.v1", "from": "harbour.json#/components/schemas/Ship"}]
    assert [each["places"] for each in document["left"]] == [["crew.yaml#/Person"]]
    assert sorted(path.name for path in (tmp_path / "own").iterdir()) == ["catalog.yaml", "definitions.yaml", "ship.v1.yaml"]
    again = jovial("catalog", "import", "harbour.json", "--into", "own", cwd=tmp_path)
    assert again.returncode == 2 and "nothing is overwritten" in again.stderr
    for given in (json.dumps(description), "openapi: 3.1.0\ncomponents: {schemas: {Ship: {type: object}}}\n"):
        piped = jovial("catalog", "import", "-", "--into", f"piped{len(given)}", "--name", "port", cwd=tmp_path, input=given)
        assert piped.returncode == 0 and "port.ship.v1" in piped.stdout, piped.stderr
    text = jovial("catalog", "import", "harbour.json", "--into", "text", cwd=tmp_path).stdout
    assert "the catalog harbour with 1 type, and 1 schema that they share" in text and "1  x-note" in text


@pytest.mark.parametrize(
    ("given", "code", "says"),
    [
        (["gone.json", "--into", "own"], 2, "is not there"),
        (["d.json"], 2, "--into"),
        (["d.json", "--into", "own", "--name", "A b"], 2, "small letters"),
        (["broken.json", "--into", "own"], 1, "broken.json:1"),
        (["deep.json", "--into", "own"], 1, "nesting-too-deep"),
        (["text.yaml", "--into", "own"], 1, "no values that are maps"),
        (["empty", "--into", "own"], 1, "holds no JSON"),
        (["d.json", "--into", "own", "--select", "x*"], 1, "--select"),
    ],
)
def test_what_cannot_be_imported(tmp_path: Path, given: list[str], code: int, says: str) -> None:
    (tmp_path / "d.json").write_text('{"type": "object"}')
    (tmp_path / "broken.json").write_text('{"type": ')
    (tmp_path / "deep.json").write_text('{"not":' * 3000 + "1" + "}" * 3000)
    (tmp_path / "text.yaml").write_text("type: string\n")
    (tmp_path / "empty").mkdir()
    done = jovial("catalog", "import", *given, cwd=tmp_path)
    assert done.returncode == code and says in done.stderr and not (tmp_path / "own").exists(), done.stderr


@pytest.mark.parametrize(
    ("text", "made"),
    [
        ("HTTPRoute", "http_route"),
        ("a-b.C", "a_b_c"),
        ("9a", "t_9a"),
        ("Ämter", "mter"),
        ("--", "t"),
        ("x" * 200, "x" * 64),
        ("aBC1D", "a_bc1_d"),
    ],
)
def test_names(text: str, made: str) -> None:
    assert snake(text) == made


def _nullable(validator: Any, kinds: Any, value: Any, schema: dict[str, Any]) -> Iterator[Any]:
    if not (value is None and schema.get("nullable") is True):
        yield from jsonschema.Draft4Validator.VALIDATORS["type"](validator, kinds, value, schema)


_ORACLES: dict[str, Any] = {
    "OpenAPI 3.0": jsonschema.validators.extend(jsonschema.Draft4Validator, {"type": _nullable}),
    "OpenAPI 3.1": jsonschema.Draft202012Validator,
    "JSON Schema draft 7": jsonschema.Draft7Validator,
    "JSON Schema 2019-09": jsonschema.Draft201909Validator,
    "JSON Schema 2020-12": jsonschema.Draft202012Validator,
}


def _without_formats(value: Any) -> Any:
    """Formats are checked here and left open by the standards; that is listed, and no matter of the law."""
    if isinstance(value, dict):
        return {key: _without_formats(item) for key, item in value.items() if not (key == "format" and isinstance(item, str))}
    return [_without_formats(item) for item in value] if isinstance(value, list) else value


def verdicts(document: Any, types: int, values: int, tries: int, select: tuple[str, ...] = ()) -> tuple[int, int]:
    """How many types were tried with as many valid and invalid values, and how many values there were in all. Each has the same verdict by
    the description and by the import, else this fails; some types allow or refuse too much for so many to be found."""
    document = _without_formats(document)
    result = import_catalog({"d.json": document}, lambda name: None, select, "d")
    dialect = dialect_of(document)
    assert dialect is not None
    known = {"d.json": referencing.Resource(document, specification_with(_ORACLES[dialect.name].META_SCHEMA["$schema"]))}
    registry: Any = referencing.Registry().with_resources([("urn:d", known["d.json"])])
    set_by_cloud = frozenset(place.rpartition("/")[2] for each in result.left if each.what == "required" for place in each.places)
    set_by_cloud |= _read_only(document)
    chance = random.Random(7)
    chosen = sorted(result.types)
    chance.shuffle(chosen)
    whole = total = 0
    for type in chosen:
        if whole == types:
            break
        pointer = f"#{quote(result.types[type].partition('#')[2])}"
        ours, oracle = _validator(result, type), _ORACLES[dialect.name]({"$ref": f"urn:d{pointer}"}, registry=registry)
        counts = {True: 0, False: 0}
        for number in range(tries):
            if min(counts.values()) >= values:
                break
            value = fitting({"$ref": pointer}, document, chance)
            if counts[True] >= values or number % 2:
                value = changed(value, chance, set_by_cloud)
            expected = oracle.is_valid(value)
            if not expected and set(_missing(oracle.iter_errors(value))) <= set_by_cloud:
                continue  # a listed exception
            assert (ours.violations(value) == []) is expected, (type, value, list(oracle.iter_errors(value))[:3])
            counts[expected] += 1
        whole += min(counts.values()) >= values
        total += sum(counts.values())
    return whole, total


def _missing(errors: Any) -> Iterator[str]:
    """The names that errors miss; something else, where they say something else."""
    for error in errors:
        if error.context:
            yield from _missing(error.context)
        else:
            yield error.message.split("'")[1] if error.validator == "required" else "something else"


def _read_only(document: Any) -> frozenset[str]:
    """The names of properties that somebody says the cloud sets: a value without them is a listed exception."""
    found, stack = set(), [document]
    while stack:
        value = stack.pop()
        if isinstance(value, dict):
            properties = value.get("properties")
            found |= {name for name, each in properties.items() if "readOnly" in str(each)} if isinstance(properties, dict) else set()
        stack += value.values() if isinstance(value, dict) else value if isinstance(value, list) else ()
    return frozenset(found)


@pytest.mark.parametrize(
    "case", [each for each in load_cases("importing.yaml") if "document" in each.values[0] and "valid" in each.values[0]]
)
def test_the_same_values_are_valid(case: dict[str, Any]) -> None:
    if any(each in case["name"] for each in ("patterns", "not as JSON Schema")):
        pytest.skip("what such a description means is a listed exception")
    _, total = verdicts(case["document"], 99, 20, 150)
    assert total


def _in_wheel(name: str) -> Callable[[Path], Any]:
    def read(path: Path) -> Any:
        with zipfile.ZipFile(path) as wheel:
            text = wheel.read(name)
        return json.loads(text) if name.endswith(".json") else yaml.load(text, Loader=getattr(yaml, "CSafeLoader", yaml.SafeLoader))

    return read


def _in_package(name: str) -> Callable[[Path], Any]:
    def read(path: Path) -> Any:
        with tarfile.open(path) as package:
            member = package.extractfile(name)
            assert member is not None
            return json.load(member)

    return read


#: large descriptions that packages of the registries carry, by the beginning of the package's file name
REAL = {
    "octokit-openapi": (_in_package("package/generated/api.github.com.json"), ()),
    "altair": (_in_wheel("altair/vegalite/v6/schema/vega-lite-schema.json"), ("*",)),
    "apache_airflow_core": (_in_wheel("airflow/api_fastapi/core_api/openapi/v2-rest-api-generated.yaml"), ()),
}


@pytest.mark.parametrize("package", REAL)
def test_real_descriptions(package: str) -> None:
    """They are fetched by .ci/run, or by hand (CONTRIBUTING.md)."""
    folder = Path(os.environ.get("JOVIAL_DESCRIPTIONS", "/nowhere"))
    path = next(iter(folder.glob(f"{package}-*")), None) if folder.is_dir() else None
    if path is None:
        pytest.skip("JOVIAL_DESCRIPTIONS names no folder with this package")
    read, select = REAL[package]
    whole = read(path)
    document = {key: whole[key] for key in ("openapi", "info", "components") if key in whole} or whole
    types, total = verdicts(document, 80, 20, 300, select)
    print(f"{package}: {types} types with 20 valid and 20 invalid values each, {total:,} values in all, no verdict differs")
    assert types >= 70


def test_types_share_definitions(write: Write) -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [own/]\nenvironments: {live: {}}\n",
        "own/shared.yaml": """$defs:
  port: {type: integer, maximum: 99}
  door: {type: object, properties: {port: {$ref: "#/$defs/port"}, code: {type: string, writeOnly: true}, inner: {$ref: "#/$defs/door"}}}
""",
        "own/gate.yaml": """$id: own.gate.v1
description: A gate.
type: object
properties:
  door: {$ref: "shared.yaml#/$defs/door"}
  spare: {$ref: "#/$defs/own"}
additionalProperties: false
$defs: {own: {$ref: "shared.yaml#/$defs/port"}}
""",
        "own/hall.yaml": "$id: own.hall.v1\ntype: object\nproperties: {gate: {$ref: gate.yaml}, other: {$ref: 'gate.yaml#/$defs/own'}}\n",
        "t.yaml": """resources:
  g (own.gate): {spare: 100, door: {port: 7, code: edelweiss, inner: {inner: {port: x}}}}
  h (own.hall): {gate: {door: {port: 100}}, other: 1}
""",
    }
    folder = write(files)
    done = jovial("check", "--format", "json", cwd=folder)
    found = [(each["id"], each["address"], each["pointer"]) for each in json.loads(done.stdout)["findings"]]
    assert found == [
        ("property-range", "g", "spare"),
        ("secret-in-clear", "", ""),
        ("property-type", "g", "door/inner/inner/port"),
        ("property-range", "h", "gate/door/port"),
    ], done.stdout
    assert "edelweiss" not in jovial("render", "live", cwd=folder).stdout + jovial("check", cwd=folder).stdout
    page = jovial("catalog", "show", "hall", "gate.door", cwd=folder).stdout
    assert "port  integer" in page and "at most 99" in page and "secret" in page
    for wrong in ("shared.yaml#/$defs/prt", "gone.yaml", "shared.yaml#/$defs/door/properties/port/maximum"):
        lost = write({**files, "own/hall.yaml": f"$id: own.hall.v1\ntype: object\nproperties: {{gate: {{$ref: '{wrong}'}}}}\n"})
        said = jovial("check", cwd=lost).stdout
        assert f"own/hall.yaml:3:{len('properties: {gate: {$ref: ') + 1}  error  catalog-schema" in said and "leads nowhere" in said, said


def test_what_a_newer_version_would_break(write: Write) -> None:
    own = "type: object\nproperties: {name: {type: string}, size: %s}\nrequired: [name%s]\nadditionalProperties: false\n"
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [own/]\nenvironments: {live: {}, sandbox: {}}\n",
        "own/catalog.yaml": "name: own\ndefaults: {box: 1}\n",
        "own/box1.yaml": "$id: own.box.v1\n" + own % ("{enum: [s, m, l]}", ""),
        "own/box2.yaml": "$id: own.box.v2\n" + own % ("{enum: [s, m]}", ", size"),
        "own/crate1.yaml": "$id: own.crate.v1\ndeprecated: true\n" + own % ("{type: string, deprecated: true}", ""),
        "own/crate2.yaml": "$id: own.crate.v2\n" + own % ("{type: string}", ""),
        "t.yaml": """let: {sizes: {live: l, sandbox: m}}
resources:
  fits (own.box): {name: a, size: m}
  large (own.box): {name: b, size: "${sizes[context.environment]}"}
  none (own.box.v1): {$per: {n: "[1, 2]"}, name: "x-${n}"}
  new (own.box.v2): {name: c, size: s}
  old (own.crate.v1): {name: d, size: x}
""",
    }
    done = jovial("check", "--format", "json", cwd=write(files))
    found = {(each["id"], each["level"], each["line"], tuple(each["environments"])) for each in json.loads(done.stdout)["findings"]}
    assert done.returncode == 0 and found == {
        ("type-upgrade-breaks", "note", 4, ("live",)),
        ("type-upgrade-breaks", "note", 5, ("live", "sandbox")),
        ("type-deprecated", "warning", 7, ()),
        ("property-deprecated", "warning", 7, ("live", "sandbox")),
    }, done.stdout
