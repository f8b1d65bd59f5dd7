"""Settings that change nothing where they are set: left out, each environment that reads their file is deployed the same."""

from collections.abc import Callable, Iterable, Iterator

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.matrix import compare
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Span, has_errors
from jovial_scaffold.core.parameters.layers import Layer
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.rendering.rendering import Evaluated

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
    for number, layer in enumerate(each.layers):
        for name in layer.values:
            span = layer.key_span((name,))
            declaration = each.rendering.scope.template.parameters.get(name)
            is_secret = declaration is not None and (declaration.secret or deep_marks(each.rendering.parameters.values.get(name))[1])
            if span is None or declaration is None or is_secret:
                continue  # whether a secret is what another layer has, nobody is told
            left = replace(layer, values={other: value for other, value in layer.values.items() if other != name})
            found = each.without((*each.layers[:number], left, *each.layers[number + 1 :]))
            yield name, span, _reason(each.rendering, *found) if found is not None else ""


def _reason(rendering: Evaluated, parameters: Parameters, rendered: Callable[[], Evaluated]) -> str:
    if same(dict(parameters.values), dict(rendering.parameters.values)) and parameters.defaulted == rendering.parameters.defaulted:
        return SAME  # a later file sets it
    other = rendered()
    if has_errors(other.findings) or compare([replace(rendering, label="with"), replace(other, label="without")], driven=False).differences:
        return ""
    names = rendering.scope.template.parameters
    return SAME if all(same(rendering.scope.value(name), other.scope.value(name)) for name in names) else UNREAD
