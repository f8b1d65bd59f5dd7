"""Chains: why a value is what it is, as the board shows it. What was written, and all that it reads, each once."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.shapes import Constants, Shape
from jovial_scaffold.core.expressions.syntax import Call, Index, ListLiteral, Literal, MapLiteral, Name, Node, Operation, Select, children
from jovial_scaffold.core.expressions.values import Record, Secret
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.noting import names_looked_up
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.templates.compiling import formulas_of, shown_text
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, Resource, Template
from jovial_scaffold.core.text.source import Origin, Pointer, value_at
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.terminal import cut
from jovial_scaffold.reports.words import visible

LONGEST = 400
"""Characters of a text that is shown."""
_SHORT = 90
_EAGER = frozenset(("string", "int", "size", "slug", "digest", "carve", "join", "replace", "lowerAscii", "upperAscii", "trim", "split"))
_ITEMS = 50  # of a loop, for each of which an expression is looked at


class Chains:
    """Why a value is what it is: what was written, and the named values, parameters and resources that it reads, each once.

    A node is {kind, name, written, place, reads, values by environment, set at by environment}; names inside of a module are those of
    one use of it.
    """

    def __init__(self, renderings: Sequence[Evaluated]) -> None:
        self._renderings = renderings
        self.nodes: dict[str, Any] = {}
        self._reads: dict[tuple[str, Compiled | Condition], list[str]] = {}
        self._straight: dict[Shape, bool] = {}
        self._names: dict[object, Sequence[str] | None] = {}
        self._places: dict[Origin, str] = {}
        self._known: dict[tuple[str, Shape, Constants], set[str] | None] = {}
        self._content: tuple[Origin, Any] | None = None  # what was asked for last, which is asked for several times
        self._shown: dict[Any, dict[Any, str]] = {each: {} for each in (str, int, bool)}  # texts of values
        self._scopes: dict[str, list[Surroundings | None]] = {"": [each.scope for each in renderings]}  # by their prefix

    def of(self, row: Row) -> tuple[str, str, list[str]]:
        """What was written for a row, where, and the keys of the nodes that it reads."""
        for each in self._renderings:
            resource = each.resources.get(row.address)
            if resource is not None and row.kind == "property":
                at = row.at.get(each.label)
                if at is None:
                    continue
                secret = any(isinstance(value, Secret) for value in row.values.values())
                compiled, _ = self.part(resource.instance, at)
                written, place, reads = self._found(compiled, resource.instance.scope, resource.instance.resource)
                return ("" if secret and not formulas_of(compiled) else written), place, reads
            if resource is not None:
                own = resource.instance.resource
                conditions = [each for each in (own.loop.over if own.loop else None, own.when) if each is not None]
                reads = [key for condition in conditions for key in self.reads(condition, resource.instance.scope, own)]
                return "", self.place(own.origin), list(dict.fromkeys(reads))
            output = each.scope.template.output_at(row.address)
            if output is not None and row.type == "output":
                return self._found(output.value, each.scope, None)
        return "", "", []

    def place(self, origin: Origin) -> str:
        """Where the key of something is written, as `FILE:LINE`."""
        place = self._places.get(origin)
        if place is None:
            place = self._places[origin] = f"{origin.source.name}:{origin.source.key_line(origin.pointer)}"
        return place

    def part(self, instance: Instance, at: Pointer) -> tuple[Compiled, Pointer]:
        """What a part of a resource is written as, and what remains of its place inside of what that computes."""
        whole = _property(instance.resource, at)
        if whole is not None:
            return whole, ()
        compiled, rest, *_ = tracer_of(instance.scope).leaf(instance, at)
        if isinstance(compiled, Constant) and rest:
            return Constant(value_at(compiled.value, rest), compiled.origin.child(*rest)), ()
        return compiled, rest

    def content_of(self, resource: Resource) -> Any:
        """What stands in the file below a resource."""
        if self._content is None or self._content[0] is not resource.origin:
            self._content = resource.origin, value_at(resource.origin.source.value, resource.origin.pointer)
        return self._content[1]

    def _found(self, compiled: Compiled, scope: Surroundings, resource: Resource | None) -> tuple[str, str, list[str]]:
        source, pointer = compiled.origin
        return (
            cut_text(shown_text(compiled)),
            f"{source.name}:{source.value_line(pointer)}",
            self.reads(compiled, scope, resource),
        )

    def reads(self, part: Compiled | Condition, scope: Surroundings, resource: Resource | None) -> list[str]:
        """The keys of the nodes that something reads."""
        if isinstance(part, Constant):
            return []
        known = (scope.prefix, part)
        if known in self._reads:
            return self._reads[known]
        self._reads[known] = []
        sure = self.names_in(part)
        names = sure if sure is not None else self._names_reached(part, scope, resource)
        found = dict.fromkeys([self.node_of(name, scope, resource) for name in names])
        found.pop("", None)
        self._reads[known] = list(found)
        return self._reads[known]

    def names_in(self, part: Compiled | Condition) -> Sequence[str] | None:
        """The names that something reads, found once for all that reads the same; None where it may leave some out."""
        alike = part.computing if type(part) is Dynamic else part
        if alike not in self._names:
            formulas = formulas_of(part)
            is_sure = all(variables or self.is_straight(formula.program.shape) for formula, _, variables in formulas)
            self._names[alike] = [name for formula, _, _ in formulas for name in formula.program.read_names] if is_sure else None
        return self._names[alike]

    def _names_reached(self, part: Compiled | Condition, scope: Surroundings, resource: Resource | None) -> Iterator[str]:
        """The same without those behind a condition that holds nowhere."""
        for formula, _, variables in formulas_of(part):
            asked = None if variables or self.is_straight(formula.program.shape) else self._asked(formula, part, scope, resource)
            for name in formula.program.read_names:
                if asked is None or name in asked or name in (resource.variables if resource else ()):
                    yield name

    def is_straight(self, shape: Shape) -> bool:
        """Whether all names of an expression are looked up, whatever is in them."""
        if shape not in self._straight:
            waiting, straight = [shape.node], True
            while waiting and straight:
                node = waiting.pop()
                is_plain = isinstance(node, Literal | Name | Select | Index | ListLiteral | MapLiteral)
                straight = is_plain or _is_eager(node)
                waiting += children(node)
            self._straight[shape] = straight
        return self._straight[shape]

    def _asked(self, formula: Formula, part: Compiled | Condition, scope: Surroundings, resource: Resource | None) -> set[str] | None:
        """The same as `_looked_up`, found once for all that hold the same expression where no loop is around it."""
        if resource is not None and resource.loop is not None:
            return self._looked_up(formula, part, scope, resource)
        key = (scope.prefix, formula.program.shape, formula.program.constants)
        if key not in self._known:
            self._known[key] = self._looked_up(formula, part, scope, resource)
        return self._known[key]

    def _looked_up(self, formula: Formula, part: Compiled | Condition, scope: Surroundings, resource: Resource | None) -> set[str] | None:
        """The names that an expression looks up in some environment; None where it has no value in one, or there are very many items."""
        found: set[str] = set()
        for each in self._scopes_of(scope):
            if each is None:
                continue
            around: list[Mapping[str, Any]] = [{}]
            if resource is not None and not isinstance(part, Condition):
                around = [instance.variables for instance in (each.instances(resource) or {}).values()]
            if len(around) > _ITEMS or (isinstance(part, Condition) and resource is not None and resource.loop is not None):
                return None
            for variables in around:
                asked = names_looked_up(formula.node, each, variables)
                if asked is None:
                    return None
                found |= asked
        return found

    def node_of(self, name: str, scope: Surroundings, resource: Resource | None) -> str:
        """The key of a name's node, made where it is not there yet; nothing for what is no name of the template."""
        if resource is not None and resource.loop is not None and name in resource.loop.variables:
            key = f"{scope.prefix}{resource.name} ⟳ {name}"
            if key not in self.nodes:
                self.nodes[key] = _entry("item", name, shown_text(resource.loop.over), self.place(resource.origin))
                self.nodes[key]["reads"] = self.reads(resource.loop.over, scope, None)
            return key
        key = f"{scope.prefix}{name}"
        return key if key in self.nodes or self.add(key, name, scope) else ""

    def add(self, key: str, name: str, scope: Surroundings) -> bool:
        """Make the node of a name that is not there yet; whether it is one of the template."""
        made = self.made(name, scope.template, scope)
        if made is None:
            return False
        entry, parts = made
        self.nodes[key] = entry
        entry["reads"] = list(dict.fromkeys(read for part, where in parts for read in self.reads(part, where, None)))
        if entry["kind"] in ("parameter", "value", "lookup"):
            values = self.values(name, scope, name in scope.template.secret_names)
            entry["values"] = {each.label: told for each, told in zip(self._renderings, values, strict=True) if told is not None}
        if entry["kind"] == "parameter" and scope.use is None:
            settings = [(each.label, each.parameters.setting((name,))) for each in self._renderings if each.label in entry["values"]]
            entry["set"] = {label: setting.text() for label, setting in settings if setting is not None}
        return True

    def made(
        self, name: str, template: Template, scope: Surroundings
    ) -> tuple[dict[str, Any], list[tuple[Compiled | Condition, Surroundings]]] | None:
        """What a name's node says of itself, and what that is computed from, and where."""
        if name in template.parameters:
            declaration = template.parameters[name]
            handed = scope.use.resource.properties.entry(name) if scope.use is not None else None
            if handed is not None and scope.use is not None:
                return _entry("parameter", name, shown_text(handed), self.place(handed.origin)), [(handed, scope.use.scope)]
            default = declaration.default
            written = shown_text(default) if default is not None and not declaration.secret else ""
            return _entry("parameter", name, written, self.place(declaration.origin)), [(default, scope)] if default is not None else []
        if name in template.values:
            value = template.values[name]
            return _entry("value", name, shown_text(value.value), self.place(value.origin)), [(value.value, scope)]
        if name in template.lookups:
            lookup = template.lookups[name]
            return _entry("lookup", name, shown_text(lookup.where), self.place(lookup.origin)), [(lookup.where, scope)]
        if name in template.resources:
            found = template.resources[name]
            return _entry("module" if found.module else "resource", f"{scope.prefix}{name}", found.type_text, self.place(found.origin)), []
        if name in template.documents:
            return _entry("document", name, "", self.place(template.documents[name].origin)), []
        return None

    def _scopes_of(self, scope: Surroundings) -> list[Surroundings | None]:
        """Of each environment, that of the use of a module."""
        found = self._scopes.get(scope.prefix)
        if found is None:
            use = scope.use
            assert use is not None
            found = self._scopes[scope.prefix] = [_inside(above, use.resource.name, use.key) for above in self._scopes_of(use.scope)]
        return found

    def values(self, name: str, scope: Surroundings, is_secret: bool) -> list[str | None]:
        """The texts of what a name is in each environment; None where it is not there, or has no value."""
        found: list[str | None] = []
        for there in self._scopes_of(scope):
            try:
                value = there.value(name) if there is not None else None
            except EvaluationError:
                there = None
            if there is None or is_secret:
                found.append(None if there is None else marks.SECRET)
                continue
            known = self._shown.get(type(value))
            text = known.get(value) if known is not None else None
            if text is None:
                text = _short(value)
                if known is not None:
                    known[value] = text
            found.append(text)
        return found


