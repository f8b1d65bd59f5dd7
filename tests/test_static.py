"""What is found before any environment exists, and that it is never a false alarm."""

import json
import re
from pathlib import Path
from typing import Any

import pytest
import yaml
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from jovial_scaffold import Project
from jovial_scaffold.core.expressions import compile_expression
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.expressions.types import ANY, BOOL, STRING, Type, joined, type_of_value
from jovial_scaffold.core.parameters.typing import as_declared
from jovial_scaffold.core.rendering.computing import plain
from jovial_scaffold.core.schemas.letters import letters_of
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.schemas.validation import Validator
from jovial_scaffold.reports.words import said, shown, text_of
from tests.support import Write, check_templates, load_cases

SCHEMAS: dict[str, dict[str, Any]] = {
    "setting": {"enum": ["sandbox", "rehearsal", "live"]},
    "flag": {"type": "boolean"},
    "count": {"type": "integer", "minimum": 1, "maximum": 8},
    "share": {"type": "number", "minimum": 0, "maximum": 1},
    "owner": {"type": "string", "minLength": 2, "maxLength": 6},
    "station": {
        "type": "object",
        "properties": {
            "code": {"type": "string", "minLength": 3},
            "name": {"type": "string"},
            "zone": {"enum": ["valley", "middle", "summit"]},
        },
        "required": ["code", "zone"],
        "additionalProperties": False,
    },
}
SCHEMAS["stations"] = {"type": "array", "items": SCHEMAS["station"], "minItems": 1, "maxItems": 20}
PARAMETERS = {name: {**schema, "description": "d"} for name, schema in SCHEMAS.items()}
PARAMETERS["seats"] = {"type": "integer", "minimum": 1, "maximum": 800, "description": "More than are tried one by one"}
PROJECT = "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {sandbox: {parameters: []}}\n"


def static_findings(write: Write, template: str, must: Any = None) -> list[Any]:
    head = f"parameters: {yaml.safe_dump(PARAMETERS, default_flow_style=True, width=100_000).strip()}\n"
    tail = yaml.safe_dump({"must": must}) if must else ""
    project = Project.load(write({"jovial.yaml": PROJECT, "line.yaml": head + template + tail}))
    return check_templates([project.template])


@pytest.mark.parametrize("case", load_cases("static.yaml"))
def test_static(write: Write, case: dict[str, Any]) -> None:
    found = static_findings(write, case["template"], case.get("must"))
    assert sorted([f.id, f.level, f.span.line, f.span.column] for f in found if f.span) == sorted(case["findings"]), found
    assert case.get("says", "") in " ".join(f"{said(f.message)} {said(f.hint)}" for f in found)


VALUES: dict[str, st.SearchStrategy[Any]] = {
    "setting": st.sampled_from(["sandbox", "rehearsal", "live"]),
    "flag": st.booleans(),
    "count": st.integers(1, 8),
    "share": st.floats(0, 1),
    "owner": st.text("abme", min_size=2, max_size=6),
    "station": st.fixed_dictionaries(
        {"code": st.text("ab", min_size=3, max_size=4), "zone": st.sampled_from(["valley", "middle", "summit"])},
        optional={"name": st.text("ab", max_size=2)},
    ),
}
VALUES["stations"] = st.lists(VALUES["station"], min_size=1, max_size=4)

