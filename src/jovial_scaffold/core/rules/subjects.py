"""What a rule is judged over and sees, and what its conditions come to there."""

from collections.abc import Mapping
from dataclasses import field
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, join_parts
from jovial_scaffold.core.expressions.scopes import LookupScope, MapScope, Scope
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Related, Span
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rules.reading import Rule
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, Named
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Value, say

_UNSET = frozenset(("key-missing", "index-range"))


class RuleScope(LookupScope):
    """The names that a rule sees; the ruleset's own values are computed when first read."""

    def __init__(self, names: dict[str, Any], values: dict[str, Named]) -> None:
        self.known = MapScope(names)
        self.values = values
        self.computing: set[str] = set()

    def value(self, name: str) -> Any:
        """The value of a name. Raises EvaluationError."""
        named = self.values.get(name)
        if named is None:
            return self.known.value(name)
        if name in self.computing:
            raise EvaluationError(say("The value `{}` depends on itself.", name))
        self.computing.add(name)
        result = computed(named.value, self)
        self.computing.discard(name)
        return result


def computed(compiled: Compiled, scope: Scope) -> Any:
    """The value of a constant or of a text with expressions. Raises EvaluationError."""
    if isinstance(compiled, Constant):
        return compiled.value
    if isinstance(compiled, Dynamic):
        if isinstance(compiled.content, Formula):
            return compiled.content.program.run(scope, {})
        if isinstance(compiled.content, Joined):
            return join_parts([(part, part if isinstance(part, str) else part.program.run(scope, {})) for part in compiled.content.parts])
    raise EvaluationError(say("A ruleset's value is a constant, or a text with expressions."))


class Placed(NamedTuple):
    """Where a property stands, the lines that it is made of, and where it would be mended if not there."""

    span: Span
    related: tuple[Related, ...]
    cause: Span | None


@value_record
class Subject:
    """What a rule is judged over: the names that it sees beside the shared ones, and how a finding about it is placed.

    `sources` are roots of names where something may be unset; elsewhere a missing part is a mistake of the rule.
    """

    label: str
    names: dict[str, Any]
    environments: tuple[str, ...]
    sources: tuple[str, ...]
    resource: EvaluatedResource | None = None
    others: Mapping[str, EvaluatedResource] = field(default_factory=dict)
    span: Span | None = None
    placed: dict[tuple[str, Pointer], Placed] = field(default_factory=dict)


class RuleBroken(Exception):
    """A condition of a rule cannot be judged, for a reason that is a mistake of the rule."""

    def __init__(self, condition: Condition, error: EvaluationError) -> None:
        self.condition = condition
        self.error = error


def conditions(rule: Rule, scope: RuleScope, sources: tuple[str, ...]) -> tuple[Any, Any]:
    """What `where` and `require` of a rule come to, each a boolean, pending or unknown; `require` is true where nothing hangs on it. Raises
    RuleBroken."""
    judged = rule.where
    where: Any = True
    try:
        where = truth(rule.where, scope)
        if where is False or where is UNKNOWN:
            return where, True
        judged = rule.require
        return where, truth(rule.require, scope)
    except EvaluationError as error:
        if is_unset(judged, error, sources):
            return where, not rule.absent_fails
        if isinstance(where, Pending):  # whether it is asked at all is not known
            return where, UNKNOWN
        raise RuleBroken(judged or rule.require, error) from None


def is_unset(condition: Condition | None, error: EvaluationError, sources: tuple[str, ...]) -> bool:
    """Whether a property is not set that a condition of a rule is about; what is missing elsewhere, such as in `parameters`, is a mistake of
    the rule."""
    if error.id not in _UNSET:
        return False
    formula = condition.content if condition is not None else None
    return not isinstance(formula, Formula) or not any(
        reference.start <= error.start < reference.chain_end and reference.name not in sources for reference in formula.program.reads
    )


def truth(condition: Condition | None, scope: RuleScope) -> Any:
    if condition is None:
        return True
    if isinstance(condition.content, Constant):
        return condition.content.value
    value = condition.content.program.run(scope, {})
    if isinstance(value, Secret):
        value = value.value
    if isinstance(value, bool | Pending) or value is UNKNOWN:
        return value
    raise EvaluationError(say("A rule is true or false, and this gives {}.", Value(value)), id="type-mismatch")
