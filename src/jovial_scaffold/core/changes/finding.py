"""Someone saw a value: where it comes from. Look through rendered properties, outputs and documents; never at secrets."""

import ipaddress
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from functools import cache
from posixpath import normpath
from typing import Any

from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import Tracer, tracer_of
from jovial_scaffold.core.schemas.shapes import Shape
from jovial_scaffold.core.templates.compiling import written_span
from jovial_scaffold.core.templates.model import Table
from jovial_scaffold.core.text.source import Pointer, pointer_text, value_at

_NOT_WRITTEN = object()
HOW = ("equal", "part", "range")
_SCALAR = frozenset("0123456789.+-einfatruls")  # what numbers and booleans are written with
_TEXT = {str}
_CONTAINERS = {dict, list}
_ADDRESS = regex(r"[0-9a-fA-F:][0-9a-fA-F.:]*(?:%[^/]+)?(?:/[0-9.]+)?\Z")


@value_record
class Hit:
    """A place that holds the text: `how` says whether it is the whole value, a part of it, or an address inside of a range.

    `kind` is property, catalog (a default of the type), output, document or table (a cell of facts that lookups choose from); `name` is its
    address, and `span` where it was written.
    """

    kind: str
    name: str
    value: str
    how: str
    environments: tuple[str, ...]
    span: Span | None
    sources: tuple[str, ...] = ()


@value_record
class SearchedView:
    """What was found in one view, with the errors that leave values unknown there."""

    view: str
    label: str
    hits: tuple[Hit, ...]
    errors: list[Finding]


@value_record
class Search:
    """All hits, and the errors of each view that was looked through."""

    hits: list[Hit]
    errors: dict[str, list[Finding]]


def numbered(found: Sequence[SearchedView]) -> list[SearchedView]:
    """The same with labels that differ: what is told apart by a secret only looks the same, and is another view all the same."""
    counts: dict[str, int] = {}
    result = []
    for each in found:
        count = counts[each.label] = counts.get(each.label, 0) + 1
        result.append(each if count == 1 else replace(each, label=f"{each.label} ({count})"))
    return result


def together(found: Sequence[SearchedView], others: Iterable[Hit] = ()) -> list[Hit]:
    """The hits of several views, and others, whole values first; equal ones are one."""
    merged: dict[tuple[str, str, str, str, Span | None], dict[str, tuple[str, ...]]] = {}
    for each in found:
        for hit in each.hits:
            merged.setdefault((hit.kind, hit.name, hit.value, hit.how, hit.span), {})[each.label] = hit.sources
    hits = [
        Hit(*key[:4], tuple(environments), key[4], tuple(dict.fromkeys(place for places in environments.values() for place in places)))
        for key, environments in merged.items()
    ]
    hits += others
    return sorted(hits, key=lambda hit: (HOW.index(hit.how), _width(hit), hit.kind == "table", hit.kind != "property", hit.name, hit.value))


def hits_in(rendering: Evaluated, sought: "TextSought") -> tuple[Hit, ...]:
    """The hits of one view."""
    return tuple(_hits(rendering, sought))


def hits_in_tables(tables: Iterable[Table], sought: "TextSought", environments: tuple[str, ...]) -> Iterator[Hit]:
    """The cells of tables that hold it, whether or not a lookup chooses their rows."""
    for table in tables:
        for number, row in enumerate(table.rows):
            for pointer, value in _texts(row, ()) if sought.may_be_among(row.values()) else ():
                if how := sought.how(value):
                    span = table.origin.child(number).child(*pointer).value_span()
                    yield Hit("table", f"{table.name} row {number + 1}:{pointer_text(pointer)}", value, how, environments, span)


class TextSought:
    """A text that is looked for in several views of one project."""

    def __init__(self, text: str) -> None:
        self.how = _test(text)
        self._wanted = text.casefold()
        self._is_network = _network(text) is not None
        self._may_be_scalar = set(self._wanted) <= _SCALAR
        self._last: Any = None  # a map or list that does not hold it
        self._defaults: dict[Shape, bool] = {}

    def may_be_among(self, values: Collection[Any]) -> bool:
        """Whether one of some values holds it, at any depth: all texts are looked through as one."""
        kinds = {*map(type, values)}
        if kinds == _TEXT:
            return self._is_in(values)
        texts = [value for value in values if type(value) is str]
        worth = kinds - _TEXT if self._may_be_scalar else kinds & _CONTAINERS
        waiting = [value for value in values if type(value) in worth] if worth else []
        last = self._last
        while waiting:
            value = waiting.pop()
            kind = type(value)
            if kind is str:
                texts.append(value)
            elif kind is dict or kind is list:
                if value is not self._last:  # one map may stand in very many resources
                    last = value
                    waiting += value.values() if kind is dict else value
            elif self._may_be_scalar and self._is_scalar(value):
                return True
        if self._is_in(texts):
            return True
        self._last = last
        return False

    def _is_scalar(self, value: Any) -> bool:
        return isinstance(value, bool | int | float) and bool(self.how(scalar_text(value)))

    def _is_in(self, texts: Collection[str]) -> bool:
        return self._wanted in "\n".join(texts).casefold() or (self._is_network and any(map(self.how, texts)))

    def may_be_within(self, lines: str) -> bool:
        """The same of texts that are given as one."""
        return self._is_network or self._wanted in lines.casefold()

    def may_be_default(self, shape: Shape) -> bool:
        """Whether a default of a type, at any depth, holds it."""
        if shape not in self._defaults:
            self._defaults[shape] = self.may_be_among([*_defaults(shape)])
        return self._defaults[shape]


