"""What a template is once it is read: frozen declarations, and compiled values that an environment can be put into."""

from collections.abc import Callable, Mapping
from dataclasses import field
from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Omittable
from jovial_scaffold.core.records import record
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.shapes import Shape
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.words import say

_OUTPUTS = "outputs."
FILL_IN = say("Write the value in place of {}.", "{$open: …}")  # what to do about `value-open`, in a template and in a parameter file


@record
class Constant:
    """A value that holds no expression at any depth."""

    value: Any
    origin: Origin


@record
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

    @property
    def computing(self) -> tuple[object, ...]:
        """What texts have in common that compute the same, whatever words stand around it."""
        return (type(self.content), *(each.program for each in self.formulas()))


@record
class MapValue:
    """A map with an expression somewhere inside; left out where `when` is false, repeated in a list for each round of `loop`."""

    entries: tuple[tuple[str, "Compiled"], ...]
    origin: Origin
    when: "Condition | None" = None
    loop: "Loop | None" = None

    def entry(self, name: str) -> "Compiled | None":
        """What stands under a key, if anything."""
        for key, value in self.entries:
            if key == name:
                return value
        return None


@record
class ListValue:
    """A list with an expression somewhere inside."""

    items: tuple["Compiled", ...]
    origin: Origin


@record
class Overlaid:
    """A resource's own value over the one that `everywhere` gives, where they can only be merged once they are known (RFC 7396)."""

    base: "Compiled"
    own: "Compiled"
    origin: Origin


Compiled = Constant | Dynamic | MapValue | ListValue | Overlaid


def parts_of(compiled: Compiled) -> "list[tuple[str, Compiled]]":
    """The values that a value is made of, each with its key; an item of a list has none, and neither has what is merged with another."""
    if isinstance(compiled, MapValue):
        return list(compiled.entries)
    if isinstance(compiled, ListValue):
        return [("", item) for item in compiled.items]
    return [("", compiled.base), ("", compiled.own)] if isinstance(compiled, Overlaid) else []


def may_be_absent(compiled: Compiled) -> bool:
    """Whether a value may be left out as a whole: `${?…}`, and a map with `$when`."""
    if isinstance(compiled, Dynamic):
        return isinstance(compiled.content, Omittable)
    return isinstance(compiled, MapValue) and compiled.when is not None


@record
class Condition:
    """A key that always holds an expression: a formula, or a value that was written as such."""

    content: Formula | Constant
    origin: Origin


@record
class Loop:
    """`$per`: one or two variables, and what they go over."""

    variables: tuple[str, ...]
    over: Condition


@record
class Requirement:
    """One entry of `must`."""

    require: Condition
    message: Compiled
    passes: tuple[tuple[dict[str, Any], Origin], ...]
    fails: tuple[tuple[dict[str, Any], Origin], ...]
    origin: Origin


@record
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


@record
class Named:
    """One value of `let`."""

    name: str
    value: Compiled
    origin: Origin


@record
class Function:
    """A function of the template: what it takes and gives, and the expression that it is. It sees its arguments and other functions."""

    name: str
    takes: dict[str, dict[str, Any]]
    gives: dict[str, Any]
    body: Condition
    examples: tuple[tuple[Condition, Any, Origin], ...]
    origin: Origin


@record
class Table:
    """Facts that lookups choose from: rows in the order of the file. `broken` where it could not be read."""

    name: str
    rows: tuple[dict[str, Any], ...]
    origin: Origin
    broken: bool = False


@record
class Lookup:
    """One row of a table: the only one that meets `where`, or of those the one with the greatest `newest`."""

    name: str
    table: Table | None
    where: Condition
    newest: Condition | None
    origin: Origin


@record
class Everywhere:
    """Properties for all resources whose type fits a pattern and whose schema knows them."""

    pattern: str
    properties: tuple[tuple[str, Compiled], ...]
    origin: Origin


@record
class Document:
    """A text file with placeholders. `content` are its parts; `narrowed` are the only names it sees, where it says so.

    `notation` is the one of `notations.NOTATIONS` that it is written in, if it is.
    """

    name: str
    content: tuple["Part", ...]
    to: Compiled | None
    narrowed: dict[str, Compiled] | None
    notation: str | None
    file: Origin
    origin: Origin

    @property
    def placeholders(self) -> "tuple[Placeholder, ...]":
        """All its placeholders, in order."""
        return placeholders(self.content)


@record
class Placeholder:
    """`${…}` in a document: an expression, or a plain name with what holds where it has no value."""

    formula: Formula
    #: where it stands: in a `text`, `escaped` inside of a text of a notation, in a `comment`, or as a `value`
    place: str = "text"
    #: what holds where the name has no value
    otherwise: str | None = None
    #: what is said where it has none
    complaint: str | None = None


@record
class Scalar:
    """A text of a notation that is written anew as a whole once its placeholders are filled in."""

    #: its style in YAML (`plain`, or its first character), or `literal` in TOML
    form: str
    #: its content
    parts: "tuple[str | Placeholder, ...]"
    #: the same as it stands in the source
    raw: "tuple[str | Placeholder, ...]"
    #: how far the lines of a block are indented
    indent: int


