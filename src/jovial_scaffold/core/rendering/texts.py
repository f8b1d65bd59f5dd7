"""One of the values that a resource computes, without the rest of it."""

from collections.abc import Sequence
from typing import Any

from jovial_scaffold.core.expressions.shapes import Shape
from jovial_scaffold.core.rendering.computing import SIMPLE, plain
from jovial_scaffold.core.rendering.instances import Surroundings
from jovial_scaffold.core.rendering.shapes import Text
from jovial_scaffold.core.templates.model import Resource
from jovial_scaffold.core.text.unknown import UNKNOWN


def computed_texts(scope: Surroundings, resources: Sequence[Resource], index: int, text: Text) -> list[Any]:
    """What the code of single resources of one shape computes as their value number `index`, which is written as `text`; UNKNOWN where that
    can only be told the careful way. It does not say whether a condition around it holds."""
    if len(text.shapes) > 1:
        computed = [scope.computed(each) for each in resources]
        return [values[index] if values is not None else UNKNOWN for values in computed]
    (shape,) = text.shapes
    assert isinstance(shape, Shape)
    fast = shape.fast if shape.fast is not None and not shape.variables else shape.generate({})
    if fast is None:
        return [UNKNOWN] * len(resources)
    names, first, last = scope.names, text.first, text.last
    found = []
    for resource in resources:
        try:
            value = fast(names, {}, resource.constants[first:last])
            found.append(value if type(value) in SIMPLE else plain(value))
        except RecursionError:
            raise
        except Exception:  # whatever it is
            found.append(UNKNOWN)
    return found
