"""What hangs on values that nobody can list: open texts, wide ranges of numbers, lists of any length.

What goes wrong with all of those that were tried may go well with others; what reads none of them is tried with all that there is. In a
module that is what its own declarations leave open, whatever it is given.
"""

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.expressions.types import Type
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.templates.compiling import formulas_of, loops_in, presence_uses
from jovial_scaffold.core.templates.model import Compiled, Condition, Loop, Resource, Template
from jovial_scaffold.core.text.source import Origin

_FEW_ITEMS = 5


class _Use(NamedTuple):
    """An expression, where it stands, and the loops whose variables it may see."""

    formula: Formula
    origin: Origin
    loops: Mapping[str, list[Loop]]


class Openness:
    """What hangs on open values in a template and the modules that it uses, and they use."""

    def __init__(self, template: Template) -> None:
        self._parts: dict[Template, _OfTemplate] = {}
        waiting = [template]
        while waiting:
            current = waiting.pop()
            if current not in self._parts:
                self._parts[current] = _OfTemplate(current)
                waiting += [each.template for each in current.modules()]

    def is_open(self, span: Span) -> bool:
        """Whether an expression at a place, or inside of it, reads what hangs on an open value."""
        found = [each for each in self._parts.values() if each.holds(span)]
        return not found or any(each.is_open(span) for each in found)


class _OfTemplate:
    """The same of one template."""

    def __init__(self, template: Template) -> None:
        self._template = template
        self._types = {name: type_of_schema(each.schema) for name, each in template.parameters.items()}
        self._names: dict[str, bool] = {}
        self._uses: list[tuple[_Use, Span]] | None = None
        self._files: set[str] = set()

    def holds(self, span: Span) -> bool:
        """Whether a place is in one of its files."""
        if not self._files:
            uses = {use.origin.source.name for use in self._all_uses()}
            self._files = uses | {each.origin.source.name for each in self._template.resources.values()}
        return span.file in self._files

    def is_open(self, span: Span) -> bool:
        """Whether an expression at a place, or inside of it, reads what hangs on an open value."""
        if self._uses is None:
            self._uses = [(use, use.origin.value_span()) for use in self._all_uses()]
        return any(_overlap(span, place) and self._reads_open(use) for use, place in self._uses)

    def _all_uses(self) -> list[_Use]:
        template = self._template
        found = [use for each in template.values.values() for use in _uses(each.value)]
        found += [use for each in template.outputs.values() for use in _uses(each.value)]
        found += [use for each in template.functions.values() for use in _uses(each.body)]
        found += [use for each in template.lookups.values() for use in (*_uses(each.where), *_uses(each.newest))]
        found += [use for each in template.parameters.values() for use in _uses(each.default)]
        for resource in template.resources.values():
            found += _of_resource(resource)
        for document in template.documents.values():
            found += [_Use(each.formula, document.file, {}) for each in document.placeholders]
            found += _uses(document.to)
            found += [use for each in (document.narrowed or {}).values() for use in _uses(each)]
        return found

    def _reads_open(self, use: _Use) -> bool:
        return any(self._is_open(each, use.loops) for each in use.formula.program.reads)

    def _any_open(self, uses: Iterable[_Use]) -> bool:
        return any(map(self._reads_open, uses))

    def _is_open(self, reference: Reference, loops: Mapping[str, list[Loop]]) -> bool:
        name, path = reference.name, reference.path
        if name in loops:
            return any(self._is_open_item(loop, name, path, loops) for loop in loops[name])
        if name in self._types:
            return not _is_closed(_stepped(self._types[name], path))
        if name == "context":
            return path[:1] not in (("environment",), ("labels",), ("project",))
        if name in self._template.resources:
            return self._is_open_resource(self._template.resources[name], str(path[0]) if path else "")
        if name not in self._names:
            self._names[name] = False  # what reads itself is said elsewhere
            self._names[name] = self._is_open_name(name)
        return self._names[name]

    def _is_open_name(self, name: str) -> bool:
        template = self._template
        if name in template.values:
            return self._any_open(_uses(template.values[name].value))
        if name in template.lookups:
            lookup = template.lookups[name]
            return self._any_open((*_uses(lookup.where), *_uses(lookup.newest)))
        if name in template.documents:
            document = template.documents[name]
            return self._any_open(_Use(each.formula, document.file, {}) for each in document.placeholders)
        return name not in ("row", *(argument for each in template.functions.values() for argument in each.takes))

    def _is_open_item(self, loop: Loop, name: str, path: tuple[str | int, ...], loops: Mapping[str, list[Loop]]) -> bool:
        over = loop.over.content
        if not isinstance(over, Formula):
            return False
        reads = over.program.reads
        if len(reads) == 1 and reads[0].name in self._types and reads[0].start == 0 and reads[0].chain_end == len(over.text.strip()):
            whole = _stepped(self._types[reads[0].name], reads[0].path)
            if len(loop.variables) == 2 and name == loop.variables[0]:
                return not whole.is_only("list")  # the keys of a map; how far a list goes decides its length
            item = whole.items if whole.is_only("list") else whole.others
            return item is None or not _is_closed(_stepped(item, path))
        return any(self._is_open(each, {key: value for key, value in loops.items() if key != name}) for each in reads)

    def _is_open_resource(self, resource: Resource, property: str) -> bool:
        key = f"{resource.name}:{property}"
        if key not in self._names:
            self._names[key] = False
            found = _of_resource(resource, None if resource.loop or resource.module else property)
            self._names[key] = self._any_open(found)
        return self._names[key]