atoms = st.sampled_from(
    [
        "setting",
        "flag",
        "count",
        "share",
        "owner",
        "station",
        "stations",
        "1",
        "'live'",
        "'a'",
        "true",
        "2.5",
        "[1, 2]",
        "{'live': 1, 'sandbox': 's'}",
        "station.code",
        "station.zone",
        "station.?name",
        "station.nope",
        "stations[0]",
        "null",
        "{'a': owner, 'valley': 3}",
        "-1",
    ]
)
EXPRESSIONS = st.recursive(
    atoms,
    lambda e: st.one_of(
        st.tuples(e, st.sampled_from(["+", "-", "*", "/", "%", "==", "!=", "<", "<=", ">", ">=", "in", "&&", "||"]), e).map(
            lambda p: f"({p[0]} {p[1]} {p[2]})"
        ),
        st.tuples(e, e, e).map(lambda p: f"({p[0]} ? {p[1]} : {p[2]})"),
        st.tuples(e, e).map(lambda p: f"{p[0]}[{p[1]}]"),
        st.tuples(e, st.sampled_from(["code", "zone", "name", "live"])).map(lambda p: f"{p[0]}.{p[1]}"),
        st.tuples(st.sampled_from(["size", "string", "int", "!", "-"]), e).map(lambda p: f"{p[0]}({p[1]})"),
        st.tuples(e, st.sampled_from(["startsWith", "contains", "join", "split", "orValue", "matches"]), e).map(
            lambda p: f"{p[0]}.{p[1]}({p[2]})"
        ),
        st.tuples(e, st.sampled_from(["all", "exists", "map", "filter", "exists_one", "sortBy"]), e).map(
            lambda p: f"{p[0]}.{p[1]}(v, {p[2]})"
        ),
        st.tuples(e, st.sampled_from(["map(v, v.code)", "filter(v, v.zone == 'valley')", "all(v, v.code != owner)", "map(v, v + 1)"])).map(
            lambda p: f"{p[0]}.{p[1]}"
        ),
        st.tuples(e, e).map(lambda p: f"[{p[0]}, {p[1]}]"),
        st.tuples(e, e).map(lambda p: f"{{'a': {p[0]}, {p[1]}: 1}}"),
        st.tuples(e, e).map(lambda p: f"cel.bind(w, {p[0]}, w == {p[1]} || w != w)"),
    ),
    max_leaves=7,
)


@settings(max_examples=400, deadline=None, suppress_health_check=list(HealthCheck))
@given(EXPRESSIONS, st.fixed_dictionaries(VALUES), st.data())
def test_an_error_is_never_a_false_alarm_and_a_type_never_a_lie(
    tmp_path_factory: pytest.TempPathFactory, text: str, values: dict[str, Any], data: Any
) -> None:
    """Where an error is found, every fitting value fails (with the witness, where one is given); where a type is given, every result has it."""
    try:
        node = parse(text)
    except EvaluationError:
        assume(False)
    folder: Path = tmp_path_factory.mktemp("law")
    (folder / "jovial.yaml").write_text(PROJECT)
    (folder / "line.yaml").write_text(yaml.safe_dump({"parameters": PARAMETERS, "let": {"x": f"${{{text}}}"}}))
    project = Project.load(folder)
    for finding in check_templates([project.template]):
        if finding.level != "error":
            continue
        for name, options in (("setting", ["sandbox", "rehearsal", "live"]), ("flag", [True, False]), ("count", range(1, 9))):
            witness = [option for option in options if f"`{name}` is {shown(option)}" in said(finding.hint)]
            values |= {name: witness[0]} if witness else {}
        for zone in ("valley", "middle", "summit"):
            if f'`station.zone` is "{zone}"' in said(finding.hint):
                values["station"]["zone"] = zone
        whole = re.search("`station` is ({.*?})[.,] ", said(finding.hint))
        values |= {"station": json.loads(whole[1])} if whole else {}
        with pytest.raises(EvaluationError):
            plain(evaluate(node, MapScope(values)))


@st.composite
def parameter_schemas(draw: st.DrawFn) -> tuple[dict[str, Any], st.SearchStrategy[Any]]:
    """A schema, and values that fit it."""
    low, span = draw(st.integers(-3, 5)), draw(st.integers(0, 4))
    names = draw(st.lists(st.sampled_from(["xs", "s", "m", "l", "live", "3"]), min_size=1, max_size=4, unique=True))
    shortest, more = draw(st.integers(0, 3)), draw(st.integers(0, 3))
    return draw(
        st.sampled_from(
            [
                ({"type": "integer", "minimum": low, "maximum": low + span}, st.integers(low, low + span)),
                ({"enum": names}, st.sampled_from(names)),
                ({"enum": [low, low + span + 1]}, st.sampled_from([low, low + span + 1])),
                (
                    {"type": "string", "minLength": shortest, "maxLength": shortest + more},
                    st.text("ab", min_size=shortest, max_size=shortest + more),
                ),
                ({"type": "boolean"}, st.booleans()),
                ({"type": "number", "minimum": low, "maximum": low + span}, st.floats(low, low + span)),
                ({"type": "array", "items": {"enum": names}, "maxItems": more}, st.lists(st.sampled_from(names), max_size=more)),
            ]
        )
    )


