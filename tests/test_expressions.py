"""The expression language: tables of values and errors, marks, places, and that no text breaks it."""

from contextlib import suppress
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.changes.matrix import same
from jovial_scaffold.core.expressions import compile_expression
from jovial_scaffold.core.expressions.closures import closure
from jovial_scaffold.core.expressions.errors import EvaluationError, ExpressionError, SyntaxProblem
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.functions import FUNCTIONS
from jovial_scaffold.core.expressions.generation import generate
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Programs
from jovial_scaffold.core.expressions.residuals import pending_property
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.expressions.values import Optional, Secret
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.reports.words import said
from tests.support import load_cases

NAMES = {
    "station": {"code": "kes", "name": "Kestrel Valley"},
    "sizes": {"sandbox": {"gate": "xs"}, "live": {"gate": "m"}},
    "numbers": [1, 2, 3],
}


def value_of(text: str, **names: Any) -> Any:
    return evaluate(parse(text), MapScope({**NAMES, **names}))


@pytest.mark.parametrize("case", load_cases("expressions.yaml"))
def test_expression(case: dict[str, Any]) -> None:
    text = case["expression"]
    if "gives" in case:
        result = value_of(text)
        if case.get("inexact"):
            assert len(result) == len(case["gives"])
        else:
            assert result == case["gives"] and type(result) is type(case["gives"])
        return
    with pytest.raises(EvaluationError) as raised:
        value_of(text)
    assert raised.value.id == case["fails"]
    if "at" in case:
        assert text[raised.value.start : raised.value.end] == case["at"]
    assert case.get("hint", "") in said(raised.value.hint)


LANGUAGE = [case for name in ("timestamps", "conversions", "extensions") for case in load_cases(f"language/{name}.yaml")]


@pytest.mark.parametrize("case", LANGUAGE)
def test_language(case: dict[str, Any]) -> None:
    """By section of the language definition and its extensions: carefully, as generated code, and as closures."""
    expression = compile_expression(case["expression"])
    engines = [engine for engine in (generate(expression.node), closure(expression.node)) if engine is not None]
    if "fails" in case:
        with pytest.raises(EvaluationError) as raised:
            expression.evaluate({})
        assert raised.value.id == case["fails"] and raised.value.start >= 0
        for engine in engines:
            with pytest.raises(Exception):  # noqa: B017 - whatever it raises, the careful evaluator is asked then
                engine({}, {})
        return
    results = [expression.evaluate()]
    for engine in engines:
        with suppress(Exception):  # it is not for this form, and says so
            results.append(engine({}, {}))
    for result in results:
        shown = repr(result) if "text" in case else result
        wanted = case.get("text", case.get("gives"))
        assert shown == (wanted.replace("\n", "\\n").replace('a"b', 'a\\"b') if case.get("raw") else wanted)
        assert "text" in case or type(result) is type(case["gives"])


@pytest.mark.parametrize("case", load_cases("syntax.yaml"))
def test_syntax_error(case: dict[str, Any]) -> None:
    text = case["expression"]
    with pytest.raises(SyntaxProblem) as raised:
        parse(text)
    assert case["says"] in said(raised.value.message) or case.get("inexact")
    if "at" in case:
        assert text[raised.value.start : raised.value.end] == case["at"]
    assert case.get("hint", "") in said(raised.value.hint)


@pytest.mark.parametrize("function", [pytest.param(f, id=f"{f.name}-{f.method}") for f in FUNCTIONS.values()])
def test_example_of_every_function_holds(function: Any) -> None:
    assert value_of(function.example) is True


P, S = Pending(["track_net:id"]), Secret("edelweiss-over-the-tunnel")


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("false && p == 'x'", False),
        ("p == 'x' || true", True),
        ("true ? 1 : p", 1),
        ("[p].size()", 1),
        ("[p, 'x'][1]", "x"),
        ("'x' in [p, 'x']", True),
        ("u + p", UNKNOWN),
        ("u == 1 || true", True),
        ("s + 'x'", Secret("edelweiss-over-the-tunnelx")),
        ("size(s)", Secret(25)),
        ("s == 'x'", Secret(False)),
        ("s == 'x' ? 1 : 2", Secret(2)),
        ("false && s == 'x'", False),
        ("as_json([s])", Secret('["edelweiss-over-the-tunnel"]')),
        ("{'a': s}.a", S),
        ("{'a': 1}.size()", 1),
    ],
)
def test_marks_spread(text: str, expected: Any) -> None:
    assert same(value_of(text, p=P, s=S, u=UNKNOWN), expected)


