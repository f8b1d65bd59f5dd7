"""What the schema of a type says against a resource, or that of a module's parameters against what it is given."""

from collections.abc import Iterator
from typing import Any, NamedTuple

from jovial_scaffold.core.findings import Finding, Related, Span, without_positions
from jovial_scaffold.core.rendering.causes import cause_of
from jovial_scaffold.core.rendering.computing import whole_doubles
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.shapes import known_violations, learn
from jovial_scaffold.core.rendering.tracing import Tracer, tracer_of
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import annotated, with_secrets
from jovial_scaffold.core.schemas.validation import Violation
from jovial_scaffold.core.templates.advice import advice, foreign_placeholder, of_computed
from jovial_scaffold.core.templates.model import Dynamic
from jovial_scaffold.core.templates.properties import violation_message
from jovial_scaffold.core.text.source import Origin, Pointer, part, pointer_text, value_at
from jovial_scaffold.core.words import NOTHING, Sentence, Value, key_of, say

_READ_ONLY = say("{name} is set by the cloud and cannot be written."), say("Remove it; read it from the resource.")

_NOWHERE, _WRITTEN = object(), object()
_SCALARS = frozenset((str, int, float, bool))


class Draft(NamedTuple):
    """What is said of all places where one text gives one wrong value; only their addresses and lines differ."""

    id: str
    message: Sentence
    hint: Sentence
    pointer: str
    related: tuple[Related, ...]
    group: str
    cause: Span | None


def judged(
    scope: Surroundings, instance: Instance, kind: ResourceType, properties: dict[str, Any], marked: dict[str, Any] | None = None
) -> tuple[tuple[Pointer, ...], dict[str, Any]]:
    """Report what the type's schema says against the properties; the pointers of what is at fault, and the properties with secrets marked.
    Where those are known as `marked`, nothing can be said but that they do not fit."""
    if scope.shared.meter.findings <= 0:
        return (), with_secrets(kind.shape, properties)
    notes: list[tuple[str, Pointer]] = []
    faults: list[Violation] = []
    is_wrong = marked is not None
    if marked is None:
        marked = annotated(kind.shape, properties, (), notes)  # so that no message can show a secret
        faults += [Violation("read-only", pointer, *_READ_ONLY, "", True) for note, pointer in notes if note == "read-only"]
        if kind.takes_integers:
            faults += _doubles(kind, properties)
    read_only = {fault.pointer for fault in faults}
    meant: list[Pointer] = []
    for violation in _violations(instance, kind, marked, is_wrong):
        if violation.pointer not in read_only:
            faults.append(violation)
            meant += [(*violation.pointer[:-1], each) for each in violation.meant]
    pointers = (*(fault.pointer for fault in faults), *meant)
    if not scope.shared.heard:
        return pointers, marked
    tracer = tracer_of(scope) if faults or notes else None
    sightings = scope.shared.sightings if scope.use is None and instance.resource.loop is None else None
    for fault in faults:
        assert tracer is not None
        origin = _written(fault, instance)
        if origin is None:
            scope.report(_finding(fault, instance, kind, tracer))
        elif sightings is None:
            scope.report(_of_written(fault, instance, kind, tracer, origin))
        else:
            sightings.append((instance.address, pointer_text(fault.pointer), f"property-{fault.id}"))
            scope.shared.meter.findings -= 1
    for note, pointer in notes:
        if note == "deprecated" and tracer is not None:
            scope.report(_deprecated(pointer, instance, kind, tracer))
    return pointers, marked


def _violations(instance: Instance, kind: ResourceType, marked: dict[str, Any], is_wrong: bool) -> list[Violation]:
    """All that is wrong with the properties; `is_wrong` says that something is, though they are plain data where they are known."""
    if not is_wrong or instance.computed is None:
        return kind.validator.violations(marked)
    code, values, constants = instance.computed
    found = known_violations(code, values, constants, kind.validator)
    if found is None:
        found = kind.validator.violations(marked, True)
        learn(code, values, kind.validator, found)
    return found


def _doubles(kind: ResourceType, properties: dict[str, Any]) -> Iterator[Violation]:
    """Doubles where the type takes an integer, which JSON Schema would let pass if they are whole."""
    for pointer in whole_doubles(properties):
        if any(each.get("type") == "integer" for each in subschema(kind.schema, pointer)):
            value: Any = properties
            for step in pointer:
                value = part(value, step)
            message = say("{name} takes an integer, and this gives the double {}.", Value(value))
            yield Violation("type", pointer, message, say("Write int(…) around the expression."), "an integer", False)


def _written(fault: Violation, instance: Instance) -> Origin | None:
    """Where a key, or a value that is written out in the resource itself, is at fault: it is mended where it stands. None of all others."""
    missing = fault.id == "missing"
    at = fault.pointer[:-1] if missing else fault.pointer
    resource, on_key = instance.resource, fault.on_key or missing
    if resource.module is not None or not all(type(step) is str for step in at):  # conditions and loops move the items of lists
        return None
    origin = resource.origin.child(*at)
    written = value_at(origin.source.value, origin.pointer, _NOWHERE)
    if missing:
        is_written = not at or type(written) is dict
    else:
        is_written = on_key or (type(written) in _SCALARS and "${" not in str(written))
    return origin if written is not _NOWHERE and is_written else None


