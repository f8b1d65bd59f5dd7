"""What resources compute as one of their values, without the rest of them."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.expressions.library.strings import joined_text
from jovial_scaffold.core.expressions.shapes import Shape
from jovial_scaffold.core.rendering.computing import SIMPLE, plain
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.shapes import Constants, Text
from jovial_scaffold.core.templates.model import Resource
from jovial_scaffold.core.text.unknown import UNKNOWN


def computed_text(scope: Surroundings, resource: Resource, index: int, text: Text) -> Any:
    """What the code of a single resource computes as its value number `index`, which is written as `text`; UNKNOWN where that can only be told
    the careful way. It does not say whether a condition around it holds."""
    if len(text.shapes) > 1:
        values = scope.computed(resource)
        return values[index] if values is not None else UNKNOWN
    return alike_texts(scope, text, [resource.constants[text.first : text.last]])[0]


def alike_texts(scope: Surroundings, text: Text, constants: Sequence[Constants]) -> list[Any]:
    """The same of one expression, with constants of its own in each of some places."""
    shape = text.shapes[-1]
    assert isinstance(shape, Shape)
    fast = shape.fast if shape.fast is not None and not shape.variables else shape.generate({})
    if fast is None:
        return [UNKNOWN] * len(constants)
    names = scope.names
    try:
        found = [fast(names, {}, own) for own in constants]
        return found if SIMPLE.issuperset(map(type, found)) else [plain(value) for value in found]
    except RecursionError:
        raise
    except Exception:  # whatever it is, and in whichever of them
        return [_text(fast, names, own) for own in constants]


def _text(fast: Callable[..., Any], names: Mapping[str, Any], constants: Constants) -> Any:
    try:
        return plain(fast(names, {}, constants))
    except RecursionError:
        raise
    except Exception:  # whatever it is
        return UNKNOWN


def piece_text(instance: Instance, shape: Shape, constants: Constants) -> str | None:
    """What an expression gives between the words of a text, in the item of a loop or the resource that is there; None where that is no plain
    text, or can only be told the careful way."""
    variables = instance.variables
    fast = shape.fast if shape.fast is not None and variables.keys() == shape.variables else shape.generate(variables)
    if fast is None or not variables.keys().isdisjoint(constants):
        return None
    try:
        return joined_text(fast(instance.scope.names, variables, constants))
    except RecursionError:
        raise
    except Exception:  # whatever it is
        return None