PENDING = {
    "p": P,
    "q": pending_property("main_db", "address"),
    "kes": pending_property("desk/kes", "id"),
    "odd": pending_property("desk/a.b", "ports/0"),
    "s": S,
    "u": UNKNOWN,
    "n": 2,
    "names": ["x", "y"],
}


@pytest.mark.parametrize("case", load_cases("residuals.yaml"))
def test_residuals(case: dict[str, Any]) -> None:
    values = [value_of(text, **PENDING) for text in (case["expression"], *case.get("same", []))]
    assert to_json(values[0]) == case["gives"]
    assert all(same(values[0], other) for other in values), [to_json(value) for value in values]
    assert not any(same(values[0], value_of(text, **PENDING)) for text in case.get("differs", []))
    assert repr(values[0]) == case.get("people", repr(values[0]))


@pytest.mark.parametrize(
    "text", ["int(s)", "s + 1", "s.value()", "s[0]", "{'a': 1}[s]", "[1][s]", "s.split(1)", "s ? 1 : 2", "s.matches('(')", "slug(s, 0)"]
)
def test_errors_never_show_a_secret(text: str) -> None:
    with pytest.raises(EvaluationError) as raised:
        value_of(text, s=S)
    assert "edelweiss" not in f"{said(raised.value.message)}{said(raised.value.hint)}{raised.value.args}"


def test_optionals_of_secret_values_stay_secret() -> None:
    assert same(value_of("s.?a.orValue('x')", s=Secret({"a": "b"})), Secret("b"))
    assert isinstance(value_of("m.?a", m={"a": 1}), Optional)


@pytest.mark.parametrize(
    ("text", "parts"),
    [
        ("plain", "plain"),
        ("$${not}", "${not}"),
        ("$$${x}", "$${x}"),
        ("${a}", ["a"]),
        ("a-${b}-c", ["a-", "b", "-c"]),
        ("${a}${b}", ["a", "b"]),
        ("${ {'k': '}'}.k }", [" {'k': '}'}.k "]),
        ("cost $5 ${a}", ["cost $5 ", "a"]),
        ("${r'}'}", ["r'}'"]),
    ],
)
def test_placeholders_are_found(text: str, parts: Any) -> None:
    found = Programs().text(text)
    pieces = found.parts if isinstance(found, Joined) else (found,)
    texts = [piece.text if isinstance(piece, Formula) else piece for piece in pieces]
    assert texts == ([parts] if isinstance(parts, str) else parts)
    for piece in pieces:
        if isinstance(piece, Formula):
            assert text[piece.offset : piece.offset + len(piece.text)] == piece.text


@pytest.mark.parametrize("text", ["${", "${a", "a ${'b} c", "${(}", "x${?a}"])
def test_broken_placeholders_are_placed(text: str) -> None:
    with pytest.raises(SyntaxProblem) as raised:
        Programs().text(text)
    assert 0 <= raised.value.start <= raised.value.end <= len(text)


ALPHABET = "ab1 .?:()[]{}'\"+-*/%<>=!&|,\\rux`$"


@given(
    st.text(ALPHABET, max_size=40)
    | st.lists(
        st.sampled_from(["station", ".", "code", "numbers", ".map(", "n", ",", ")", "[", "]", "0", "+", "'x'", "?", ":", "==", "&&"]),
        max_size=12,
    ).map("".join)
)
def test_no_text_raises_anything_but_the_languages_own_errors(text: str) -> None:
    try:
        value_of(text)
    except ExpressionError as error:
        assert said(error.message) and 0 <= error.start <= error.end <= len(text) + 1


@pytest.mark.parametrize(
    "text",
    ["(" * 500 + "1" + ")" * 500, "-" * 5000 + "1", "!" * 3000 + "true", "1" + "+1" * 6000, "[" * 300, "a" + ".b" * 5000, "x" * 20_000],
)
def test_deep_and_long_texts_end_with_an_error_or_a_value(text: str) -> None:
    try:
        value_of(text)
    except ExpressionError as error:
        assert said(error.message)


def test_budget_stops_an_evaluation() -> None:
    with pytest.raises(EvaluationError) as raised:
        value_of("xs.map(a, xs.map(b, xs.map(c, a + b + c)))", xs=list(range(300)))
    assert raised.value.id == "expression-budget"
