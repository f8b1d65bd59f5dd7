"""What goes wrong in an expression before any environment: each mistake once, with the combination that shows it, as a finding."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.checking import Path
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.syntax import Node
from jovial_scaffold.core.findings import Finding, Level, Span
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.templates.fitting import PropertyPlace
from jovial_scaffold.core.templates.knowledge import Assignment
from jovial_scaffold.core.templates.model import Condition, Loop
from jovial_scaffold.core.text.source import Origin, pointer_text
from jovial_scaffold.core.words import Sentence, Value, listed, say, together

ELSEWHERE = PropertyPlace(None, "", ())


class Place(NamedTuple):
    """Where an expression stands: what it is part of, the loop variables it sees, the conditions around it, and the schema of its result.

    `names` are further variables: the arguments of a function, `row` of a lookup, what a document's `with` gives. `there` says that every
    resource that is read is there, since the same condition is around it."""

    address: str = ""
    prefix: int = 0
    loops: tuple[Loop, ...] = ()
    conditions: tuple[Condition, ...] = ()
    property: PropertyPlace = ELSEWHERE
    names: Mapping[str, Any] = MappingProxyType({})
    there: bool = False

    def below(self, step: str | int) -> "Place":
        """The place of a part of the value."""
        part = PropertyPlace(self.property.schema, self.property.type_id, (*self.property.pointer, step))
        return Place(self.address, self.prefix, self.loops, self.conditions, part, self.names, self.there)


@dataclass(slots=True)
class Mistake:
    """An error, whether it surely comes about, the combination that shows it, where it is mended if not there, and in how many combinations
    it was seen."""

    error: EvaluationError
    sure: bool
    assignment: Assignment
    assumed: dict[Path, Any]
    cause: Span | None = None
    times: int = 0


class Told(NamedTuple):
    """What is said of a mistake, wherever the expression stands: what goes into its finding, the offsets in the expression, and the place of
    a function that is at fault, whoever calls it."""

    id: str
    level: Level
    message: Sentence
    hint: Sentence
    group: str | None
    cause: Span | None
    start: int
    end: int
    function: Span | None


@dataclass(slots=True)
class Outcome:
    """What came of one expression over all combinations that were tried; `lacking` are the offsets of what it reads and need not be there.
    `told` is what is said of the mistakes, once that was asked."""

    tried: int = 0
    mistakes: dict[tuple[str, int, Span | None], Mistake] = field(default_factory=dict)
    results: list[Any] = field(default_factory=list)
    comparisons: dict[Node, set[Any]] = field(default_factory=dict)
    lacking: set[int] = field(default_factory=set)
    told: list[Told] | None = None


def mistakes_of(outcome: Outcome) -> list[Mistake]:
    """The mistakes of an expression. One that comes about whatever is selected is no mistake of each entry, but of the expression."""
    alike: dict[tuple[str, int], list[Mistake]] = {}
    for (id, start, _), mistake in outcome.mistakes.items():
        alike.setdefault((id, start), []).append(mistake)
    found = []
    for mistakes in alike.values():
        times = sum(each.times for each in mistakes)
        if len(mistakes) > 1 and times >= outcome.tried:
            mistakes = [replace(mistakes[0], cause=None, times=times)]
        found += mistakes
    return found


def findings_of(outcome: Outcome, formula: Formula, origin: Origin, place: Place) -> list[Finding]:
    """The mistakes of an expression, each at its sub-expression."""
    if outcome.told is None:
        outcome.told = [_told(mistake, outcome) for mistake in mistakes_of(outcome)]
    pointer = pointer_text(origin.pointer[place.prefix :]) if place.address and outcome.told else ""
    found = []
    for each in outcome.told:
        if each.function is not None:
            span = each.function
        elif each.start >= 0:
            span = origin.inner_span(formula.offset + each.start, formula.offset + each.end)
        elif formula.offset:
            span = origin.inner_span(formula.offset, formula.offset + len(formula.text.rstrip()))
        else:
            span = origin.value_span()
        found.append(
            Finding(each.id, each.level, each.message, span, each.hint, place.address, pointer, group=each.group, cause=each.cause)
        )
    return found


def _told(mistake: Mistake, outcome: Outcome) -> Told:
    """What is said of a mistake, with its witness where it does not always come about."""
    error = mistake.error
    where = [say("`{}` is {}", name, Value(value)) for name, value in mistake.assignment.items()]
    where += [
        say("`{}` is {}", ".".join(map(str, (name, *path))), Value(value))
        for (name, path), value in mistake.assumed.items()
        if path[:1] != ("labels",)  # they go with the environment
    ]
    always = mistake.times >= outcome.tried and error.id != "resource-absent"
    hints = [say("This is so where {}.", listed(where[:4]))] if where and not always else []
    if not mistake.sure:
        hints.append(say("Whether it comes about depends on what is not known yet."))
    group = error.id if error.id == "function-result" else None  # one mistake, in the function, whoever calls it
    function = error.trail[0][0].value_span() if group and error.trail else None
    level: Level = "error" if mistake.sure else "warning"
    hint = together(*hints, error.hint)
    return Told(error.id, level, error.message, hint, group, mistake.cause, error.start, error.end, function)
