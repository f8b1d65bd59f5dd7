"""The function table that the checker, the runtime and the manual read, and the call of a function by its arguments' types."""

from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library import extensions, mathematics, own, standard
from jovial_scaffold.core.expressions.library.entries import Function
from jovial_scaffold.core.expressions.values import type_name
from jovial_scaffold.core.words import Listed, Value, say, together

_TABLE = (*standard.ENTRIES, *extensions.ENTRIES, *mathematics.ENTRIES, *own.ENTRIES)
FUNCTIONS: dict[tuple[str, bool], Function] = {(each.name, each.method): each for each in _TABLE}


def call(function: Function, arguments: list[Any]) -> Any:
    """Apply the overload that the arguments' types choose. Raises EvaluationError."""
    kinds = [type_name(argument) for argument in arguments]
    for overload in function.overloads:
        if _fits(overload.takes, kinds):
            return overload.run(*arguments)
    raise no_overload(function, arguments, kinds)


def _fits(takes: tuple[str, ...], kinds: list[str]) -> bool:
    if takes == ("any...",):
        return bool(kinds)
    return len(takes) == len(kinds) and all(want in (kind, "any") for want, kind in zip(takes, kinds, strict=True))


def signatures(function: Function) -> list[str]:
    """The ways to write a call, with types in the place of arguments."""
    skip = 1 if function.method else 0
    forms = [f"{function.name}({', '.join(overload.takes[skip:])})" for overload in function.overloads]
    ways = [f"{overload.takes[0]}.{form}" if skip else form for overload, form in zip(function.overloads, forms, strict=True)]
    return list(dict.fromkeys(ways))


def no_overload(function: Function, arguments: list[Any], kinds: list[str]) -> EvaluationError:
    """The error of a call that fits no signature, with the signatures."""
    given = ", ".join(kinds[1 if function.method else 0 :])
    call_text = f"{kinds[0]}.{function.name}({given})" if function.method and kinds else f"{function.name}({given})"
    values = Listed(tuple(Value(argument) for argument in arguments), ";")
    hint = say("It is written {}.", " or ".join(signatures(function)[:4]))
    texts_wanted = any("string" in overload.takes for overload in function.overloads)
    if texts_wanted and any(kind in ("int", "uint", "double", "bool") for kind in kinds):
        hint = together(hint, say("Convert with string(…) if that is meant."))
    told = say("There is no {}; it was given {}.", call_text, values) if arguments else say("There is no {}.", call_text)
    return EvaluationError(told, hint=hint, id="type-mismatch")
