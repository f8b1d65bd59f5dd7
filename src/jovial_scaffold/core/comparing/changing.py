"""What changing a property does (docs/catalogs.md, `changeEffect`): a word, or an expression over what was and what it becomes."""

from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.expressions.values import NONE, Optional, deep_marks
from jovial_scaffold.core.schemas.annotations import CHANGE_EFFECTS, effect_words
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.validation import subschema
from jovial_scaffold.core.text.source import Pointer


def change_effect(kind: ResourceType | None, pointer: Pointer, was: Any, becomes: Any, unset: object) -> str:
    """As the innermost part of the schema around a property says. `unset` stands for no value on a side.

    Where an expression cannot be evaluated, because a value is pending or not there, the severest that it may give.
    """
    if kind is None:
        return "in_place"
    for depth in range(len(pointer), 0, -1):
        for part in subschema(kind.schema, pointer[:depth]):
            written = part.get("changeEffect")
            if isinstance(written, str):
                if written in CHANGE_EFFECTS:
                    return written
                return _evaluated(kind, written, pointer[:depth], (was, becomes) if depth == len(pointer) else (unset, unset), unset)
    return "in_place"


def _evaluated(kind: ResourceType, text: str, pointer: Pointer, sides: tuple[Any, Any], unset: object) -> str:
    program = kind.program(text)
    severest = max(effect_words(program.node), key=CHANGE_EFFECTS.index)
    if any(any(deep_marks(side)) for side in sides if side is not unset):
        return severest
    always = is_always_set(kind.schema, pointer)
    if always and unset in sides:
        return severest
    names = dict(zip(("was", "becomes"), sides, strict=True))
    if not always:
        names = {name: NONE if side is unset else Optional(side) for name, side in names.items()}
    try:
        given = program.run(MapScope(names), {})
    except EvaluationError:
        return severest
    return given if given in CHANGE_EFFECTS else severest


def is_always_set(schema: Any, pointer: Pointer) -> bool:
    """Whether a property has a value in every resource: it is required, or has a default."""
    above = subschema(schema, pointer[:-1])
    return any(pointer[-1] in part.get("required", ()) for part in above) or any("default" in part for part in subschema(schema, pointer))
