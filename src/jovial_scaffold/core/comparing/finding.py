"""Someone saw a value: where it comes from. Looks through rendered properties, outputs and documents; never at secrets."""

import ipaddress
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import Tracer
from jovial_scaffold.core.templates.compiling import written_span
from jovial_scaffold.core.text.source import Pointer, pointer_text, value_at

_NOT_WRITTEN = object()
HOW = ("equal", "part", "range")


@dataclass(frozen=True, slots=True)
class Hit:
    """A place that holds the text: `how` says whether it is the whole value, a part of it, or an address inside of a range.

    `kind` is property, catalog (a default of the type), output or document; `name` is its address, and `span` where it was written.
    """

    kind: str
    name: str
    value: str
    how: str
    environments: tuple[str, ...]
    span: Span | None
    sources: tuple[str, ...] = ()


def find(renderings: Sequence[Evaluated], text: str) -> list[Hit]:
    """All hits, whole values first; equal ones of several environments are one."""
    test = _test(text)
    merged: dict[tuple[str, str, str, str, Span | None], dict[str, tuple[str, ...]]] = {}
    for rendering in renderings:
        for hit in _hits(rendering, test, text):
            key = (hit.kind, hit.name, hit.value, hit.how, hit.span)
            merged.setdefault(key, {})[rendering.label] = hit.sources
    found = [
        Hit(*key[:4], tuple(environments), key[4], tuple(dict.fromkeys(place for places in environments.values() for place in places)))
        for key, environments in merged.items()
    ]
    return sorted(found, key=lambda hit: (HOW.index(hit.how), _width(hit), hit.kind != "property", hit.name, hit.value))


def _width(hit: Hit) -> int:
    """How wide a range is: the narrowest that holds an address says most about it."""
    network = _network(hit.value) if hit.how == "range" else None
    return network.max_prefixlen - network.prefixlen if network is not None else 0


def _test(text: str) -> Callable[[str], str]:
    """A function that says how a value holds the text, or nothing."""
    wanted = text.casefold()
    network = _network(text)

    def how(value: str) -> str:
        folded = value.casefold()
        if folded == wanted:
            return "equal"
        if wanted and wanted in folded:
            return "part"
        if network is not None:
            other = _network(value)
            if other is not None and other.version == network.version and other.overlaps(network):
                return "range"
        return ""

    return how


def _network(text: str) -> Any:
    if not text[:1].isalnum() or not ({".", ":"} & set(text)):
        return None
    try:
        return ipaddress.ip_network(text, strict=False)
    except ValueError:
        return None


def _hits(rendering: Evaluated, test: Callable[[str], str], text: str) -> Iterator[Hit]:
    environments = (rendering.label,)
    for address, resource in rendering.resources.items():
        tracer: Tracer | None = None
        for pointer, value in _texts(resource.effective, ()):
            how = test(value)
            if not how:
                continue
            tracer = tracer or Tracer(resource.instance.scope)
            written = value_at(resource.properties, pointer, _NOT_WRITTEN) is not _NOT_WRITTEN
            span = tracer.place(resource.instance, pointer) if written else resource.instance.resource.origin.key_span()
            sources = _sources(tracer, resource, pointer) if written else ()
            yield Hit("property" if written else "catalog", f"{address}:{pointer_text(pointer)}", value, how, environments, span, sources)
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