PROPERTIES = st.one_of(
    st.tuples(st.integers(-3, 5), st.integers(0, 5)).map(lambda p: {"type": "integer", "minimum": p[0], "maximum": p[0] + p[1]}),
    st.lists(st.sampled_from(["xs", "s", "m", "l"]), min_size=1, unique=True).map(lambda names: {"enum": names}),
    st.tuples(st.integers(0, 3), st.integers(0, 3)).map(lambda p: {"type": "string", "minLength": p[0], "maxLength": p[0] + p[1]}),
    st.sampled_from(
        [
            {"type": "boolean"},
            {"type": "number"},
            {"type": "string", "pattern": "^[a-m]+$"},
            {"type": "array", "items": {"type": "string"}, "maxItems": 2},
        ]
    ),
)
SHORT = st.recursive(
    st.sampled_from(["a", "b", "1", "'s'", "2.0", "[a]", "[a, b]", "{'live': 1, 's': a, 'm': b}", "'x-' + string(a)", "size(string(b))"]),
    lambda e: st.one_of(
        st.tuples(e, st.sampled_from(["+", "*", "-", "==", "<"]), e).map(lambda p: f"({p[0]} {p[1]} {p[2]})"),
        st.tuples(e, e, e).map(lambda p: f"({p[0]} == {p[1]} ? {p[2]} : {p[0]})"),
        st.tuples(e, e).map(lambda p: f"{{'live': {p[0]}, 's': 1, 'm': 'xs', 'xs': {p[1]}}}[a]"),
        e.map(lambda x: f"({x} in ['s', 'm'] ? {x} : b)"),
        st.tuples(e, e).map(lambda p: f"{p[0]}.map(v, v + {p[1]})"),
    ),
    max_leaves=5,
)


@settings(max_examples=250, deadline=None, suppress_health_check=list(HealthCheck))
@given(SHORT, parameter_schemas(), parameter_schemas(), PROPERTIES, st.data())
def test_an_error_about_a_property_is_never_a_false_alarm(
    tmp_path_factory: pytest.TempPathFactory, text: str, a: Any, b: Any, wanted: Any, data: Any
) -> None:
    folder: Path = tmp_path_factory.mktemp("law")
    (folder / "trial.yaml").write_text(yaml.safe_dump({"$id": "trial.thing.v1", "type": "object", "properties": {"p": wanted}}))
    (folder / "jovial.yaml").write_text(PROJECT.replace("[fulmar]", "[trial.yaml]"))
    parameters = {name: {**schema, "description": "d"} for name, (schema, _) in (("a", a), ("b", b))}
    (folder / "line.yaml").write_text(yaml.safe_dump({"parameters": parameters, "resources": {"r (trial.thing)": {"p": f"${{{text}}}"}}}))
    errors = [finding for finding in check_templates([Project.load(folder).template]) if finding.level == "error"]
    values = {"a": data.draw(a[1]), "b": data.draw(b[1])}
    for name, (schema, _) in (("a", a), ("b", b)):
        if schema.get("type") == "number":
            values[name] = float(values[name])
    for finding in errors:
        if "This is so where" in said(finding.hint):
            for name, (schema, _) in (("a", a), ("b", b)):
                for option in type_of_schema(schema).options or ():
                    if f"`{name}` is {shown(option)}" in said(finding.hint):
                        values[name] = option
        if any(f"`{name}` holds anything" in said(finding.hint) and not value for name, value in values.items()):
            continue  # where it holds nothing, it does not come about
        try:
            result = plain(evaluate(parse(text), MapScope(values)))
        except EvaluationError:
            continue
        as_integer = type(result) is float and wanted.get("type") == "integer"
        assert as_integer or Validator(wanted).violations(result), (finding, values, result)


