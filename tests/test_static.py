"""What is found before any environment exists, and that it is never a false alarm."""

from pathlib import Path
from typing import Any

import pytest
import yaml
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from jovial_scaffold import Project
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import MapScope, evaluate
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.types import ANY, BOOL, STRING, Type, joined, type_of_value
from jovial_scaffold.core.rendering.computing import plain
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.schemas.validation import Validator
from jovial_scaffold.core.templates.checking import check_types
from tests.support import Write, load_cases

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
PROJECT = "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {sandbox: {parameters: []}}\n"


def static_findings(write: Write, template: str, must: Any = None) -> list[Any]:
    head = f"parameters: {yaml.safe_dump(PARAMETERS, default_flow_style=True, width=100_000).strip()}\n"
    tail = yaml.safe_dump({"must": must}) if must else ""
    project = Project.load(write({"jovial.yaml": PROJECT, "line.yaml": head + template + tail}))
    return check_types(project.template)


@pytest.mark.parametrize("case", load_cases("static.yaml"))
def test_static(write: Write, case: dict[str, Any]) -> None:
    found = static_findings(write, case["template"], case.get("must"))
    assert sorted([f.id, f.level, f.span.line, f.span.column] for f in found if f.span) == sorted(case["findings"]), found
    assert case.get("says", "") in " ".join(f"{f.message} {f.hint}" for f in found)


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
    for finding in check_types(project.template):
        if finding.level != "error":
            continue
        for name, options in (("setting", ["sandbox", "rehearsal", "live"]), ("flag", [True, False])):
            for option in options:
                if (
                    f"`{name}` is {'true' if option is True else 'false' if option is False else repr(option).replace(chr(39), chr(34))}"
                    in finding.hint
                ):
                    values[name] = option
        for zone in ("valley", "middle", "summit"):
            if f'`station.zone` is "{zone}"' in finding.hint:
                values["station"]["zone"] = zone
        with pytest.raises(EvaluationError):
            plain(evaluate(node, MapScope(values)))


JSON_SCHEMAS = st.sampled_from(
    [
        *SCHEMAS.values(),
        {"type": ["string", "integer"]},
        {"anyOf": [{"type": "boolean"}, {"type": "string", "maxLength": 1}]},
        {"const": 3},
        {},
    ]
)


@given(JSON_SCHEMAS, JSON_SCHEMAS, st.data())
def test_a_value_that_fits_a_schema_fits_its_type(one: Any, other: Any, data: Any) -> None:
    value = data.draw(st.one_of(*VALUES.values(), st.none(), st.just(3), st.text("ab", max_size=2)))
    for schema, known in ((one, type_of_schema(one)), (one, joined([type_of_schema(one), type_of_schema(other)]))):
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
    assert type_of_schema(SCHEMAS["setting"]).text() == 'one of "sandbox", "rehearsal" or "live"'
    assert type_of_schema(SCHEMAS["count"]).text() == "int from 1 to 8"
    assert type_of_schema(SCHEMAS["stations"]).text() == "list of map with code, name and zone"
    assert joined([BOOL, STRING]).text() == "bool or string" and ANY.text() == "anything"
