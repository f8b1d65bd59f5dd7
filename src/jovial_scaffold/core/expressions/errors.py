"""The two errors of the language: text that is no expression, and an expression that has no value."""

from typing import Any

from jovial_scaffold.core.words import NOTHING, Sentence

UNDECLARED = frozenset(("name-unknown", "function-unknown"))  # what is wrong with the names of a text, whatever their values are


class ExpressionError(Exception):
    """Where and why. `start` and `end` are offsets in the expression's text; -1 until the place is known."""

    id = "expression"

    def __init__(self, message: Sentence, start: int = -1, end: int = -1, hint: Sentence = NOTHING, id: str = "") -> None:
        super().__init__()  # the message holds what may have to be masked, and stays in one place
        self.message = message
        self.start = start
        self.end = end
        self.hint = hint
        self.id = id or type(self).id
        self.rest: tuple[str | int, ...] | None = ()  # which part of the result is at fault; None where it is a key, or is not there
        self.trail: tuple[Any, ...] = ()  # places behind it, for whoever makes a finding of it

    def __str__(self) -> str:
        return f"{self.id} at {self.start} to {self.end} (`said` of its `message` is its text)"


class SyntaxProblem(ExpressionError):
    """The text is not an expression."""

    id = "expression-syntax"


class CutShort(SyntaxProblem):
    """The text ends before the expression does. Who knows where it stands may know what ended it."""


class EvaluationError(ExpressionError):
    """The expression has no value."""

    id = "expression-fails"

    def with_hint(self, hint: Sentence) -> "EvaluationError":
        """The same with another hint."""
        error = type(self)(self.message, self.start, self.end, hint, self.id)
        error.rest, error.trail = self.rest, self.trail
        return error

    def mask(self) -> None:
        """Take out of the message whatever stands in its gaps: one of the operands is secret, and each may tell of it."""
        self.message = self.message.masked()
        self.hint = NOTHING


class BudgetError(EvaluationError):
    """The evaluation was stopped because it costs too much; never absorbed by `&&` or `||`."""

    id = "expression-budget"


class StepsError(BudgetError):
    """The careful evaluator took too many steps; generated code may do the same within its own bounds."""