Part = str | Placeholder | Scalar


def placeholders(content: "tuple[Part, ...]") -> "tuple[Placeholder, ...]":
    """The placeholders of some parts of a document, those inside of scalars included."""
    found: list[Placeholder] = []
    for part in content:
        if isinstance(part, Scalar):
            found += [each for each in part.parts if isinstance(each, Placeholder)]
        elif isinstance(part, Placeholder):
            found.append(part)
    return tuple(found)


@record
class Module:
    """A template that is used as a type: its parameters are the properties of `interface`, its outputs what can be read."""

    label: str
    template: "Template"
    interface: ResourceType


@record
class ResourceShape:
    """What resources have in common whose properties differ in constants only; `properties` are those of one of them.

    `variables` are those of the resource's loop.
    """

    properties: MapValue
    variables: frozenset[str]
    #: the names of the properties
    names: frozenset[str]
    #: whether no constant is a mark, or holds one or a double
    is_plain: bool
    #: whether all properties are described by the shape: a loop, `${?…}` and others are not
    is_whole: bool
    #: whether no expression binds names of its own or calls functions of the template
    is_simple: bool
    #: what the properties of all of them read: a name, and the first field read from it, or nothing
    steps: frozenset[tuple[str, str]]
    #: the same where the name is one of the constants, that of a resource: which one
    holes: tuple[tuple[int, str], ...]
    #: the names of `steps`
    reads: frozenset[str]


@record
class Resource:
    """A resource as written, or a use of a module. `type` is None where nobody knows `type_text`; of a module, it is its interface.

    `written` gives its properties; of many resources that are alike, only what its shape does not say is made at once. `constants` are
    what its properties alone have, in the order of its shape.
    """

    name: str
    type_text: str
    type: ResourceType | None
    module: Module | None
    origin: Origin
    written: Callable[[], MapValue]
    loop: Loop | None
    when: Condition | None
    key: Condition | None
    after: tuple[tuple[str, Origin], ...]
    keep: Condition | None
    formerly: str
    shape: ResourceShape
    constants: tuple[Any, ...]

    @property
    def properties(self) -> MapValue:
        """What is written below it, but for directives."""
        return self.written()

    @property
    def is_single(self) -> bool:
        """Whether it is one resource, whatever the environment."""
        return self.loop is None and self.when is None and self.module is None

    @property
    def variables(self) -> tuple[str, ...]:
        """Those of its loop."""
        return self.loop.variables if self.loop is not None else ()


Head = tuple[str, str, ResourceType | None, Module | None, Origin]
"""What a resource is, before its properties and directives: its first five fields."""
Use = tuple[Formula, Origin, tuple[str, ...]]
"""An expression, where it stands, and the loop variables that it sees."""


@record
class Output:
    """A value that whoever deploys the template may read."""

    name: str
    value: Compiled
    description: str
    origin: Origin


@record
class Rename:
    """An entry of `renames`: what stood at the old address, or below it, is the same thing at the new one. Both are relative to the template."""

    old: str
    new: str
    origin: Origin  #: of the entry


@record
class Template:
    """A whole template. `unread` is True where a part could not be read, so that unknown and unused names are not judged; `garbled` are
    words of what is wrong as text, so that they are not said to be unused."""

    title: str
    description: str
    parameters: dict[str, Declaration]
    must: tuple[Requirement, ...]
    values: dict[str, Named]
    functions: dict[str, Function]
    lookups: dict[str, Lookup]
    resources: dict[str, Resource]
    documents: dict[str, Document]
    outputs: dict[str, Output]
    types: dict[str, Origin]
    used_types: frozenset[str]
    origin: Origin
    unread: bool = False
    garbled: frozenset[str] = frozenset()
    secret_names: frozenset[str] = (
        frozenset()
    )  #: parameters, values, functions and lookups whose values reach a secret property, declared secret or not
    secret_parts: Mapping[str, tuple[Shape, ...]] = field(default_factory=dict)  #: by parameter, what of its value stands at secret places
    unknown_names: frozenset[str] = frozenset()
    renames: tuple[Rename, ...] = ()  #: by the old address

    @property
    def names(self) -> frozenset[str]:
        """What expressions can read, but for the context."""
        return frozenset((*self.parameters, *self.values, *self.lookups, *self.resources, *self.documents))

    @property
    def later_names(self) -> frozenset[str]:
        """What defaults and `must` cannot read: it is not there yet."""
        return self.names - self.parameters.keys()

    def output_address(self, name: str) -> str:
        """What an output is called where resources and documents have addresses: `outputs.` before it if something else has its name."""
        return f"{_OUTPUTS}{name}" if name in self.names else name

    def output_at(self, address: str) -> "Output | None":
        """The output of an address, if it is one."""
        found = self.outputs.get(address.removeprefix(_OUTPUTS))
        return found if found is not None and address in (self.output_address(found.name), f"{_OUTPUTS}{found.name}") else None

    def modules(self) -> "list[Module]":
        """The modules that it uses directly, each once."""
        found = dict.fromkeys(each.module for each in self.resources.values() if each.module)
        return list(found)
