"""The two errors of the language: text that is no expression, and an expression that has no value."""

from typing import Any

from jovial_scaffold.core.text.wording import shown


class ExpressionError(Exception):
    """Where and why. `start` and `end` are offsets in the expression's text; -1 until the place is known."""

    id = "expression"

    def __init__(self, message: str, start: int = -1, end: int = -1, hint: str = "", id: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.start = start
        self.end = end
        self.hint = hint
        self.id = id or type(self).id
        self.trail: tuple[Any, ...] = ()  # places behind it, for whoever makes a finding of it


class SyntaxProblem(ExpressionError):
    """The text is not an expression."""

    id = "expression-syntax"


class EvaluationError(ExpressionError):
    """The expression has no value. `{}` in `message` stands for the operands, which are masked where one is secret."""

    id = "expression-fails"

    def __init__(self, message: str, *operands: Any, hint: str = "", id: str = "") -> None:
        super().__init__(message, hint=hint, id=id)
        self.template = message
        self.operands = operands
        self.message = _filled(message, [shown(operand) for operand in operands])

    def mask(self) -> None:
        """Take the operands' values out of the message: one of them is secret."""
        if self.operands:
            self.message = _filled(self.template, ["(secret)"] * len(self.operands))
            self.operands = ()
        self.hint = ""


def _filled(template: str, texts: list[str]) -> str:
    """The template with `{}` replaced from left to right; braces in the texts, or in a user's words, mean nothing."""
    parts: list[str] = []
    for text in texts:
        before, _, template = template.partition("{}")
        parts += (before, text)
    return "".join((*parts, template))


class BudgetError(EvaluationError):
    """The evaluation was stopped because it costs too much; never absorbed by `&&` or `||`."""

    id = "expression-budget"


class StepsError(BudgetError):
    """The careful evaluator took too many steps; generated code may do the same within its own bounds."""
