"""Expressions made of parts of others: generated code gives the careful value or raises, and an error is an error of the language."""

import functools
import math
import random
from typing import Any

from jovial_scaffold.core.changes.matrix import same
from jovial_scaffold.core.expressions.closures import closure
from jovial_scaffold.core.expressions.errors import EvaluationError, SyntaxProblem
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.generation import generate
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.program import HOT, Program
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.expressions.syntax import Node
from jovial_scaffold.core.expressions.values import NONE, Optional, Secret, deep_marks
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.reports.words import said
from tests.fuzz.mini import SECRET
from tests.support import load_cases

NAMES: dict[str, tuple[Any, ...]] = {
    "station": ({"code": "kes", "zone": "valley", "height": 1520}, {}, Secret({"code": SECRET}), UNKNOWN, Pending(["net:id"])),
    "stations": ([{"code": "kes"}, {"code": "bri", "zone": "summit"}], [], Secret([SECRET]), [Pending(["a:b"])], UNKNOWN),
    "sizes": ({"live": {"gate": "m"}, "sandbox": {}}, {"live": Secret(SECRET)}, 3),
    "copies": (3, 0, -1, 2**63 - 1, Secret(7), 1.0, "3"),
    "line": ("alp", "", "山-é", Secret(SECRET), Pending(["q:url"]), None),
    "wanted": (True, False, Secret(True), UNKNOWN),
    "deep": ([[Secret(1)], 3], {"a": {"b": UNKNOWN}}, [{"a": Pending(["a:b"])}], [[1], [1], 1]),
    "xs": ([1, 2, 3], ["a", 1, None, [2]], [Secret(1), 2], {}),
}
ATOMS = (
    *NAMES,
    *(f"{name}.code" for name in ("station", "stations[0]")),
    "1",
    "'a'",
    "[]",
    "{}",
    "null",
    "-1",
    "2.5",
    "station.?zone",
    "xs[?9]",
)


def alike(a: Any, b: Any) -> bool:
    """Equal in value and in type, NaN with itself."""
    if isinstance(a, float) and isinstance(b, float) and math.isnan(a):
        return math.isnan(b)
    if type(a) is not type(b):
        return False
    if isinstance(a, list):
        return len(a) == len(b) and all(map(alike, a, b))
    if isinstance(a, dict):
        others = {_key(key): item for key, item in b.items()}
        return len(a) == len(b) and all(_key(key) in others and alike(item, others[_key(key)]) for key, item in a.items())
    if isinstance(a, Optional):
        return a is b or (a is not NONE and b is not NONE and alike(a.value, b.value))
    return alike(a.value, b.value) if isinstance(a, Secret) else same(a, b)


def _key(key: Any) -> str:
    """A key of a map; the reference has booleans, of which ours have a form of their own."""
    return repr(key).lower() if repr(key) in ("True", "False") else repr(key)


def parts(node: Node) -> list[Node]:
    """A node and all below it."""
    found, stack = [], [node]
    while stack:
        part = stack.pop()
        found.append(part)
        for name in (slot for kind in type(part).__mro__ for slot in getattr(kind, "__slots__", ())):
            value = getattr(part, name)
            stack += [each for each in (value if isinstance(value, tuple) else (value,)) if isinstance(each, Node)]
            stack += [
                each
                for pair in (value if isinstance(value, tuple) else ())
                if isinstance(pair, tuple)
                for each in pair
                if isinstance(each, Node)
            ]
    return found


@functools.cache
def corpus() -> tuple[str, ...]:
    """The expressions of the tables of cases, and all their parts."""
    texts: set[str] = set()
    for table in ("expressions.yaml", "static.yaml", "types.yaml", "language/extensions.yaml"):
        for entry in load_cases(table):
            text = entry.values[0].get("expression", "")
            try:
                texts.update(text[part.start : part.end] for part in parts(parse(text)))
            except (EvaluationError, SyntaxProblem):
                continue
    return tuple(sorted(text for text in texts if len(text) < 120))


def expression(chance: random.Random) -> str:
    """A text of the tables in which a few parts stand in for others."""
    text = chance.choice(corpus())
    for _ in range(chance.randint(1, 3)):
        try:
            part = chance.choice(parts(parse(text)))
        except (EvaluationError, SyntaxProblem):
            return text
        put = chance.choice(ATOMS if chance.random() < 0.6 else corpus())
        text = f"{text[: part.start]}{put if chance.random() < 0.8 else f'({put})'}{text[part.end :]}"
    return text


def attempt(chance: random.Random) -> str:
    """One case."""
    text = expression(chance)
    names = {name: chance.choice(values) for name, values in NAMES.items()}
    names = {name: value for name, value in names.items() if chance.random() < 0.97}
    try:
        node = parse(text)
    except (EvaluationError, SyntaxProblem):
        return "unusable"
    told = ""
    try:
        expected: Any = evaluate(node, MapScope(names))
    except EvaluationError as error:
        expected, told = error, f"{said(error.message)} {said(error.hint)}"
        assert 0 <= error.start <= error.end <= len(text), text
    assert SECRET not in told, (text, told)
    for quick in (generate(node), closure(node)):
        if quick is not None:
            try:
                value = quick(names, {})
            except Exception:
                continue  # it asks the careful evaluator
            assert not isinstance(expected, EvaluationError) and alike(value, expected), (text, names, value, expected)
    program = Program(node)
    for _ in range(HOT + 2):
        # The same text may stand at another place, where some of its names are variables of a loop or arguments of a function.
        inner = {name for name in names if chance.random() < 0.3} if chance.random() < 0.5 else set()
        outer = {name: chance.choice(NAMES[name]) if name in inner else value for name, value in names.items()}
        try:
            value = program.run(MapScope(outer), {name: names[name] for name in inner})
        except EvaluationError as error:
            assert isinstance(expected, EvaluationError) and (error.id, error.start, error.end) == (
                expected.id,
                expected.start,
                expected.end,
            ), text
        else:
            assert not isinstance(expected, EvaluationError) and alike(value, expected), (text, names, value, expected)
    if not isinstance(expected, EvaluationError):
        assert SECRET not in repr(expected) or deep_marks(expected)[1], (text, expected)
    return "errors" if told else "clean"
