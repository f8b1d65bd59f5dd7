"""What is left of an expression, filled in: it gives what the expression itself gives once what was pending is known.

The residual is read as an expression again, by the same evaluator but over other names, for several values of what was pending; and two
expressions with equal residuals agree for all of them.
"""

import random
from typing import Any

from jovial_scaffold.core.changes.matrix import same
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError, SyntaxProblem
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.pending import Pending, shown
from jovial_scaffold.core.expressions.residuals import pending_property
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.expressions.values import NONE, Optional, has_pending
from tests.fuzz.expressions import alike, expression

KNOWN: dict[str, tuple[Any, ...]] = {
    "station": ({"code": "kes", "zone": "valley", "height": 1520}, {}, {"code": "", "zone": None}),
    "stations": ([{"code": "kes"}, {"code": "bri", "zone": "summit"}], [], [{"code": "kes"}]),
    "sizes": ({"live": {"gate": "m"}, "sandbox": {}}, {}, {"live": {}}),
    "copies": (3, 0, -1, 1.0, "3", 2**63 - 1),
    "line": ("alp", "", "山-é", None, 'a"b\\c\n${x}'),
    "wanted": (True, False, 1),
    "deep": ([[1], 3], {"a": {"b": 1}}, [[1], [1], 1]),
    "xs": ([1, 2, 3], ["a", 1, None, [2]], {}),
}
_UNWRITTEN = ("patched(", "sortBy(", "transformMapEntry(", "fails(", "long(")


class _Failed(Exception):
    """There is no value."""


def value_of(text: str, names: dict[str, Any]) -> Any:
    """What an expression gives. Raises _Failed."""
    try:
        return evaluate(parse(text), MapScope(names))
    except (EvaluationError, SyntaxProblem) as error:
        if isinstance(error, BudgetError | SyntaxProblem):
            raise
        raise _Failed from None


def filled(value: Any, resources: dict[str, Any]) -> Any:
    """A value with each residual in it read as an expression."""
    if type(value) is Pending:
        return value_of(shown(value.segments), resources)
    if type(value) is list:
        return [filled(item, resources) for item in value]
    if type(value) is dict:
        return {key: filled(item, resources) for key, item in value.items()}
    return Optional(filled(value.value, resources)) if type(value) is Optional and value is not NONE else value


def outcome(ask: Any, *arguments: Any) -> Any:
    """What a call gives; _Failed where it gives nothing."""
    try:
        return ask(*arguments)
    except _Failed:
        return _Failed


def attempt(chance: random.Random) -> str:
    """One pair of expressions."""
    text, other = expression(chance), expression(chance)
    if chance.random() < 0.7:  # nearly the same: one name for another
        first, second = chance.sample(sorted(KNOWN), 2)
        other = text.replace(first, second)
    names = {name: chance.choice(values) for name, values in KNOWN.items()}
    waiting = chance.sample(sorted(KNOWN), chance.randint(1, 3))
    given = {**names, **{name: pending_property(f"r_{name}", "v") for name in waiting}}
    try:
        left = value_of(text, given)
        beside = outcome(value_of, other, given)
    except (SyntaxProblem, BudgetError):
        return "unusable"
    except _Failed:
        return "errors"
    if not has_pending(left):
        return "errors"  # nothing is left: it was decided without what is pending
    comparable = beside is not _Failed and "optional" not in f"{left!r}{beside!r}"
    equal = comparable and same(left, beside)
    for _ in range(4):
        known = {name: chance.choice(KNOWN[name]) for name in waiting}
        resources = {f"r_{name}": {"v": value} for name, value in known.items()}
        try:
            wanted = outcome(value_of, text, {**names, **known})
            if wanted is _Failed:  # then there is no deployment, whatever is left says
                continue
            if "patched(" in text and None in known.values():  # what the cloud sets is no null, which would take an entry away
                continue
            if not any(word in repr(left) for word in _UNWRITTEN):
                found = outcome(filled, left, resources)
                assert found is not _Failed and alike(found, wanted), (text, names, known, left, found, wanted)
            if equal:
                again = outcome(value_of, other, {**names, **known})
                assert again is _Failed or alike(again, wanted), (text, other, names, known, left)
        except BudgetError:
            continue
    return "clean"