def _property(resource: Resource, at: Pointer) -> Compiled | None:
    """What a whole property is written as, where that is one text or value."""
    found = resource.properties.entry(str(at[0])) if len(at) == 1 else None
    return found if isinstance(found, Constant | Dynamic) else None


def _is_eager(node: Node) -> bool:
    """Whether an operator or a call evaluates all that it is given."""
    if isinstance(node, Operation):
        return node.operator not in ("&&", "||")
    return isinstance(node, Call) and node.function in _EAGER


def _inside(above: Surroundings | None, name: str, key: str | None) -> Surroundings | None:
    """The environment of a use of a module in another; None where that is not there."""
    resource = above.template.resources.get(name) if above is not None else None
    use = (above.instances(resource) or {}).get(key) if above is not None and resource is not None else None
    return use.inside if use is not None else None


def _entry(kind: str, name: str, written: str, place: str) -> dict[str, Any]:
    return {"kind": kind, "name": name, "written": cut_text(written), "place": place, "reads": [], "values": {}, "set": {}}


def cut_text(text: str) -> str:
    """A text as the page shows it."""
    if text.isprintable() and len(text) * (1 if text.isascii() else 2) <= LONGEST:  # no character takes more than two cells
        return text
    return cut(visible(text), LONGEST)


def _short(value: Any) -> str:
    if type(value) is list:
        value = value[:_SHORT]  # of which each takes some of that
    try:
        text = cell(value.whole() if isinstance(value, Record) else value)
        return text if len(text) <= _SHORT and text.isascii() and text.isprintable() else cut(text, _SHORT)
    except (EvaluationError, TypeError):
        return ""
