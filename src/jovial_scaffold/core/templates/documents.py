"""The text of a document to its parts: literal text and placeholders, with shell-style defaults, aware of the strings of JSON."""

import re
from collections.abc import Callable
from dataclasses import replace

from jovial_scaffold.core.expressions.errors import SyntaxProblem
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Omittable, Programs, expression_end
from jovial_scaffold.core.templates.model import Placeholder
from jovial_scaffold.core.words import say

_SHELL = re.compile(r"\$\{(?P<name>[A-Za-z_][A-Za-z0-9_]*):(?P<form>[-?])(?P<text>[^{}]*)\}")


def document_content(text: str, programs: Programs, as_json: bool = False) -> tuple[str | Placeholder, ...]:
    """The parts of a document. Offsets count from the beginning of the text. Raises SyntaxProblem.

    `${name:-text}` and `${name:?message}` are understood for a plain name; `$${` is a literal `${`.
    """
    parts: list[str | Placeholder] = []
    at = 0
    for match in _SHELL.finditer(text):
        if text[max(0, match.start() - 1) : match.start()] == "$":  # `$${` is an escape
            continue
        parts += _plain(text[at : match.start()], at, programs)
        name = Formula(programs.bare(match["name"]).program, match["name"], match.start() + 2)
        is_default = match["form"] == "-"
        parts.append(Placeholder(name, otherwise=match["text"] if is_default else None, complaint=None if is_default else match["text"]))
        at = match.end()
    parts += _plain(text[at:], at, programs)
    return _with_quotes(parts) if as_json else tuple(parts)


def _plain(text: str, offset: int, programs: Programs) -> list[str | Placeholder]:
    """A stretch without shell-style defaults."""
    try:
        content = programs.text(text)
    except SyntaxProblem as problem:
        problem.start, problem.end = problem.start + offset, problem.end + offset
        raise
    if isinstance(content, str):
        return [content] if content else []
    if isinstance(content, Omittable):
        raise SyntaxProblem(
            say("`${?…}` leaves out a property, and a document has none."), offset, offset + len(text), say("Write ${…} with .orValue('').")
        )
    pieces = content.parts if isinstance(content, Joined) else (content,)
    return [piece if isinstance(piece, str) else Placeholder(Formula(piece.program, piece.text, piece.offset + offset)) for piece in pieces]


def _with_quotes(parts: list[str | Placeholder]) -> tuple[str | Placeholder, ...]:
    """Which placeholders stand inside of a string of JSON (RFC 8259, section 7)."""
    inside = escaped = False
    found: list[str | Placeholder] = []
    for part in parts:
        if isinstance(part, Placeholder):
            found.append(Placeholder(part.formula, inside, part.otherwise, part.complaint))
            continue
        for char in part:
            if escaped:
                escaped = False
            elif char == "\\" and inside:
                escaped = True
            elif char == '"':
                inside = not inside
        found.append(part)
    return tuple(found)


def only_known(text: str, known: Callable[[str], bool], as_json: bool = False) -> tuple[str | Placeholder, ...]:
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
    return _with_quotes(parts) if as_json else tuple(parts)
