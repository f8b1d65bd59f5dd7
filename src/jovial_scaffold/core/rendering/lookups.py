"""A lookup to its row: exactly one that meets `where`, or the newest of those; otherwise a finding that shows the nearest rows."""

from typing import Any

from jovial_scaffold.core.expressions import operators
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.syntax import Node, Operation
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.rendering.computing import Computer, Site
from jovial_scaffold.core.templates.model import Condition, Lookup, Table
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Counted, Sentence, Value, listed, say

_NEAREST = 3


def look_up(lookup: Lookup, computer: Computer) -> Any:
    """The row, as a map; unknown where a finding says why there is none."""
    table = lookup.table
    if table is None or table.broken:
        return UNKNOWN
    matching = []
    for index, row in enumerate(table.rows):
        held = computer.condition(lookup.where, {"row": row}, Site(), "where")
        if held is UNKNOWN:
            return UNKNOWN
        if held:
            matching.append(index)
    if not matching:
        return _none(lookup, table, computer)
    if lookup.newest is not None:
        return _newest(lookup, lookup.newest, table, matching, computer)
    if len(matching) > 1:
        message = say("{} of `{}` meet `where` of `{}`, and exactly one must.", Counted(len(matching), "row"), table.name, lookup.name)
        hint = say("Add a condition that tells them apart, or say with `newest` which one is meant.")
        _report(
            lookup,
            computer,
            "lookup-several",
            message,
            hint,
            [Related(_place(table, index), say("This row meets it.")) for index in matching],
        )
        return UNKNOWN
    return table.rows[matching[0]]


def _place(table: Table, index: int) -> Any:
    return table.origin.child(index).value_span()


def _report(lookup: Lookup, computer: Computer, id: str, message: Sentence, hint: Sentence, related: list[Related]) -> None:
    span = lookup.where.origin.value_span()
    computer.report(Finding(id, "error", message, span, hint, environments=(computer.environment,), related=tuple(related[:6])))


def _newest(lookup: Lookup, newest: Condition, table: Table, matching: list[int], computer: Computer) -> Any:
    best: list[int] = []
    greatest: Any = None
    for index in matching:
        value = computer.expression(newest, {"row": table.rows[index]}, Site())
        if isinstance(value, Pending | Secret):
            computer.undecidable(value, newest, Site(), "newest")
        if value is UNKNOWN or isinstance(value, Pending | Secret):
            return UNKNOWN
        try:
            if not best or operators.BINARY[">"](value, greatest):
                best, greatest = [index], value
            elif not operators.BINARY["<"](value, greatest):
                best.append(index)
        except EvaluationError as error:
            formula = newest.content if isinstance(newest.content, Formula) else None
            computer.fail(error, formula, newest.origin, Site())
            return UNKNOWN
    if len(best) > 1:
        message = say("{} of `{}` are the newest for `{}`: {}.", Counted(len(best), "row"), table.name, lookup.name, Value(greatest))
        related = [Related(_place(table, index), say("This row is one of the newest.")) for index in best]
        _report(lookup, computer, "lookup-several", message, say("Let `newest` tell them apart."), related)
        return UNKNOWN
    return table.rows[best[0]]


def _none(lookup: Lookup, table: Table, computer: Computer) -> Any:
    """Report the rows that fail the fewest conditions, and which those are."""
    message = say("No row of `{}` meets `where` of `{}`.", table.name, lookup.name)
    if not table.rows:
        message = say("The table `{}` has no rows, so `{}` finds none.", table.name, lookup.name)
    related = []
    if isinstance(lookup.where.content, Formula):
        formula = lookup.where.content
        tests = _tests(formula.node)
        failing = [(_failing(tests, formula.text, row, computer), index) for index, row in enumerate(table.rows)]
        closest = sorted(failing, key=lambda each: (len(each[0]), each[1]))[:_NEAREST]
        fewest = len(closest[0][0]) if closest else 0
        related = [Related(_place(table, index), say("{}.", listed(words))) for words, index in closest if len(words) == fewest]
    hint = (
        say("Add the row, or correct the condition.")
        if not related
        else say("The nearest rows are named; add one, or correct the condition.")
    )
    _report(lookup, computer, "lookup-none", message, hint, related)
    return UNKNOWN


def _tests(node: Node) -> list[Node]:
    """The parts of `a && b && c`."""
    if isinstance(node, Operation) and node.operator == "&&":
        return [test for operand in node.operands for test in _tests(operand)]
    return [node]


def _failing(tests: list[Node], text: str, row: dict[str, Any], computer: Computer) -> list[Sentence]:
    found = []
    for test in tests:
        try:
            held = evaluate(test, computer.scope, {"row": row})
        except EvaluationError:
            held = False
        if held is not True:
            found.append(_told(test, text, row, computer))
    return found


def _told(test: Node, text: str, row: dict[str, Any], computer: Computer) -> Sentence:
    """`row.setting == setting` fails: "live" is not "sandbox"."""
    written = say("`{}` fails", text[test.start : test.end])
    if isinstance(test, Operation) and len(test.operands) == 2:
        try:
            left, right = (evaluate(operand, computer.scope, {"row": row}) for operand in test.operands)
        except EvaluationError:
            return written
        return say("{} ({} and {})", written, Value(left), Value(right))
    return written
