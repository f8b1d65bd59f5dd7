"""What a template is once it is read: frozen declarations, and compiled values that an environment can be put into."""

from dataclasses import dataclass
from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Omittable
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.text.source import Origin


@dataclass(frozen=True, slots=True)
class Constant:
    """A value that holds no expression at any depth."""

    value: Any
    origin: Origin


@dataclass(frozen=True, slots=True)
class Dynamic:
    """A text with expressions in it."""

    content: Formula | Joined | Omittable
    origin: Origin

    def formulas(self) -> tuple[Formula, ...]:
        """The expressions of the text."""
        if isinstance(self.content, Formula):
            return (self.content,)
        if isinstance(self.content, Omittable):
            return (self.content.formula,)
        return tuple(part for part in self.content.parts if isinstance(part, Formula))


@dataclass(frozen=True, slots=True)
class MapValue:
    """A map with an expression somewhere inside; left out where `when` is false, repeated in a list for each round of `loop`."""

    entries: tuple[tuple[str, "Compiled"], ...]
    origin: Origin
    when: "Condition | None" = None
    loop: "Loop | None" = None


@dataclass(frozen=True, slots=True)
class ListValue:
    """A list with an expression somewhere inside."""

    items: tuple["Compiled", ...]
    origin: Origin


Compiled = Constant | Dynamic | MapValue | ListValue


@dataclass(frozen=True, slots=True)
class Condition:
    """A key that always holds an expression: a formula, or a value that was written as such."""

    content: Formula | Constant
    origin: Origin


@dataclass(frozen=True, slots=True)
class Loop:
    """`$per`: one or two variables, and what they go over."""

    variables: tuple[str, ...]
    over: Condition


@dataclass(frozen=True, slots=True)
class Requirement:
    """One entry of `must`."""

    require: Condition
    message: Compiled
    origin: Origin


@dataclass(frozen=True, slots=True)
class Declaration:
    """A parameter. `schema` is its JSON Schema without our own keys, with the template's types beside it for `$ref`."""

    name: str
    schema: dict[str, Any]
    description: str
    default: Compiled | None
    secret: bool
    deprecated: bool
    must: tuple[Requirement, ...]
    origin: Origin


@dataclass(frozen=True, slots=True)
class Named:
    """One value of `let`."""

    name: str
    value: Compiled
    origin: Origin


@dataclass(frozen=True, slots=True)
class Resource:
    """A resource as written. `type` is None where the catalogs do not know `type_text`."""

    name: str
    type_text: str
    type: ResourceType | None
    properties: MapValue
    loop: Loop | None
    when: Condition | None
    key: Condition | None
    after: tuple[tuple[str, Origin], ...]
    keep: bool
    formerly: str
    origin: Origin


@dataclass(frozen=True, slots=True)
class Output:
    """A value that whoever deploys the template may read."""

    name: str
    value: Compiled
    description: str
    origin: Origin


@dataclass(frozen=True, slots=True)
class Template:
    """A whole template. `unread` is True where a part could not be read, so that unknown and unused names are not judged."""

    title: str
    parameters: dict[str, Declaration]
    must: tuple[Requirement, ...]
    values: dict[str, Named]
    resources: dict[str, Resource]
    outputs: dict[str, Output]
    origin: Origin
    unread: bool = False
    unknown_names: frozenset[str] = frozenset()
