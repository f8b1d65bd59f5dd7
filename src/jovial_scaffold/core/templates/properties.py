"""The properties of a resource by its schema before any environment: what is written out is judged, what is computed is not known."""

import json
from collections.abc import Iterator
from operator import itemgetter
from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.findings import Finding, Level
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import annotated
from jovial_scaffold.core.schemas.validation import as_written
from jovial_scaffold.core.templates.advice import foreign_placeholder
from jovial_scaffold.core.templates.compiling import is_there_once
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic, ListValue, MapValue, Resource
from jovial_scaffold.core.text.source import Origin, Pointer, pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Sentence, say


def check_properties(resource: Resource) -> Iterator[Finding]:
    """Unknown, missing, ill-typed, read-only and deprecated properties of a resource or a use of a module."""
    kind = resource.type
    if kind is None:
        return
    open_parts: set[Pointer] = set()
    written = _known(resource.properties, (), open_parts)
    notes: list[tuple[str, Pointer]] = []
    marked = annotated(kind.shape, written, (), notes)
    for note, pointer in notes:
        if note == "read-only":
            message = say("`{}` is set by the cloud and cannot be written.", pointer_text(pointer))
            yield _finding(resource, "read-only", "error", message, pointer, say("Remove it; read it from the resource."), True)
        elif note == "deprecated":
            message = say("`{}` of {} is deprecated.", pointer_text(pointer), kind.id)
            yield _finding(resource, "deprecated", "warning", message, pointer, NOTHING, True)
    read_only = {pointer for note, pointer in notes if note == "read-only"}
    repeating = dict.fromkeys(_repeating(resource.properties, (), kind.schema))
    for violation in kind.validator.violations(marked):
        repeating.pop(violation.pointer, None)
        # How many items or entries there are, and which, depends on conditions and loops, and on what may be absent.
        if violation.pointer in read_only or violation.pointer in open_parts:
            continue
        missing = violation.id == "missing"
        message = violation_message(violation.id, violation.pointer, violation.message, kind, resource.name)
        pointer = violation.pointer[:-1] if missing else violation.pointer
        yield _finding(resource, violation.id, "error", message, pointer, violation.hint, violation.on_key or missing, violation.pointer)

    for pointer in repeating:
        message = say("`{}` takes a list without repeated items, and this repeats one.", pointer_text(pointer))
        yield _finding(resource, "value", "error", message, pointer, NOTHING, False)


def _repeating(compiled: Compiled, pointer: Pointer, schema: Any) -> Iterator[Pointer]:
    """Lists of items that may not repeat, in which the same is written twice: whatever it turns out to be, it is there twice."""
    if isinstance(compiled, MapValue):
        for name, item in compiled.entries:
            if not isinstance(item, Constant):
                yield from _repeating(item, (*pointer, name), schema)
    elif isinstance(compiled, ListValue):
        texts = [text for item in compiled.items if (text := _text(item)) is not None]
        if len(set(texts)) < len(texts) and any(part.get("uniqueItems") is True for part in subschema(schema, pointer)):
            yield pointer
        for index, item in enumerate(compiled.items):
            yield from _repeating(item, (*pointer, index), schema)


def _text(compiled: Compiled) -> object:
    """What two items have in common that are written alike, and are there whatever happens; None for others."""
    if isinstance(compiled, Constant):
        try:
            return json.dumps(compiled.value, sort_keys=True)
        except TypeError:  # a part of it could not be read
            return None
    if isinstance(compiled, Dynamic) and isinstance(compiled.content, Formula):
        return compiled.content.program
    if isinstance(compiled, Dynamic) and isinstance(compiled.content, Joined):
        return tuple(part if isinstance(part, str) else part.program for part in compiled.content.parts)
    if isinstance(compiled, MapValue) and compiled.loop is None and compiled.when is None:
        texts = [(name, _text(item)) for name, item in sorted(compiled.entries, key=itemgetter(0))]
        return ("map", *texts) if all(text is not None for _, text in texts) else None
    return None


def violation_message(id: str, pointer: Pointer, message: Sentence, kind: ResourceType, name: str) -> Sentence:
    """What a schema says against a resource, as one sentence."""
    shown = say("`{}`", pointer_text(pointer) or name)
    if id == "unknown":
        return say("{} has no property {}.", kind.id, shown)
    if id == "missing":
        return say("{} requires {}, and `{}` does not set it.", kind.id, shown, name)
    return message.about(shown)


def _finding(
    resource: Resource,
    id: str,
    level: Level,
    message: Sentence,
    pointer: Pointer,
    hint: Sentence,
    on_key: bool,
    about: Pointer | None = None,
) -> Finding:
    origin = _place(resource, pointer)
    span = origin.key_span() if on_key or not pointer else origin.value_span()
    written = value_at(origin.source.value, origin.pointer) if not on_key and pointer else None
    hint = foreign_placeholder(written) or as_written(hint, origin.source.written(origin.pointer))
    return Finding(f"property-{id}", level, message, span, hint, resource.name, pointer_text(pointer if about is None else about))


def as_far_as_written(compiled: Compiled) -> tuple[Any, set[Pointer]]:
    """A value with what is computed unknown, and the parts of which nobody knows how many entries they have."""
    open_parts: set[Pointer] = set()
    return _known(compiled, (), open_parts), open_parts


def written_out(compiled: Compiled) -> Any:
    """A value as far as it is written out; unknown where it is computed."""
    return _known(compiled, (), set())


def _known(compiled: Compiled, pointer: Pointer, open_parts: set[Pointer]) -> Any:
    if isinstance(compiled, Constant):
        return compiled.value
    if isinstance(compiled, MapValue):
        if any(isinstance(item, Dynamic) and not is_there_once(item) for _, item in compiled.entries):
            open_parts.add(pointer)
        return {key: _known(item, (*pointer, key), open_parts) for key, item in compiled.entries}
    if isinstance(compiled, ListValue):
        if not all(map(is_there_once, compiled.items)):
            open_parts.add(pointer)
        return [_known(item, (*pointer, index), open_parts) for index, item in enumerate(compiled.items)]
    return UNKNOWN


def _place(resource: Resource, pointer: Pointer) -> Origin:
    """Where a part was written: in the resource, or in `everywhere`."""
    compiled: Compiled = resource.properties
    for depth, step in enumerate(pointer):
        if isinstance(compiled, MapValue):
            below = compiled.entry(str(step))
        elif isinstance(compiled, ListValue) and isinstance(step, int):
            below = compiled.items[step]
        else:
            return compiled.origin.child(*pointer[depth:])
        if below is None:
            return compiled.origin
        compiled = below
    return compiled.origin if pointer else resource.origin
