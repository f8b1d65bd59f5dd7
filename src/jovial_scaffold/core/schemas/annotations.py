"""What our catalogs say beyond JSON Schema (docs/catalogs.md): which words there are, and whether they are used as they should be."""

from collections.abc import Callable, Iterator
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError, SyntaxProblem
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.references import references
from jovial_scaffold.core.expressions.syntax import Literal, Node, children
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.schemas.keywords import parts
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.words import Described, Sentence, listed, nearest, say

#: what a change does, the mildest first
CHANGE_EFFECTS = ("in_place", "restart", "rebuild", "locked")
REACHES = ("environment", "project", "workspace")
#: how a map draws a type
LOOKS = ("store", "net", "machine", "gate", "queue", "key", "document")
#: what a property is about; a catalog may have words of its own
ASPECTS = ("naming", "capacity", "exposure", "durability", "placement", "release", "cost")
_REFERENCE = regex(r"[a-z][a-z0-9_]*(\.[a-z][a-z0-9_]*)?:[a-z][a-z0-9_/]*\Z")


def _is_list_of(test: Callable[[Any], bool]) -> Callable[[Any], bool]:
    return lambda value: isinstance(value, list) and all(map(test, value))


def _is_text(value: Any) -> bool:
    return isinstance(value, str)


def _is_truth(value: Any) -> bool:
    return isinstance(value, bool)


# keyword -> whether a value is as it should be, and how that is said
_FORMS: dict[str, tuple[Callable[[Any], bool], Sentence]] = {
    "identityReach": (lambda value: value in REACHES, say("one of {}", listed(REACHES, "or"))),
    "look": (lambda value: value in LOOKS, say("one of {}", listed(LOOKS, "or"))),
    "aspect": (_is_text, say("a word, such as {}", listed(ASPECTS, "or"))),
    "unit": (_is_text, say("a text, such as GB")),
    "adds": (_is_truth, say("true or false")),
    "anyOrder": (_is_truth, say("true or false")),
    "holdsData": (_is_truth, say("true or false")),
    "listKey": (_is_text, say("the name of a property")),
    "identity": (_is_list_of(_is_text), say("a list of names of properties")),
    "apart": (_is_list_of(_is_text), say("a list of names of properties")),
    "refersTo": (
        _is_list_of(lambda value: isinstance(value, str) and _REFERENCE.match(value) is not None),
        say('a list of types and their properties, such as ["network:id"]'),
    ),
}
ANNOTATIONS = ("changeEffect", *_FORMS)


def wrong_annotations(schema: Any, origin: Origin) -> Iterator[Finding]:
    """Annotations that do not hold what they may."""
    for part, place in parts(schema, origin):
        for keyword in part.keys() & set(ANNOTATIONS):
            value, at = part[keyword], place.child(keyword)
            if keyword == "changeEffect":
                problem = _wrong_effect(value)
                if problem is not None:
                    hint = nearest(value, CHANGE_EFFECTS) if isinstance(value, str) else say("")
                    yield Finding("catalog-schema", "error", problem, at.value_span(), hint)
                continue
            fits, wanted = _FORMS[keyword]
            if not fits(value):
                hint = nearest(value, (*REACHES, *LOOKS)) if isinstance(value, str) else say("")
                message = say("`{}` is {}, and this is {}.", keyword, wanted, Described(value))
                yield Finding("catalog-schema", "error", message, at.value_span(), hint)


def _wrong_effect(value: Any) -> Sentence | None:
    words = say("`changeEffect` is one of {}, or an expression over `was` and `becomes` that gives one", listed(CHANGE_EFFECTS, "or"))
    if not isinstance(value, str):
        return say("{}, and this is {}.", words, Described(value))
    if value in CHANGE_EFFECTS:
        return None
    try:
        node = parse(value)
    except (SyntaxProblem, EvaluationError) as error:
        return say("{}: {}", words, error.message)
    strange = [each.name for each in references(node) if each.name not in ("was", "becomes")]
    if strange:
        return say("{}; this reads {}.", words, listed(strange))
    return None if effect_words(node) != set() else say("{}; this gives none of them.", words)


def effect_words(node: Node) -> set[str]:
    """The effects that an expression names."""
    found: set[str] = set()
    stack = [node]
    while stack:
        part = stack.pop()
        if isinstance(part, Literal) and isinstance(part.value, str):
            found |= {part.value} & set(CHANGE_EFFECTS)
        stack += children(part)
    return found
