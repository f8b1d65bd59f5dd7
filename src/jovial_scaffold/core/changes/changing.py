"""What changing a property does (docs/catalogs.md, `changeEffect`): a word, or an expression over what was and what it becomes."""

from collections.abc import Container, Iterator
from typing import Any

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.pending import Pending, could_be
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.expressions.values import NONE, Optional, Secret, deep_marks
from jovial_scaffold.core.schemas.annotations import CHANGE_EFFECTS, effect_words
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.text.source import Pointer

TYPE = ("$type",)  #: where the type of a resource stands among its properties


def change_effect(kind: ResourceType | None, pointer: Pointer, was: Any, becomes: Any, unset: object) -> str:
    """As the innermost part of the schema around a property says. `unset` stands for no value on a side.

    The severest that an expression may give, where a value is pending, where it cannot be evaluated, and where it is about the whole
    around the property, whose values are not at hand.
    """
    written, depth = kind.written_effect(pointer) if kind is not None else ("", 0)
    if kind is None or not written:
        return "in_place"
    if written in CHANGE_EFFECTS:
        return written
    given = _evaluated(kind, written, pointer, (was, becomes), unset) if depth == len(pointer) else None
    return given if given in CHANGE_EFFECTS else max(effect_words(kind.program(written).node), key=CHANGE_EFFECTS.index)


def possible_effect(kind: ResourceType | None, pointer: Pointer) -> str:
    """The severest that changing a part of a resource may do, or a part of that, whatever it was and becomes."""
    if kind is None:
        return "in_place"
    written = [kind.written_effect(pointer)[0] or "in_place"]
    for part in subschema(kind.schema, pointer):
        written += _effects_below(part, kind.schema, set())
    words = [word for each in written for word in ([each] if each in CHANGE_EFFECTS else effect_words(kind.program(each).node))]
    return max(words, key=CHANGE_EFFECTS.index)


def _effects_below(part: Any, whole: Any, seen: set[str]) -> Iterator[str]:
    """What the parts of a schema say that changing them does."""
    found = part.get("changeEffect") if isinstance(part, dict) else None
    if isinstance(found, str):
        yield found
    for key, below in part.items() if isinstance(part, dict) else enumerate(part) if isinstance(part, list) else ():
        if key == "$ref" and isinstance(below, str) and below not in seen:
            seen.add(below)
            for resolved in subschema(part, (), whole):
                yield from _effects_below({name: each for name, each in resolved.items() if name != "$ref"}, whole, seen)
        elif key not in ("default", "const", "enum", "examples"):
            yield from _effects_below(below, whole, seen)


def type_effect(was: str, becomes: str) -> str:
    """What another type does, as they are written: another version of one changes it in place, and anything else is made anew."""
    name, _, version = becomes.rpartition(".v")
    return "in_place" if version.isdigit() and was.rpartition(".v")[0] == name else "rebuild"


def holds_data(kind: ResourceType | None) -> bool:
    """Whether what a resource of a type keeps is lost with it."""
    return kind is not None and kind.schema.get("holdsData") is True


def _evaluated(kind: ResourceType, text: str, pointer: Pointer, sides: tuple[Any, Any], unset: object) -> Any:
    """What an expression gives, or None where it cannot be evaluated."""
    always = kind.is_always_set(pointer)
    if (always and any(side is unset for side in sides)) or any(any(deep_marks(side)) for side in sides if side is not unset):
        return None
    names = dict(zip(("was", "becomes"), sides, strict=True))
    if not always:
        names = {name: NONE if side is unset else Optional(side) for name, side in names.items()}
    try:
        return kind.program(text).run(MapScope(names), {})
    except EvaluationError:
        return None


def surely_differs(was: Any, becomes: Any, running: Container[str]) -> bool:
    """Whether a new value is another one, whatever the cloud says: what hangs on resources that run, and is not known, may be as it is; what
    hangs on a new one is not. `running` are their addresses."""
    origins = deep_marks(becomes)[0]
    return not (all(origin.partition(":")[0] in running for origin in origins) and _may_equal(was, becomes))


def _may_equal(old: Any, new: Any) -> bool:
    """Whether two different values would be equal if what is pending in the new one turned out so."""
    if isinstance(new, Pending):
        return isinstance(old, Secret) or (not isinstance(old, Pending) and could_be(new, old))
    if isinstance(new, dict) and isinstance(old, dict):
        return new.keys() == old.keys() and all(_may_equal(old[key], new[key]) for key in new)
    if isinstance(new, list) and isinstance(old, list):
        return len(new) == len(old) and all(map(_may_equal, old, new))
    return same(old, new)
