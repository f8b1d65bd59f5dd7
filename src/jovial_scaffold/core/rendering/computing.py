"""Compiled values to values: each expression is evaluated, each mistake becomes a finding where it stands, and an unknown value."""

import math
import operator
from collections.abc import Callable, Iterator, Mapping
from typing import Any, Final

from jovial_scaffold.core.expressions import residuals
from jovial_scaffold.core.expressions.errors import UNDECLARED, BudgetError, EvaluationError
from jovial_scaffold.core.expressions.library.own import patched
from jovial_scaffold.core.expressions.operators import bounded, weighed
from jovial_scaffold.core.expressions.pending import MarkMet, Pending
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Omittable, join_parts
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.syntax import Name
from jovial_scaffold.core.expressions.values import (
    NONE,
    Optional,
    Record,
    Secret,
    UInt,
    deep_marks,
    is_mark,
    key_value,
    revealed,
    sorted_keys,
    type_name,
)
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.limits import LOOP_ITEMS, RESULT_WEIGHT
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.templates.fitting import counting
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, ListValue, Loop, MapValue, Overlaid
from jovial_scaffold.core.text.source import Origin, Pointer, pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Amount, Described, Sentence, Value, say

OMITTED: Final = object()
SIMPLE = frozenset((str, int, bool, type(None)))
_TEXT = frozenset((str,))
_NO_FLOATS = frozenset((str, int, bool, type(None), Pending, Secret))
Variables = Mapping[str, Any]


@value_record
class Site:
    """Where a value is being computed: the address, and how much of an origin's pointer is not part of the property."""

    address: str = ""
    prefix: int = 0


