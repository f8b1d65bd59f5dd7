"""The properties of a resource by its schema before any environment: what is written out is judged, what is computed is not known."""

import json
from collections.abc import Callable, Iterable, Iterator, Sequence
from operator import itemgetter
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.findings import Finding, Level
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import annotated
from jovial_scaffold.core.schemas.validation import Validator, Violation, as_written, is_about_quoting
from jovial_scaffold.core.templates.advice import foreign_placeholder
from jovial_scaffold.core.templates.compiling import is_there_once
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic, ListValue, MapValue, Resource
from jovial_scaffold.core.text.source import Origin, Pointer, pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Sentence, say


class WrittenFault(NamedTuple):
    """What is wrong with a resource as it is written, wherever that stands: the id without its first word, what is said and what to do about
    it, the part that it is about, where it is shown, and whether at the key of that."""

    id: str
    level: Level
    message: Sentence
    hint: Sentence
    about: Pointer
    pointer: Pointer
    on_key: bool

    @property
    def is_of_keys(self) -> bool:
        """Whether every resource has it that has the same properties, whatever these are."""
        return self.on_key and len(self.about) == 1


def written_faults(resource: Resource) -> Iterator[WrittenFault]:
    """Unknown, missing, ill-typed, read-only and deprecated properties of a resource or a use of a module."""
    kind = resource.type
    if kind is not None:
        written, open_parts = as_far_as_written(resource.properties)
        repeating = _repeating(resource.properties, (), kind.schema)
        yield from _faults(kind, written, open_parts, repeating, kind.validator.violations)


def part_faults(kind: ResourceType, name: str, compiled: Compiled, validator: Validator, is_set: bool) -> Iterator[WrittenFault]:
    """What is wrong with one property, of which `validator` is the schema, whatever is written beside it; `is_set` says that it may take a
    list without repeated items."""
    open_parts: set[Pointer] = set()
    written = {name: _known(compiled, (name,), open_parts)}

    def violations(marked: Any) -> list[Violation]:
        return [replace(each, pointer=(name, *each.pointer)) for each in validator.violations(marked[name])]

    repeating = _repeating(compiled, (name,), kind.schema) if is_set else ()
    found = _faults(kind, written, open_parts, repeating, violations)
    return (fault for fault in found if not fault.is_of_keys)


def _faults(
    kind: ResourceType,
    written: dict[str, Any],
    open_parts: set[Pointer],
    repeating: Iterable[Pointer],
    violations: Callable[[Any], Sequence[Violation]],
) -> Iterator[WrittenFault]:
    notes: list[tuple[str, Pointer]] = []
    marked = annotated(kind.shape, written, (), notes)
    for note, pointer in notes:
        if note == "read-only":
            message = say("`{}` is set by the cloud and cannot be written.", pointer_text(pointer))
            yield WrittenFault("read-only", "error", message, say("Remove it; read it from the resource."), pointer, pointer, True)
        elif note == "deprecated":
            message = say("`{}` of {} is deprecated.", pointer_text(pointer), kind.id)
            yield WrittenFault("deprecated", "warning", message, NOTHING, pointer, pointer, True)
    read_only = {pointer for note, pointer in notes if note == "read-only"}
    left = dict.fromkeys(repeating)
    for violation in violations(marked):
        left.pop(violation.pointer, None)
        # How many items or entries there are, and which, depends on conditions and loops, and on what may be absent.
        if violation.pointer in read_only or violation.pointer in open_parts:
            continue
        missing = violation.id == "missing"
        pointer = violation.pointer[:-1] if missing else violation.pointer
        yield WrittenFault(
            violation.id, "error", violation.message, violation.hint, violation.pointer, pointer, violation.on_key or missing
        )
    for pointer in left:
        message = say("`{}` takes a list without repeated items, and this repeats one.", pointer_text(pointer))
        yield WrittenFault("value", "error", message, NOTHING, pointer, pointer, False)


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


def finding_of(resource: Resource, fault: WrittenFault) -> Finding:
    """What is said of a fault of a resource."""
    assert resource.type is not None
    message = violation_message(fault.id, fault.about, fault.message, resource.type, resource.name)
    origin, hint = _place(resource, fault.pointer), fault.hint
    span = origin.key_span() if fault.on_key or not fault.pointer else origin.value_span()
    if not fault.on_key and fault.pointer:
        hint = foreign_placeholder(value_at(origin.source.value, origin.pointer)) or hint
    if is_about_quoting(hint):
        hint = as_written(hint, origin.source.written(origin.pointer))
    return Finding(f"property-{fault.id}", fault.level, message, span, hint, resource.name, pointer_text(fault.about))


def as_far_as_written(compiled: Compiled) -> tuple[Any, set[Pointer]]:
    """A value with what is computed unknown, and the parts of which nobody knows how many entries they have."""
    open_parts: set[Pointer] = set()
    return _known(compiled, (), open_parts), open_parts


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


_ABSENT = object()


def _place(resource: Resource, pointer: Pointer) -> Origin:
    """Where a part was written: in the resource, or in `everywhere`."""
    own = resource.origin.child(*pointer)
    if value_at(own.source.value, own.pointer, _ABSENT) is not _ABSENT:
        return own
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
