"""What to write instead of a value that does not fit, found by how it is written."""

from typing import Any

from jovial_scaffold.core.expressions.placeholders import Joined
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.schemas.validation import about_quotes
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic
from jovial_scaffold.core.words import NOTHING, Listed, Operand, Sentence, say

_NAME = r"[a-z][a-z0-9_]*(?:\.[a-z][a-z0-9_]*)*"
#: placeholders as others write them, around a name or a field of one, which is an expression here, too
_FOREIGN = regex(rf"\$\(\s*({_NAME})\s*\)|\{{\{{\s*({_NAME})\s*\}}\}}|[%@#]\{{\s*({_NAME})\s*\}}|<%=\s*({_NAME})\s*%>")


def foreign_placeholder(text: Any) -> Sentence:
    """How a placeholder of another notation is written here; nothing where a value holds none."""
    match = _FOREIGN.search(text) if isinstance(text, str) else None
    if match is None:
        return NOTHING
    return say("A placeholder is written {}.", f"${{{next(name for name in match.groups() if name)}}}")


_CONVERSIONS = {"text": "string", "an integer": "int", "a number": "double", "true or false": "bool"}


def of_computed(hint: Sentence, expected: Operand) -> Sentence:
    """What to do about a value that an expression gives, by what is said of one that is written out: quotes change nothing there."""
    if not about_quotes(hint):
        return hint
    wanted = expected.items if isinstance(expected, Listed) else (expected,)
    function = next((_CONVERSIONS[each] for each in wanted if isinstance(each, str) and each in _CONVERSIONS), None)
    return _converted(function) if function else NOTHING


def as_text() -> Sentence:
    """What to do about a number or a truth value where text is taken."""
    return _converted("string")


def _converted(function: str) -> Sentence:
    return say("Write {}(…) around the expression.", function)


def advice(id: str, compiled: Compiled) -> Sentence:
    """What to do about a value that is wrong by the end of its finding's id; nothing where its way of writing tells nothing."""
    if isinstance(compiled, Constant):
        return foreign_placeholder(compiled.value)
    if not isinstance(compiled, Dynamic) or not isinstance(compiled.content, Joined):
        return NOTHING
    parts = compiled.content.parts
    texts = [part for part in parts if isinstance(part, str)]
    if id != "type":
        return next((found for each in texts if (found := foreign_placeholder(each))), NOTHING)
    if len(texts) == 1 and texts[0].strip() == "" and len(parts) == 2 and parts[1] == texts[0]:
        return say("The line break at the end makes it text: write the expression on the line of its key, or after `|-`.")
    return say("What is joined is text: compute the whole value in one ${…}.")
