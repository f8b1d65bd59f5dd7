"""Settings that change nothing where they are set: left out, each environment that reads their file is deployed the same."""

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.matrix import compare
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Span, has_errors
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.layers import Layer, merged_values
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.rendering.overlays import MISSING, Behind, Overlay, trial_meter
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.templates.model import Constant, Declaration
from jovial_scaffold.core.text.unknown import UNKNOWN

SAME, UNREAD = "same", "unread"


@value_record
class Idle:
    """A setting: its parameter and place, in which environments it changes nothing, and why: it has the `same` value without it, or that value is
    `unread`, since nothing that is deployed hangs on it."""

    parameter: str
    span: Span
    environments: tuple[str, ...]
    reason: str


@value_record
class Layered:
    """An environment with the layers of its parameters; `without` renders it, and gives its parameters, under other layers, or nothing where
    something is wrong then."""

    label: str
    layers: tuple[Layer, ...]
    rendering: Evaluated
    without: Callable[[tuple[Layer, ...]], "tuple[Parameters, Callable[[], Evaluated]] | None"]


def idle_settings(environments: Iterable[Layered]) -> list[Idle]:
    """Those of files, by place; one entry for each reason. One that does something in an environment is none, whatever it does in others."""
    found: dict[tuple[str, Span], list[tuple[str, str]]] = {}
    needed: set[tuple[str, Span]] = set()
    for each in environments:
        for name, span, reason in _judged(each):
            if reason:
                found.setdefault((name, span), []).append((each.label, reason))
            else:
                needed.add((name, span))
    told = [
        Idle(name, span, tuple(label for label, why in held if why == reason), reason)
        for (name, span), held in found.items()
        if (name, span) not in needed
        for reason in dict.fromkeys(why for _, why in held)
    ]
    return sorted(told, key=lambda each: (each.span.file, each.span.line, each.parameter))


def _judged(each: Layered) -> Iterator[tuple[str, Span, str]]:
    """Each setting of an environment's files, with why it changes nothing, or nothing."""
    rendering, reached = each.rendering, _reached(each.rendering)
    meter = trial_meter(rendering)
    for number, layer in enumerate(each.layers):
        for name in layer.values:
            declaration = rendering.scope.template.parameters.get(name)
            now = rendering.parameters.values.get(name, UNKNOWN)
            span = layer.key_span((name,))
            if span is None or declaration is None or declaration.secret or deep_marks(now)[1]:
                continue  # whether a secret is what another layer has, nobody is told
            others = (*each.layers[:number], *each.layers[number + 1 :])
            value = _value(declaration, others, rendering)
            if value is UNKNOWN:
                yield name, span, ""
            elif value is not MISSING and same(value, now):
                yield name, span, SAME
            elif value is not MISSING and _does_something({name: value}, reached.get(name, ()), rendering, meter):
                yield name, span, ""
            else:  # nothing was found that it does, or its default has to be computed: then all of it has to be looked at
                found = each.without((*each.layers[:number], _left(layer, name), *each.layers[number + 1 :]))
                yield name, span, _reason(rendering, *found) if found is not None else ""


def _left(layer: Layer, name: str) -> Layer:
    return replace(layer, values={other: value for other, value in layer.values.items() if other != name})


def _value(declaration: Declaration, layers: tuple[Layer, ...], rendering: Evaluated) -> Any:
    """What a parameter is under some layers: UNKNOWN where it may not be so, MISSING where its default has to be computed."""
    name, checker = declaration.name, rendering.scope.plan.checker
    held = [replace(each, values={name: each.values[name]}) for each in layers if name in each.values]
    if not held:
        default = declaration.default
        if default is None:
            return UNKNOWN
        return checker.as_declared(declaration, default.value) if isinstance(default, Constant) else MISSING
    value = checker.as_declared(declaration, merged_values(held).get(name))
    return UNKNOWN if checker.violations(declaration, value) else value


def _reached(rendering: Evaluated) -> dict[str, list[tuple[str, str]]]:
    """By parameter, the properties that may be computed from it, as address and name."""
    behind = Behind(rendering)
    found: dict[str, list[tuple[str, str]]] = {}
    for address, resource in rendering.resources.items():
        for name in resource.properties:
            for parameter in behind.property(address, name):
                found.setdefault(parameter, []).append((address, name))
    return found


def _does_something(change: dict[str, Any], reached: Iterable[tuple[str, str]], rendering: Evaluated, meter: Meter) -> bool:
    """Whether one of some properties is not the same with another value."""
    overlay = Overlay(rendering, change, meter)
    return any(not same(overlay.property(address, name), rendering.resources[address].properties[name]) for address, name in reached)


def _reason(rendering: Evaluated, parameters: Parameters, rendered: Callable[[], Evaluated]) -> str:
    if same(dict(parameters.values), dict(rendering.parameters.values)) and parameters.defaulted == rendering.parameters.defaulted:
        return SAME  # a later file sets it
    other = rendered()
    if has_errors(other.findings) or compare([replace(rendering, label="with"), replace(other, label="without")], driven=False).differences:
        return ""
    names = rendering.scope.template.parameters
    return SAME if all(same(rendering.scope.value(name), other.scope.value(name)) for name in names) else UNREAD