JSON_SCHEMAS = st.sampled_from(
    [
        *SCHEMAS.values(),
        {"type": ["string", "integer"]},
        {"anyOf": [{"type": "boolean"}, {"type": "string", "maxLength": 1}]},
        {"const": 3},
        {},
        {"allOf": [{"type": "integer", "minimum": 2}, {"maximum": 4}]},
        {"type": "integer", "maximum": 3, "allOf": [{"enum": [1, 2, 3, 4]}, {"enum": [2, 3, 9]}]},
        {"type": "string", "enum": ["a", "b"], "not": {"const": "a"}},
        {"type": "integer", "minimum": 1, "if": {"minimum": 2}, "then": {"multipleOf": 2}},
        {"$ref": "#/$defs/n", "maximum": 3, "$defs": {"n": {"type": "integer", "minimum": 1}}},
        {"$ref": "#/$defs/n", "description": "d", "aspect": "capacity", "$defs": {"n": {"type": "string", "maxLength": 1}}},
        {"allOf": [{"type": "string"}, {"type": "integer"}]},
        {"allOf": [{"type": "array", "items": {"type": "integer"}}, {"minItems": 1, "maxItems": 2}]},
    ]
)

PATTERNS = (
    "^[a-z][a-z0-9-]*$",
    "^(a|b-)+$",
    r"^[^/]+$",
    r"^\d{2}-x$",
    "^[0-9]+([.][0-9]+)?$",
    r"^[\w.]{1,3}$",
    "^a|b$",
    "^/",
    "^x.z$",
    r"^a\$",
)


@given(st.sampled_from(PATTERNS), st.text("abxz019-./$_ä|", max_size=4))
def test_a_text_with_a_strange_letter_does_not_match(pattern: str, text: str) -> None:
    letters = letters_of(pattern)
    if letters is not None and not letters.fullmatch(text):
        assert re.search(pattern, text) is None


def test_letters_of_patterns_that_are_told() -> None:
    told = {pattern for pattern in PATTERNS if letters_of(pattern) is not None}
    assert told == {*PATTERNS} - {"^a|b$", "^/", "^x.z$", r"^a\$"}
    letters = letters_of("^[a-z][a-z0-9-]*$")
    assert letters is not None and letters.fullmatch("a-9") and not letters.fullmatch("A")


@given(JSON_SCHEMAS, JSON_SCHEMAS, st.data())
def test_a_value_that_fits_a_schema_fits_its_type(one: Any, other: Any, data: Any) -> None:
    value = data.draw(st.one_of(*VALUES.values(), st.none(), st.just(3), st.text("ab", max_size=2)))
    for schema, known in ((one, type_of_schema(one)), (one, joined([type_of_schema(one), type_of_schema(other)]))):
        value = as_declared(value, schema)  # what is declared an integer reads 1.0 as 1
        if Validator(schema).violations(value) == []:
            assert allows(known, value), (schema, known)


def allows(known: Type, value: Any) -> bool:
    """Whether a value is of a type, by the type's own words."""
    exact = type_of_value(value)
    kind = next(iter(exact.kinds))
    if known.kinds and kind not in known.kinds and not (kind == "int" and "double" in known.kinds):
        return False
    if known.options is not None and value not in known.options:
        return False
    if isinstance(value, int | float) and not isinstance(value, bool):
        return (known.low is None or known.low <= value) and (known.high is None or value <= known.high)
    if isinstance(value, str | list | dict) and not known.shortest <= len(value) <= (known.longest if known.longest is not None else 10**9):
        return False
    if isinstance(value, list) and known.items is not None:
        return all(allows(known.items, item) for item in value)
    if isinstance(value, dict) and known.fields is not None:
        missing = [name for name, field in known.fields.items() if field.required and name not in value]
        return not missing and all(
            allows(known.fields[key].type if key in known.fields else (known.others or ANY), item) for key, item in value.items()
        )
    return True


def test_types_as_people_read_them() -> None:
    assert text_of(type_of_schema(SCHEMAS["setting"]).text()) == 'one of "sandbox", "rehearsal" or "live"'
    assert text_of(type_of_schema(SCHEMAS["count"]).text()) == "int from 1 to 8"
    assert text_of(type_of_schema(SCHEMAS["stations"]).text()) == "list of map with code, name and zone"
    assert text_of(joined([BOOL, STRING]).text()) == "bool or string" and text_of(ANY.text()) == "anything"


@pytest.mark.parametrize("case", load_cases("types.yaml"))
def test_type_of_an_expression(case: dict[str, Any]) -> None:
    types = {name: type_of_schema(schema) for name, schema in SCHEMAS.items()}
    known, errors = compile_expression(case["expression"], types).check()
    assert errors == [] and text_of(known.text()) == case["type"]