class Computer:
    """Computes values in one scope, and reports what goes wrong."""

    def __init__(self, scope: Scope, environment: str, report: Callable[[Finding], None]) -> None:
        self.scope = scope
        self.environment = environment
        self.report = report

    def value(self, compiled: Compiled, variables: Variables, site: Site) -> Any:
        """The value; OMITTED where it is to be left out, unknown where it has a finding."""
        kind = type(compiled)
        if kind is Constant:
            return compiled.value  # type: ignore[union-attr]  # it is a Constant
        if kind is Dynamic:
            return self._dynamic(compiled, variables, site)  # type: ignore[arg-type]  # it is a Dynamic
        if isinstance(compiled, MapValue):
            return self._map(compiled, variables, site)
        if isinstance(compiled, Overlaid):
            return self._overlaid(compiled, variables, site)
        assert isinstance(compiled, ListValue)
        return self._list(compiled, variables, site)

    def whole(self, compiled: Compiled, variables: Variables, site: Site) -> Any:
        """The same of a value that others may read, and put together with others: it has a bearable size."""
        value = self.value(compiled, variables, site)
        if isinstance(compiled, MapValue | ListValue | Overlaid) and isinstance(value, dict | list):
            try:
                return weighed(value)
            except BudgetError as error:
                if not _has_unknown(value):  # else it follows from a mistake that was said
                    self.problem(error.id, error.message, compiled.origin, site, error.hint)
                return UNKNOWN
        return value

    def _dynamic(self, compiled: Dynamic, variables: Variables, site: Site) -> Any:
        content = compiled.content
        formula: Formula | None = None
        try:
            if type(content) is Formula:
                formula = content
                result = content.program.run(self.scope, variables)
                if type(result) in SIMPLE or (type(result) in _CONTAINERS and _is_name(content, variables)):
                    return result
                return plain(result)
            if type(content) is Joined:
                parts: list[tuple[str | Formula, Any]] = []
                simple = True
                for part in content.parts:
                    if type(part) is str:
                        parts.append((part, part))
                        continue
                    formula = part  # type: ignore[assignment]  # what is no text is a formula
                    value = part.program.run(self.scope, variables)  # type: ignore[union-attr]  # as above
                    simple = simple and type(value) is str
                    parts.append((part, value))
                return bounded("".join([value for _, value in parts])) if simple else self._joined(content, parts)
            if isinstance(content, Omittable):
                formula = content.formula
                result = formula.program.run(self.scope, variables)
                if result is UNKNOWN or isinstance(result, Pending):
                    return result
                if type(result) is Secret and type(result.value) is Optional:
                    raise EvaluationError(
                        say("Whether this is there depends on a secret, and everybody can see it."),
                        hint=say("Decide by a parameter that is no secret."),
                        id="condition-undecidable",
                    )
                if type(result) is not Optional:
                    raise EvaluationError(
                        say("`${?…}` takes an optional, and this is {}.", Value(result)),
                        hint=say("Write ${…} for a value that is always there."),
                        id="type-mismatch",
                    )
                return OMITTED if result is NONE else plain(result.value)
            raise TypeError(content)
        except EvaluationError as error:
            self.fail(error, formula, compiled.origin, site)
            return UNKNOWN

    def _joined(self, content: Joined, parts: list[tuple[str | Formula, Any]]) -> Any:
        try:
            return join_parts(parts)
        except EvaluationError as error:
            # The place is that of the part which has no text; its own offsets say which.
            for part, value in parts:
                if isinstance(part, Formula) and not isinstance(value, str | int | float | Pending | Secret) and value is not UNKNOWN:
                    error.start, error.end = part.node.start + part.offset, part.node.end + part.offset
                    raise _Placed(error) from None
            raise

    def _map(self, compiled: MapValue, variables: Variables, site: Site) -> Any:
        if compiled.when is not None:
            there = self.condition(compiled.when, variables, site)
            if there is not True:
                return OMITTED if there is False else UNKNOWN
        result = {}
        for key, item in compiled.entries:
            value = item.value if type(item) is Constant else self.value(item, variables, site)
            if value is not OMITTED:
                result[key] = value
        return result

    def _overlaid(self, compiled: Overlaid, variables: Variables, site: Site) -> Any:
        own = self.value(compiled.own, variables, site)
        if own is not OMITTED and type(own) is not dict:
            return own
        base = self.value(compiled.base, {}, site)
        if own is OMITTED or base is UNKNOWN:
            return base
        try:
            return patched(base, own) if type(base) is dict or is_mark(base) else own
        except MarkMet:  # what it is merged over may be a map
            origins, _, unknown = deep_marks([base, own])
            if unknown:
                return UNKNOWN
            return residuals.called("patched", [base, own], False) if origins else Secret(patched(revealed(base), revealed(own)))

    def _list(self, compiled: ListValue, variables: Variables, site: Site) -> Any:
        result: list[Any] = []
        for item in compiled.items:
            if isinstance(item, MapValue) and item.loop is not None:
                rounds = self.rounds(item.loop, variables, site)
                if rounds is None:
                    return UNKNOWN
                values = [self._map(item, scope, site) for scope, _ in rounds]
            else:
                values = [self.value(item, variables, site)]
            result.extend(value for value in values if value is not OMITTED)
        return result

    def condition(self, condition: Condition, variables: Variables, site: Site, what: str = "$when") -> Any:
        """True, False, or unknown where there is a finding. What a `require` comes to is public, whatever it reads."""
        value = self.expression(condition, variables, site)
        if what == "require" and type(value) is Secret and type(value.value) is bool:
            value = value.value
        if type(value) is bool or value is UNKNOWN:
            return value
        if isinstance(value, Pending) or (isinstance(value, Secret) and what != "require"):
            self.undecidable(value, condition, site, what)
        else:
            self.problem(
                "type-mismatch", say("`{}` takes true or false, and this gives {}.", what, Described(value)), condition.origin, site
            )
        return UNKNOWN

    def undecidable(self, value: Pending | Secret, condition: Condition, site: Site, what: str) -> None:
        """Report that what everybody can see would hang on a value that nobody knows, or may know."""
        reason = "only the deployment will know it" if isinstance(value, Pending) else "it depends on a secret"
        message = say("`{}` must be known before the deployment, and {}.", what, reason)
        self.problem("condition-undecidable", message, condition.origin, site, say("Decide by a parameter."))

    def expression(self, condition: Condition, variables: Variables, site: Site) -> Any:
        """The value of a key that always holds an expression."""
        if isinstance(condition.content, Constant):
            return condition.content.value
        try:
            return plain(condition.content.program.run(self.scope, variables))
        except EvaluationError as error:
            self.fail(error, condition.content, condition.origin, site)
            return UNKNOWN

    def rounds(self, loop: Loop, variables: Variables, site: Site) -> list[tuple[dict[str, Any], Any]] | None:
        """The variables of each round and its position in what the loop goes over; None where there is a finding."""
        over = self.expression(loop.over, variables, site)
        if over is UNKNOWN:
            return None
        if isinstance(over, Pending | Secret):
            reason = "only the deployment will know it" if isinstance(over, Pending) else "it is secret"
            self.problem(
                "loop-undecidable",
                say("`$per` must be known before the deployment, and {}.", reason),
                loop.over.origin,
                site,
                say("Loop over a parameter."),
            )
            return None
        if not isinstance(over, list | dict):
            content = loop.over.content
            text = content.text.strip() if type(over) is int and isinstance(content, Formula) else ""
            message = say("`$per` goes over a list or map, and this gives {}.", Described(over))
            self.problem("loop-invalid", message, loop.over.origin, site, counting(text))
            return None
        if len(over) > LOOP_ITEMS.most:
            self.problem(
                LOOP_ITEMS.finding,
                say("`$per` goes over {} items, and at most {} are taken.", Amount(len(over)), Amount(LOOP_ITEMS.most)),
                loop.over.origin,
                site,
            )
            return None
        return [({**variables, **names}, position) for names, position in rounds_of(loop, over)]

    def fail(self, error: EvaluationError, formula: Formula | None, origin: Origin, site: Site) -> None:
        """The finding of an expression that has no value, at the sub-expression that has none."""
        if (error.trail and error.id in UNDECLARED) or error.id == "function-unknown":
            return  # it is said where the function stands, and that there is none, of the template
        offset = 0 if formula is None or isinstance(error, _Placed) else formula.offset
        start, end = error.start, error.end
        if start < 0:  # the whole result is at fault
            start, end = 0, len(formula.text.rstrip()) if formula else 1
        span = origin.inner_span(offset + start, offset + end)
        pointer = pointer_text(origin.pointer[site.prefix :]) if site.address and site.prefix else ""
        cause = error.trail[0][0].value_span() if error.id == "function-result" and error.trail else None
        related = behind(error) if cause is None else ()
        environments = (self.environment,)
        # One expression is one mistake, whatever values of items the message holds; of names, the template says the same.
        group = None if error.id in UNDECLARED else pointer
        self.report(
            Finding(error.id, "error", error.message, span, error.hint, site.address, pointer, environments, related, group, cause=cause)
        )

    def problem(self, id: str, message: Sentence, origin: Origin, site: Site, hint: Sentence = NOTHING) -> None:
        """A finding about a whole value."""
        pointer = pointer_text(origin.pointer[site.prefix :]) if site.address and site.prefix else ""
        self.report(Finding(id, "error", message, origin.value_span(), hint, site.address, pointer, (self.environment,), group=pointer))