def _width(hit: Hit) -> int:
    """How wide a range is: the narrowest that holds an address says most about it."""
    network = _network(hit.value) if hit.how == "range" else None
    return network.max_prefixlen - network.prefixlen if network is not None else 0


def _test(text: str) -> Callable[[str], str]:
    """A function that says how a value holds the text, or nothing."""
    wanted = text.casefold()
    network = _network(text)

    @cache
    def how(value: str) -> str:
        folded = value.casefold()
        if wanted in folded:
            return "equal" if folded == wanted else "part" if wanted else ""
        if network is not None:
            other = _network(value)
            if other is not None and other.version == network.version and other.overlaps(network):
                return "range"
        return ""

    return how


def _network(text: str) -> Any:
    if not _ADDRESS.match(text) or not ({".", ":"} & set(text)):
        return None
    try:
        return ipaddress.ip_network(text, strict=False)
    except ValueError:
        return None


def _hits(rendering: Evaluated, sought: TextSought) -> Iterator[Hit]:
    test = sought.how
    environments = (rendering.label,)
    for address, resource in rendering.resources.items():
        kind = resource.instance.resource.type
        if not sought.may_be_among(resource.properties.values()) and (kind is None or not sought.may_be_default(kind.shape)):
            continue
        tracer = tracer_of(resource.instance.scope)
        for pointer, value in _texts(resource.effective, ()):
            how = test(value)
            if not how:
                continue
            written = value_at(resource.properties, pointer, _NOT_WRITTEN) is not _NOT_WRITTEN
            span = tracer.place(resource.instance, pointer) if written else resource.instance.resource.origin.key_span()
            sources = _sources(tracer, resource, pointer) if written else ()
            named = resource.type.lists.keys(resource.effective, pointer) if resource.type is not None else pointer
            yield Hit("property" if written else "catalog", f"{address}:{pointer_text(named)}", value, how, environments, span, sources)
    for name, output in rendering.outputs.items():
        origin = rendering.scope.template.outputs[name]
        for pointer, value in _texts(output, ()):
            if how := test(value):
                address = rendering.scope.template.output_address(name)
                label = f"{address}:{pointer_text(pointer)}" if pointer else address
                yield Hit("output", label, value, how, environments, written_span(origin.value, pointer))
    for name, document in rendering.documents.items():
        for number, line in enumerate(document.text.splitlines(), 1):
            how = test(line.strip())
            if how in ("equal", "part"):
                span = document.document.origin.key_span()
                yield Hit("document", f"{name} line {number}", line.strip(), how, environments, span)


def _defaults(shape: Shape) -> Iterator[Any]:
    """The defaults of a type, at any depth."""
    waiting, seen = [shape], set()
    while waiting:
        shape = waiting.pop()
        if shape not in seen:
            seen.add(shape)
            waiting += shape.children()
            if shape.has_default:
                yield shape.default


def _sources(tracer: Tracer, resource: EvaluatedResource, pointer: Pointer) -> tuple[str, ...]:
    """The lines of parameter files behind a value."""
    related = tracer.related(tracer.sources(resource.instance, pointer))
    return tuple(f"{each.span.file}:{each.span.line}" for each in related)


def _texts(value: Any, pointer: Pointer) -> Iterator[tuple[Pointer, str]]:
    """Every leaf as people see it in a console; secrets are left out: whoever could search for them could guess them."""
    if isinstance(value, Secret):
        return
    if isinstance(value, dict):
        for key in sorted(value):
            yield from _texts(value[key], (*pointer, key))
    elif isinstance(value, list):
        for index, item in enumerate(value):
            yield from _texts(item, (*pointer, index))
    elif isinstance(value, str | bool | int | float):
        yield pointer, scalar_text(value)


def joined_hits(projects: Iterable[tuple[str, str, Sequence[Hit]]]) -> list[Hit]:
    """The hits of several projects, each with its name and its folder, as one list: what is the same in what they share is one hit, and
    environments are `PROJECT:ENVIRONMENT`."""
    found: dict[object, Hit] = {}
    for name, folder, hits in projects:
        for hit in hits:
            span = hit.span._replace(file=normpath(f"{folder}/{hit.span.file}")) if hit.span is not None else None
            sources = tuple(normpath(f"{folder}/{each}") for each in hit.sources)
            environments = tuple(f"{name}:{each}" for each in hit.environments)
            key = (hit.kind, hit.name, hit.value, hit.how, span, sources)
            before = found.get(key)
            together = (*before.environments, *environments) if before is not None else environments
            found[key] = replace(hit, span=span, sources=sources, environments=together)
    return list(found.values())
