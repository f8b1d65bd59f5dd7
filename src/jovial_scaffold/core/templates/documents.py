"""The text of a document to its parts: literal text and placeholders, with shell-style defaults."""

from collections.abc import Callable
from typing import NamedTuple

from jovial_scaffold.core.expressions.errors import SyntaxProblem
from jovial_scaffold.core.expressions.placeholders import Formula, Programs, expression_end
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.templates.model import Placeholder
from jovial_scaffold.core.words import Sentence, say

_SHELL = regex(r"\$\{(?P<name>[A-Za-z_][A-Za-z0-9_]*):(?P<form>[-?])(?P<text>[^{}]*)\}")


class Brackets(NamedTuple):
    """What stands before and after a placeholder; the first character of `opening` doubled writes it literally."""

    opening: str = "${"
    closing: str = "}"

    def literal_hint(self) -> Sentence:
        """How what opens a placeholder is written literally."""
        return say("A literal {} is written {}.", self.opening, f"{self.opening[0]}{self.opening}")


def document_content(text: str, programs: Programs, brackets: Brackets = Brackets()) -> tuple[str | Placeholder, ...]:  # noqa: B008  # it is immutable
    """The parts of a document. Offsets count from the beginning of the text. Raises SyntaxProblem.

    `${name:-text}` and `${name:?message}` are understood for a plain name; `$${` is a literal `${`.
    """
    parts: list[str | Placeholder] = []
    literal: list[str] = []
    at = 0
    escape = f"{brackets.opening[0]}{brackets.opening}"
    while (start := text.find(brackets.opening, at)) >= 0:
        if text.startswith(escape, start - 1) and start > at:
            literal += [text[at : start - 1], brackets.opening]
            at = start + len(brackets.opening)
            continue
        literal.append(text[at:start])
        if before := "".join(literal):
            parts.append(before)
        literal = []
        inner = start + len(brackets.opening)
        end = _end(text, start, brackets)
        parts.append(_placeholder(text[inner:end], inner, start, programs))
        at = end + len(brackets.closing)
    literal.append(text[at:])
    if rest := "".join(literal):
        parts.append(rest)
    return tuple(parts)


def _end(text: str, start: int, brackets: Brackets) -> int:
    """Where the mark stands that closes a placeholder."""
    inner = start + len(brackets.opening)
    default = _DEFAULT.match(text, inner)
    if default is not None:
        end = text.find(brackets.closing, default.end())
        if end >= 0 and not any(char in "{}" for char in text[default.end() : end]):
            return end
    if brackets.closing == "}":
        return expression_end(text, inner)
    return expression_end(text, inner, brackets.closing)


_DEFAULT = regex(r"(?P<name>[A-Za-z_][A-Za-z0-9_]*):(?P<form>[-?])")


def _placeholder(text: str, offset: int, start: int, programs: Programs) -> Placeholder:
    match = _DEFAULT.match(text)
    if match is not None:
        rest = text[match.end() :]
        name = Formula(programs.bare(match["name"]).program, match["name"], offset)
        is_default = match["form"] == "-"
        return Placeholder(name, otherwise=rest if is_default else None, complaint=None if is_default else rest)
    if text.startswith("?"):
        raise SyntaxProblem(
            say("`${?…}` leaves out a property, and a document has none."), start, offset + len(text), say("Write ${…} with .orValue('').")
        )
    try:
        return Placeholder(Formula(programs.bare(text).program, text, offset))
    except SyntaxProblem as problem:
        problem.start, problem.end = problem.start + offset, problem.end + offset
        raise


def only_known(text: str, known: Callable[[str], bool]) -> tuple[str | Placeholder, ...]:
    """The parts of a text of which some placeholders are foreign: only those that read known names, and nothing else, are ours."""
    parts: list[str | Placeholder] = []
    programs = Programs()
    literal = at = 0
    while (start := text.find("${", at)) >= 0:
        at = start + 2
        match = _SHELL.match(text, start)
        try:
            end = match.end() if match else expression_end(text, at) + 1
            found = document_content(text[start:end], programs)
        except SyntaxProblem:
            continue
        names = {reference.name for part in found if isinstance(part, Placeholder) for reference in part.formula.program.reads}
        if not names or not all(map(known, names)):
            continue
        at = end
        if text[max(0, start - 1) : start] == "$":  # `$${name}` is a literal `${name}`
            parts += [text[literal : start - 1], text[start:end]]
        else:
            parts.append(text[literal:start])
            parts += [
                replace(part, formula=replace(part.formula, offset=part.formula.offset + start))
                for part in found
                if isinstance(part, Placeholder)
            ]
        literal = end
    parts.append(text[literal:])
    return tuple(parts)
