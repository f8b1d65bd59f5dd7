"""What a schema says beyond validity, prepared for quick walks: defaults, what the cloud sets, what is secret or deprecated.

A `Shape` holds only the parts of a schema that say such things, so that walking a value visits nothing else.
"""

from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.expressions.values import Pending, Secret
from jovial_scaffold.core.schemas.validation import subschema
from jovial_scaffold.core.text.source import Pointer, pointer_text

_ABSENT = object()


@dataclass(slots=True)
class Shape:
    """One level of a schema; `None` children say nothing."""

    default: Any = _ABSENT
    read_only: bool = False
    write_only: bool = False
    deprecated: bool = False
    properties: dict[str, "Shape"] = field(default_factory=dict)
    items: "Shape | None" = None
    others: "Shape | None" = None

    marks: bool = False
    marking: tuple[str, ...] = ()
    fills: bool = False
    filling: tuple[str, ...] = ()

    def settle(self) -> None:
        """Note which parts say something for `annotated` and for `filled`."""
        self.marking = tuple(name for name, below in self.properties.items() if below.marks)
        self.filling = tuple(name for name, below in self.properties.items() if below.fills)
        below = [each for each in (self.items, self.others) if each is not None]
        self.marks = bool(self.read_only or self.write_only or self.deprecated or self.marking or any(each.marks for each in below))
        self.fills = bool(self.has_default or self.read_only or self.filling or any(each.fills for each in below))

    @property
    def has_default(self) -> bool:
        """Whether the schema gives a default."""
        return self.default is not _ABSENT


def shape_of(schema: Any) -> Shape:
    """The shape of a whole schema."""
    return _shape([schema], schema, 0) or Shape()


def _shape(parts: list[dict[str, Any]], root: Any, depth: int) -> Shape | None:
    if not parts:
        return None
    resolved = [each for part in parts for each in subschema(part, (), root)]
    shape = Shape()
    says = False
    for part in resolved:
        if "default" in part and not shape.has_default:
            shape.default, says = part["default"], True
        for keyword, attribute in (("readOnly", "read_only"), ("writeOnly", "write_only"), ("deprecated", "deprecated")):
            if part.get(keyword) is True:
                setattr(shape, attribute, True)
                says = True
    if depth < 12:  # a schema that refers to itself is followed only so far
        names = dict.fromkeys(name for part in resolved for name in part.get("properties", ()))
        for name in names:
            below = _shape([part["properties"][name] for part in resolved if name in part.get("properties", ())], root, depth + 1)
            if below:
                shape.properties[name] = below
        shape.items = _shape([part["items"] for part in resolved if isinstance(part.get("items"), dict)], root, depth + 1)
        shape.others = _shape(
            [p["additionalProperties"] for p in resolved if isinstance(p.get("additionalProperties"), dict)], root, depth + 1
        )
    shape.settle()
    return shape if says or shape.properties or shape.items or shape.others else None


def filled(shape: Shape | None, value: Any, address: str, pointer: Pointer = ()) -> Any:
    """The effective value: defaults at every depth, and pending where the cloud will set a property."""
    if shape is None or not shape.fills:
        return value
    if type(value) is dict:
        result = dict(value)
        for name in shape.filling:
            below = shape.properties[name]
            if name in result:
                result[name] = filled(below, result[name], address, (*pointer, name))
            elif below.has_default:
                result[name] = filled(below, below.default, address, (*pointer, name))
            elif below.read_only:
                result[name] = Pending((f"{address}:{pointer_text((*pointer, name))}",))
        if shape.others and shape.others.fills:
            for name in result.keys() - shape.properties.keys():
                result[name] = filled(shape.others, result[name], address, (*pointer, name))
        return result
    if type(value) is list and shape.items:
        return [filled(shape.items, item, address, (*pointer, index)) for index, item in enumerate(value)]
    return value


def annotated(shape: Shape | None, value: Any, pointer: Pointer, notes: list[tuple[str, Pointer]]) -> Any:
    """The written value with what reaches a `writeOnly` property marked secret; notes what is read-only or deprecated.

    The value itself where nothing is marked; parts of which the schema says nothing of the kind are not visited.
    """
    if shape is None or not shape.marks:
        return value
    if pointer and shape.read_only:
        notes.append(("read-only", pointer))
    if pointer and shape.deprecated:
        notes.append(("deprecated", pointer))
    if shape.write_only and not isinstance(value, Secret):
        return Secret(value) if not isinstance(value, Pending) else value
    if type(value) is dict:
        changed: dict[str, Any] = {}
        for name in shape.marking:
            if name in value:
                marked = annotated(shape.properties[name], value[name], (*pointer, name), notes)
                if marked is not value[name]:
                    changed[name] = marked
        if shape.others and shape.others.marks:
            for name in value.keys() - shape.properties.keys():
                changed[name] = annotated(shape.others, value[name], (*pointer, name), notes)
        return {**value, **changed} if changed else value
    if type(value) is list and shape.items and shape.items.marks:
        return [annotated(shape.items, item, (*pointer, index), notes) for index, item in enumerate(value)]
    return value
