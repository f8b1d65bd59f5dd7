"""What a schema says beyond validity, prepared for quick walks: defaults, what the cloud sets, what is secret or deprecated.

A `Shape` holds only the parts of a schema that say such things, so that walking a value visits nothing else.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.expressions.pending import Pending, is_bare
from jovial_scaffold.core.expressions.residuals import pending_property
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.limits import FILLED_VALUES, NESTING
from jovial_scaffold.core.schemas.navigation import property_pattern, subschema
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN

_ABSENT = object()


@dataclass(slots=True, eq=False)
class Shape:
    """One level of a schema; `None` children say nothing. A schema that refers to itself is a shape that holds itself."""

    default: Any = _ABSENT
    read_only: bool = False
    write_only: bool = False
    deprecated: bool = False
    properties: dict[str, "Shape"] = field(default_factory=dict)
    patterns: list[tuple[Any, "Shape"]] = field(default_factory=list)  #: by `patternProperties`
    prefix: list["Shape | None"] = field(default_factory=list)  #: of the first items, by `prefixItems`
    items: "Shape | None" = None
    others: "Shape | None" = None  #: by `additionalProperties`

    marks: bool = False  #: whether it, or anything below, is read-only, secret or deprecated
    marking: tuple[str, ...] = ()
    fills: bool = False  #: whether it, or anything below, has a default or is set by the cloud
    filling: tuple[str, ...] = ()

    @property
    def has_default(self) -> bool:
        """Whether the schema gives a default."""
        return self.default is not _ABSENT

    def children(self) -> list["Shape"]:
        """All shapes one level below."""
        found = [*self.properties.values(), *(shape for _, shape in self.patterns), *self.prefix, self.items, self.others]
        return [each for each in found if each is not None]

    def holds_secrets(self) -> bool:
        """Whether it, or anything below, is secret."""
        waiting, seen = [self], {self}
        while waiting:
            shape = waiting.pop()
            if shape.write_only:
                return True
            below = [each for each in shape.children() if each not in seen]
            seen.update(below)
            waiting += below
        return False

    def of(self, name: str) -> "Shape | None":
        """What is said of a property: by its name, by patterns that it meets, else by what holds for the others."""
        own = self.properties.get(name)
        if own is not None or not self.patterns:
            return own or self.others
        met = [shape for pattern, shape in self.patterns if pattern.search(name)]
        return max(met, key=lambda shape: (shape.write_only, shape.marks)) if met else self.others  # what is secret by one is secret

    def item(self, index: int) -> "Shape | None":
        """What is said of an item of a list."""
        return self.prefix[index] if index < len(self.prefix) else self.items


def shape_of(schema: Any) -> Shape:
    """The shape of a whole schema."""
    return _Shaping(schema, schema).made


def shape_of_map(schema: Any) -> Shape:
    """The same of what is a map by itself, such as a resource: where the whole is said to be secret, all that is in it is."""
    shape = shape_of(schema)
    if shape.write_only:
        shape.write_only = False
        shape.others = Shape(write_only=True, marks=True)
        for each in shape.properties.values():
            each.write_only = each.marks = True
        shape.marking = tuple(shape.properties)
    return shape


def secret_shape(schema: Any) -> Shape | None:
    """The shape of a schema that may hold something secret; most do not, and cost a look at their text."""
    return shape_of(schema) if "writeOnly" in repr(schema) else None


class _Shaping:
    """Makes the shape of one part of a schema, `root`. Parts that are met again, through references, give the same shape."""

    def __init__(self, root: Any, part: Any) -> None:
        self._root = root
        self._known: dict[tuple[int, ...], Shape] = {}  # by the identity of the parts, which the root keeps alive
        self._waiting: list[tuple[Shape, list[dict[str, Any]]]] = []
        self.made = self._shape([part]) or Shape()
        while self._waiting:
            self._fill(*self._waiting.pop())
        self._settle()

    def _shape(self, parts: list[Any]) -> Shape | None:
        resolved = list({id(each): each for part in parts for each in subschema(part, (), self._root)}.values())
        if not resolved:
            return None
        key = tuple(map(id, resolved))
        if key not in self._known:
            self._known[key] = Shape()
            self._waiting.append((self._known[key], resolved))
        return self._known[key]

    def _fill(self, shape: Shape, resolved: list[dict[str, Any]]) -> None:
        for part in resolved:
            if "default" in part and not shape.has_default:
                shape.default = part["default"]
            shape.read_only = shape.read_only or part.get("readOnly") is True
            shape.write_only = shape.write_only or part.get("writeOnly") is True
            shape.deprecated = shape.deprecated or part.get("deprecated") is True
        for name in dict.fromkeys(name for part in resolved for name in _map(part, "properties")):
            below = self._shape([each for part in resolved for each in _named(part, name)])
            if below:
                shape.properties[name] = below
        for text in dict.fromkeys(text for part in resolved for text in _map(part, "patternProperties")):
            below = self._shape([_map(part, "patternProperties")[text] for part in resolved if text in _map(part, "patternProperties")])
            if below:
                shape.patterns.append((property_pattern(text), below))
        lists = [part["prefixItems"] for part in resolved if isinstance(part.get("prefixItems"), list)]
        for index in range(max(map(len, lists), default=0)):
            shape.prefix.append(self._shape([each[index] for each in lists if index < len(each)]))
        for keyword, attribute in (("items", "items"), ("additionalProperties", "others")):
            setattr(shape, attribute, self._shape([part[keyword] for part in resolved if isinstance(part.get(keyword), dict)]))

    def _settle(self) -> None:
        """Note which shapes say something, themselves or below: what says it first, then all that lead there."""
        above: dict[Shape, list[Shape]] = {}
        every = list(self._known.values()) or [self.made]
        for shape in every:
            for below in shape.children():
                above.setdefault(below, []).append(shape)
        saying = {
            "marks": [each for each in every if each.read_only or each.write_only or each.deprecated],
            "fills": [each for each in every if each.has_default or each.read_only],
        }
        for attribute, waiting in saying.items():
            while waiting:
                shape = waiting.pop()
                if not getattr(shape, attribute):
                    setattr(shape, attribute, True)
                    waiting += above.get(shape, ())
        for shape in every:
            shape.marking = tuple(name for name, below in shape.properties.items() if below.marks)
            shape.filling = tuple(name for name, below in shape.properties.items() if below.fills)


def _named(part: dict[str, Any], name: str) -> list[Any]:
    """What a part says of a property by its name, and by patterns that it meets."""
    found = [_map(part, "properties")[name]] if name in _map(part, "properties") else []
    return found + [below for text, below in _map(part, "patternProperties").items() if property_pattern(text).search(name)]


def _map(part: dict[str, Any], keyword: str) -> dict[str, Any]:
    found = part.get(keyword)
    return found if isinstance(found, dict) else {}


def filled(shape: Shape | None, value: Any, address: str, pointer: Pointer = ()) -> Any:
    """The effective value: defaults at every depth, and pending where the cloud will set a property."""
    if shape is None or not shape.fills:
        return value
    return _Filling(address).filled(shape, value, pointer)


def is_endless(part: Any, schema: Any) -> bool:
    """Whether the default of a part of a schema takes in so many defaults below of it that `filled` leaves some out."""
    shape = _Shaping(schema, part).made
    if not shape.has_default or not shape.fills or not isinstance(shape.default, dict | list):
        return False
    filling = _Filling("")
    filling.default(shape, ())
    return filling.is_cut


class _Filling:
    """Fills one value in. Defaults that hold defaults may multiply: of each that is taken in, a number of values is filled in, and what
    is left stays as it is."""

    def __init__(self, address: str) -> None:
        self._address = address
        self._left = -1  # values that may still be filled into a default; -1 outside of all
        self.is_cut = False  #: whether something was left as it is

    def default(self, shape: Shape, pointer: Pointer) -> Any:
        """The default of a shape."""
        outer = self._left
        self._left = FILLED_VALUES.most if outer < 0 else max(outer - 1, 0)
        value = self.filled(shape, shape.default, pointer)
        if outer < 0:
            self._left = outer
        return value

    def filled(self, shape: Shape | None, value: Any, pointer: Pointer) -> Any:
        """A part of it."""
        if shape is None or not shape.fills:
            return value
        if len(pointer) > NESTING.most or not self._left:
            self.is_cut = self.is_cut or isinstance(value, dict | list)
            return value
        if type(value) is dict:
            result = dict(value)
            for name in shape.filling:
                below = shape.properties[name]
                if name in result:
                    result[name] = self.filled(below, result[name], (*pointer, name))
                elif below.has_default:
                    result[name] = self.default(below, (*pointer, name))
                elif below.read_only:
                    result[name] = pending_property(self._address, pointer_text((*pointer, name)))
            if shape.patterns or (shape.others and shape.others.fills):
                for name in result.keys() - shape.properties.keys():
                    result[name] = self.filled(shape.of(name), result[name], (*pointer, name))
            return result
        if type(value) is list and (shape.items or shape.prefix):
            return [self.filled(shape.item(index), item, (*pointer, index)) for index, item in enumerate(value)]
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
        return value if value is UNKNOWN or (isinstance(value, Pending) and is_bare(value)) else Secret(value)
    if type(value) is dict:
        changed: dict[str, Any] = {}
        for name in shape.marking:
            if name in value:
                marked = annotated(shape.properties[name], value[name], (*pointer, name), notes)
                if marked is not value[name]:
                    changed[name] = marked
        if shape.patterns or (shape.others and shape.others.marks):
            for name in value.keys() - shape.properties.keys():
                changed[name] = annotated(shape.of(name), value[name], (*pointer, name), notes)
        return {**value, **changed} if changed else value
    if type(value) is list and (shape.prefix or (shape.items and shape.items.marks)):
        return [annotated(shape.item(index), item, (*pointer, index), notes) for index, item in enumerate(value)]
    return value


def secret_texts(shape: Shape | None, value: Any) -> Iterator[tuple[Pointer, Shape]]:
    """Where texts stand in the place of a map or list of which parts are secret, each with the shape of that."""
    stack: list[tuple[Shape | None, Any, Pointer]] = [(shape, value, ())]
    while stack:
        shape, value, pointer = stack.pop()
        if shape is None or not shape.marks or shape.write_only:
            continue
        if isinstance(value, dict):
            stack += [(shape.of(name), item, (*pointer, name)) for name, item in value.items() if isinstance(name, str)]
        elif isinstance(value, list):
            stack += [(shape.item(index), item, (*pointer, index)) for index, item in enumerate(value)]
        elif isinstance(value, str) and shape.holds_secrets():
            yield pointer, shape


def secret_pointers(shape: Shape | None, value: Any) -> Iterator[Pointer]:
    """Where secret parts of a plain value stand; not what is below of one."""
    stack: list[tuple[Shape | None, Any, Pointer]] = [(shape, value, ())]
    while stack:
        shape, value, pointer = stack.pop()
        if shape is None or not shape.marks:
            continue
        if shape.write_only:
            yield pointer
        elif isinstance(value, dict):
            stack += [(shape.of(name), item, (*pointer, name)) for name, item in value.items() if isinstance(name, str)]
        elif isinstance(value, list):
            stack += [(shape.item(index), item, (*pointer, index)) for index, item in enumerate(value)]


def with_secrets(shape: Shape | None, value: Any) -> Any:
    """The value with what stands at `writeOnly` parts of its schema marked secret."""
    return annotated(shape, value, (), [])