def _of_resource(resource: Resource, property: str | None = None) -> list[_Use]:
    """The expressions of a resource: all, or those of one property and of what decides whether it is there."""
    loops: dict[str, list[Loop]] = {}
    for loop in (*((resource.loop,) if resource.loop else ()), *loops_in(resource.properties)):
        for variable in loop.variables:
            loops.setdefault(variable, []).append(loop)
    found = [_Use(formula, origin, loops) for formula, origin, _ in presence_uses(resource)]
    for name, compiled in resource.properties.entries:
        if property is None or name == property:
            found += [_Use(formula, origin, loops) for formula, origin, _ in formulas_of(compiled)]
    return found


def _uses(compiled: Compiled | Condition | None) -> list[_Use]:
    loops: dict[str, list[Loop]] = {}
    for loop in loops_in(compiled) if compiled is not None and not isinstance(compiled, Condition) else ():
        for variable in loop.variables:
            loops.setdefault(variable, []).append(loop)
    return [_Use(formula, origin, loops) for formula, origin, _ in formulas_of(compiled)]


def _stepped(known: Type, path: tuple[str | int, ...]) -> Type:
    """What is known of a part."""
    for step in path:
        if known.is_only("list") and isinstance(step, int):
            if known.longest is None or known.longest > _FEW_ITEMS:
                return _ANYTHING  # whether it is there hangs on how long the list is
            known = known.items or _ANYTHING
        elif known.is_only("map") and known.fields is not None and str(step) in known.fields:
            known = known.fields[str(step)].type
        else:
            return _ANYTHING
    return known


_ANYTHING = Type()


def _is_closed(known: Type) -> bool:
    """Whether all values of a type can be listed, more or less."""
    if known.options is not None or known.is_only("bool"):
        return True
    if known.is_only("list"):
        return known.longest is not None and known.longest <= _FEW_ITEMS and known.items is not None and _is_closed(known.items)
    if known.is_only("map"):
        return known.fields is not None and known.others is None and all(_is_closed(each.type) for each in known.fields.values())
    return False


def _overlap(one: Span, other: Span) -> bool:
    if one.file != other.file:
        return False
    return (one.line, one.column) <= (other.end_line, other.end_column) and (other.line, other.column) <= (one.end_line, one.end_column)