def _of_written(fault: Violation, instance: Instance, kind: ResourceType, tracer: Tracer, origin: Origin) -> Finding:
    """What is said of it."""
    missing = fault.id == "missing"
    on_key = fault.on_key or missing
    draft = tracer.drafts.get((fault, _WRITTEN))
    if draft is None or missing:
        message = violation_message(fault.id, fault.pointer, fault.message, kind, instance.resource.name)
        where = pointer_text(fault.pointer)
        hint = (NOTHING if on_key else foreign_placeholder(value_at(origin.source.value, origin.pointer))) or fault.hint
        draft = Draft(f"property-{fault.id}", message, hint, where, (), f"{fault.id} {where} {key_of(fault.expected)}", None)
        tracer.drafts[fault, _WRITTEN] = draft
    span = origin.key_span() if on_key or not fault.pointer else origin.value_span()
    return _drafted(draft, instance, span)


def _drafted(draft: Draft, instance: Instance, span: Span) -> Finding:
    environments = (instance.scope.parameters.environment,)
    id, message, hint, pointer, related, group, cause = draft
    return Finding(id, "error", message, span, hint, instance.address, pointer, environments, related, group, cause=cause)


def _finding(fault: Violation, instance: Instance, kind: ResourceType, tracer: Tracer) -> Finding:
    missing = fault.id == "missing"
    at = fault.pointer[:-1] if missing else fault.pointer
    leaf = tracer.leaf(instance, at)
    computed = isinstance(leaf.compiled, Dynamic)
    inside = computed and (missing or bool(leaf.rest))  # then there is no key to point at
    span = tracer.place(instance, at, (fault.on_key or missing) and not inside)
    # One text may stand in very many resources, and give the same wrong value.
    alike = isinstance(leaf.compiled, Dynamic) and not (leaf.rest or leaf.variables or fault.on_key or missing or instance.resource.module)
    key = (fault, leaf.compiled.content if isinstance(leaf.compiled, Dynamic) else None)
    draft: Draft | None = tracer.drafts.get(key) if alike else None
    if draft is None:
        draft = _draft(fault, instance, kind, tracer, at)
        if alike:
            tracer.drafts[key] = draft
    return _drafted(draft, instance, span)


def _draft(fault: Violation, instance: Instance, kind: ResourceType, tracer: Tracer, at: Pointer) -> Draft:
    """What is said of a fault, wherever it stands."""
    missing = fault.id == "missing"
    message = violation_message(fault.id, fault.pointer, fault.message, kind, instance.resource.name)
    leaf = tracer.leaf(instance, at)
    computed = isinstance(leaf.compiled, Dynamic)
    related = tracer.related(tracer.sources(instance, at)) if not fault.on_key else ()
    module = instance.resource.module
    if module is not None and fault.id != "unknown" and fault.pointer and str(fault.pointer[0]) in module.template.parameters:
        declared = module.template.parameters[str(fault.pointer[0])]
        related = (*related, Related(declared.origin.key_span(), say("`{}` is declared here.", declared.name)))
    where = pointer_text(fault.pointer)
    # Items of what one expression gives are one mistake.
    group = f"{fault.id} {without_positions(where) if computed and leaf.rest else where} {key_of(fault.expected)}"
    hint = (advice(fault.id, leaf.compiled) if not (leaf.rest or fault.on_key or missing) else NOTHING) or fault.hint
    if computed:
        hint = of_computed(hint, fault.expected)
    cause = None if missing or fault.on_key else cause_of(tracer, instance, at)
    return Draft(f"property-{fault.id}", message, hint, where, related, group, cause)


def _deprecated(pointer: Pointer, instance: Instance, kind: ResourceType, tracer: Tracer) -> Finding:
    where = pointer_text(pointer)
    message = say("`{}` of {} is deprecated.", where, kind.id)
    span = tracer.place(instance, pointer, True)
    environments = (instance.scope.parameters.environment,)
    return Finding("property-deprecated", "warning", message, span, NOTHING, instance.address, where, environments)


def report_clashes(scope: Surroundings, instance: Instance, kind: ResourceType, properties: dict[str, Any]) -> None:
    """Items of a list that the same key identifies: nobody could tell them apart."""
    for pointer, key, value in kind.lists.clashes(properties) if scope.shared.heard else ():
        where = pointer_text(pointer)
        message = say("Two items of `{}` have the {} {}.", pointer_text(pointer[:-1]), key, Value(value))
        span = tracer_of(scope).place(instance, (*pointer, key))
        environments = (instance.scope.parameters.environment,)
        hint = say("Give one of them another {}.", key)
        scope.report(Finding("list-key-clash", "error", message, span, hint, instance.address, where, environments))
