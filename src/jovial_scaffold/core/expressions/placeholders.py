"""Text with `${…}` to parts: literal text and expressions, each with its offsets (docs/expressions.md, "Placeholders")."""

from dataclasses import dataclass
from typing import Any

from jovial_scaffold.core.expressions import residuals
from jovial_scaffold.core.expressions.errors import CutShort, EvaluationError, SyntaxProblem
from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.operators import bounded
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.shapes import Constants, Shape, Shapes
from jovial_scaffold.core.expressions.syntax import Node
from jovial_scaffold.core.expressions.tokens import string_end
from jovial_scaffold.core.expressions.values import Record, Secret, type_name
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Derived, say


@dataclass(frozen=True, slots=True)
class Formula:
    """An expression inside a text. Offsets of its nodes count from `offset` in that text; `text` is the expression's own."""

    program: Program
    text: str
    offset: int

    @property
    def node(self) -> Node:
        """Its syntax tree."""
        return self.program.node


@dataclass(frozen=True, slots=True)
class Joined:
    """Literal texts and formulas that make one text."""

    parts: tuple[str | Formula, ...]


@dataclass(frozen=True, slots=True)
class Omittable:
    """`${?…}` as a whole value: left out where the optional is empty."""

    formula: Formula


class Programs:
    """The expressions of one template. One program serves all places that hold the same text: it is parsed once, and hot sooner."""

    def __init__(self) -> None:
        self.shapes = Shapes()
        self._programs: dict[str, Program] = {}
        self._texts: dict[str, str | Formula | Joined | Omittable] = {}

    def bare(self, text: str) -> Formula:
        """An expression that stands without `${}`. Raises SyntaxProblem."""
        if text.startswith("${") and text.endswith("}"):
            raise SyntaxProblem(
                say("This key takes an expression by itself."), 0, len(text), say("Write it without ${}: {}", "{}", text[2:-1].strip())
            )
        return Formula(self._program(text), text, 0)

    def text(self, text: str) -> str | Formula | Joined | Omittable:
        """What a string of a template is: a plain text, one formula, parts to join, or an omittable formula. Raises SyntaxProblem."""
        if "${" not in text:
            return text
        if text not in self._texts:
            self._texts[text] = self._parts(text)
        return self._texts[text]

    def formula(self, text: str, offset: int, shape: Shape, constants: Constants) -> Formula:
        """An expression that is known to have a shape."""
        if text not in self._programs:
            self._programs[text] = Program(None, shape, constants, text)
        return Formula(self._programs[text], text, offset)

    def _parts(self, text: str) -> str | Formula | Joined | Omittable:
        parts: list[str | Formula] = []
        literal: list[str] = []
        at = 0
        while True:
            dollar = text.find("$", at)
            if dollar < 0:
                literal.append(text[at:])
                break
            literal.append(text[at:dollar])
            if text.startswith("$${", dollar):
                literal.append("${")
                at = dollar + 3
            elif text.startswith("${", dollar):
                plain_end = _PLAIN.match(text, dollar + 2)
                end = plain_end.end() - 1 if plain_end else expression_end(text, dollar + 2)
                optional = text.startswith("?", dollar + 2)
                start = dollar + 2 + optional
                formula = Formula(self._parsed_at(text[start:end], start), text[start:end], start)
                if optional:
                    if dollar or end + 1 != len(text):
                        raise SyntaxProblem(
                            say("`${?…}` stands for a whole value and cannot be joined with text."),
                            dollar,
                            end + 1,
                            say("Write ${…} with .orValue('')."),
                        )
                    return Omittable(formula)
                if literal_text := "".join(literal):
                    parts.append(literal_text)
                literal = []
                parts.append(formula)
                at = end + 1
            else:
                literal.append("$")
                at = dollar + 1
        if literal_text := "".join(literal):
            parts.append(literal_text)
        if len(parts) == 1:
            return parts[0]
        return Joined(tuple(parts)) if parts else ""

    def _program(self, text: str) -> Program:
        if text not in self._programs:
            shape, constants = self.shapes.of(text)
            self._programs[text] = Program(None if constants else shape.node, shape, constants, text)
        return self._programs[text]

    def _parsed_at(self, text: str, offset: int) -> Program:
        try:
            return self._program(text)
        except SyntaxProblem as problem:
            problem.start += offset
            problem.end += offset
            raise


_PLAIN = regex(r"[^{}()\[\]\"'/]*\}")  # an expression without strings, brackets and comments ends at the next brace


def expression_end(text: str, start: int, closing: str = "}") -> int:
    """The offset of the `}`, or what else closes it, of an expression: the first outside its strings and brackets. Raises SyntaxProblem."""
    depth: list[str] = []
    at = start
    while at < len(text):
        char = text[at]
        if not depth and closing != "}" and text.startswith(closing, at):
            return at
        if char in "\"'":
            raw = text[at - 1 : at] in ("r", "R") or text[at - 2 : at].lower() in ("rb", "br")
            end = string_end(text, at, raw)
            if end < 0:
                raise SyntaxProblem(say("A quote inside ${…} is not closed."), at, at + 1, say("Close the text with the same quote."))
            at = end
            continue
        if char == "/" and text.startswith("//", at):
            newline = text.find("\n", at)
            at = len(text) if newline < 0 else newline
        if char in "([{":
            depth.append(char)
        elif char in ")]}":
            if not depth:
                if char == "}":
                    return at
                raise SyntaxProblem(say("`{}` closes nothing.", char), at, at + 1)
            depth.pop()
        at += 1
    raise CutShort(say("`${` is not closed by `}`."), start - 2, start)


def join_parts(parts: list[tuple[str | Formula, Any]]) -> Any:
    """Texts and values as one text. Marks spread. Raises EvaluationError for what has no text, whose place is the formula's, and for a text
    that is too long."""
    secret = unknown = pending = False
    texts: list[str] = []
    for part, value in parts:
        if type(value) is Secret:
            secret, value = True, value.value
        if value is UNKNOWN:
            unknown = True
        elif type(value) is Pending:
            pending = True
        elif isinstance(value, str | bool | int | float):
            texts.append(scalar_text(value))
        else:
            raise no_text(Secret(value) if secret else value, part)
    if unknown:
        return UNKNOWN
    if pending:
        return residuals.joined(value for _, value in parts)
    text = bounded("".join(texts))
    return Secret(text) if secret else text


def no_text(value: Any, part: str | Formula) -> EvaluationError:
    """The error of a value that cannot be joined into a text."""
    name = (
        "a resource"
        if isinstance(value, Record)
        else {"null_type": "null", "list": "a list", "map": "a map"}.get(type_name(value), f"a value of type {type_name(value)}")
    )
    hint = (
        say("Choose one of its fields, or write as_json(…).")
        if name not in ("null",)
        else say("Write what holds instead, for example with .orValue('').")
    )
    if name == "a list":
        hint = say("Write .join(', ') for a list of texts, or as_json(…).")
    error = EvaluationError(
        say("Only text, booleans and numbers can be joined into text, and this is {}.", Derived(name)), hint=hint, id="type-mismatch"
    )
    if isinstance(part, Formula):
        error.start, error.end = part.node.start, part.node.end
    return error