def behind(error: EvaluationError) -> tuple[Related, ...]:
    """The places inside of functions that an error went through."""
    return tuple(Related(origin.inner_span(start, end), message) for origin, start, end, message in error.trail)


class _Placed(EvaluationError):
    """An error whose offsets count from the beginning of the whole text."""

    def __init__(self, error: EvaluationError) -> None:
        super().__init__(say("{}"), hint=error.hint, id=error.id)
        self.message, self.start, self.end = error.message, error.start, error.end


def rounds_of(loop: Loop, over: Any) -> Iterator[tuple[dict[str, Any], Any]]:
    """The variables of each round of a loop over a list or map, and its position in that."""
    if len(loop.variables) == 2:
        one, two = loop.variables
        pairs = enumerate(over) if isinstance(over, list) else ((key, over[key]) for key in sorted_keys(over))
        for first, second in pairs:
            yield {one: first, two: second}, first
        return
    variable = loop.variables[0]
    if isinstance(over, list):
        for index, item in enumerate(over):
            yield {variable: item}, index
    else:
        for key in sorted_keys(over):
            yield {variable: key}, key


_CONTAINERS = frozenset((dict, list))


def _is_name(formula: Formula, variables: Variables) -> bool:
    """Whether an expression is a name that is no variable: whatever has one is plain already."""
    node = formula.program.node
    return type(node) is Name and node.name not in variables


def plain(value: Any) -> Any:
    """A result as it may stand in a rendered resource. Raises EvaluationError for what JSON cannot hold."""
    kind = type(value)
    if kind in SIMPLE or value is UNKNOWN or kind is Pending:
        return value
    if kind is float:
        if not math.isfinite(value):
            raise EvaluationError(say("The result is not a finite number: {}.", Value(value)), id="number-range")
        return value
    if kind is list:
        if SIMPLE.issuperset(map(type, value)):
            return value  # values are never changed in place, so one may stand in many places
        items = [item if type(item) in SIMPLE else plain(item) for item in value]
        return value if all(map(operator.is_, items, value)) else items
    if kind is dict:
        if SIMPLE.issuperset(map(type, value.values())) and _TEXT.issuperset(map(type, value)):
            return value
        entries = {_key(key): item if type(item) in SIMPLE else plain(item) for key, item in value.items()}
        return value if all(map(operator.is_, entries.values(), value.values())) and _TEXT.issuperset(map(type, value)) else entries
    if kind is Secret:
        return Secret(plain(value.value))
    if kind is UInt:
        return int(value)
    if isinstance(value, Record):
        return plain(value.whole())
    if kind is Optional:
        raise EvaluationError(
            say("The result is an optional, which may hold nothing."),
            hint=say("Write ${?…} to leave the property out then, or .orValue(…)."),
            id="type-mismatch",
        )
    raise EvaluationError(
        say("A value of type {} cannot stand in a resource.", type_name(value)), hint=say("Convert it with string(…)."), id="type-mismatch"
    )


def _key(key: Any) -> str:
    if type(key) is str:
        return key
    raise EvaluationError(
        say("A map of a resource has texts as keys, and this has {}.", Value(key_value(key))),
        hint=say("Write string(…) around the key."),
        id="type-mismatch",
    )


def _has_unknown(value: Any) -> bool:
    """Whether an unknown is among the parts of a value, as far as one looks."""
    waiting = [value]
    for _ in range(RESULT_WEIGHT.most):
        if not waiting:
            return False
        each = waiting.pop()
        if each is UNKNOWN:
            return True
        if isinstance(each, dict | list):
            waiting += each.values() if isinstance(each, dict) else each
    return False


def whole_doubles(value: Any, pointer: Pointer = ()) -> list[Pointer]:
    """Where doubles without a fraction stand: JSON Schema would take them for integers, our language does not."""
    if type(value) is float:
        return [pointer] if value.is_integer() else []
    found: list[Pointer] = []
    if type(value) is dict:
        items: Any = value.items()
    elif type(value) is list:
        items = enumerate(value)
    else:
        return found
    for key, item in items:
        kind = type(item)
        if kind is dict:
            if not _NO_FLOATS.issuperset(map(type, item.values())):
                found += whole_doubles(item, (*pointer, key))
        elif kind is list:
            if not _NO_FLOATS.issuperset(map(type, item)):
                found += whole_doubles(item, (*pointer, key))
        elif kind is float and item.is_integer():
            found.append((*pointer, key))
    return found
