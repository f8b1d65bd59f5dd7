"""Where a person would mend a value: the line that it is copied from, or the expression that makes it of several.

A value is followed to what it selects (`sizes[setting]` is an entry of the table, `?:` one of its sides), and as long as it holds all that it
was made of: `${prefix}-net` holds `prefix`.
"""

from collections.abc import Mapping
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.noting import names_looked_up
from jovial_scaffold.core.rendering.tracing import Tracer
from jovial_scaffold.core.templates.inputs import CONTEXT
from jovial_scaffold.core.templates.model import Compiled, Dynamic
from jovial_scaffold.core.templates.selecting import Selection, entry, selected
from jovial_scaffold.core.text.source import Pointer, part

_STEPS = 100  # of one value, more than anybody follows


def cause_of(tracer: Tracer, instance: Instance, pointer: Pointer) -> Span | None:
    """Where the value of a property would be mended, if not where the property itself is written."""
    found = tracer.leaf(instance, pointer)
    if found.rest or not isinstance(found.compiled, Dynamic):
        return None
    if found.variables:
        return _cause(tracer, instance, pointer, found.compiled, found.variables)
    key = found.compiled.computing  # the same may stand in very many resources, each with other words around it
    if key not in tracer.causes:
        tracer.causes[key] = _cause(tracer, instance, pointer, found.compiled, found.variables)
    return tracer.causes[key]


def _cause(tracer: Tracer, instance: Instance, pointer: Pointer, compiled: Compiled, variables: Mapping[str, Any]) -> Span | None:
    scope: Surroundings = instance.scope
    span: Span | None = None
    rest: Pointer = ()
    for _ in range(_STEPS):
        if not isinstance(compiled, Dynamic):
            return span
        step = _selection(compiled, scope, variables, rest)
        if step is None and (read := _variables_read(compiled, variables)):
            # What a loop goes over is known by where its item comes from.
            related = tracer.related(tracer.sources(instance, pointer)) if span is None and len(read) == 1 else ()
            return related[0].span if len(related) == 1 and not _names(compiled, scope, variables) else span
        step = step or _followed(compiled, scope, variables, rest)
        if step is None:
            return span
        name, path = step
        rest = ()
        if name == CONTEXT:
            label = tracer.context_origin(f"{CONTEXT}.{path[0]}", path[1:]) if path else None
            return label.value_span() if label is not None else span
        if name in scope.template.values:
            compiled, rest = entry(scope.template.values[name].value, path)
            span = compiled.origin.value_span() if isinstance(compiled, Dynamic) else compiled.origin.child(*rest).value_span()
            variables = {}
        elif scope.use is not None:
            use = scope.use
            handed = use.resource.properties.entry(name)
            if handed is None:
                return span
            compiled, span, scope, variables, rest = handed, handed.origin.value_span(), use.scope, use.variables, path
        else:
            setting = scope.parameters.setting((name, *path))
            return (setting.span() if setting is not None else None) or span
    return span


def _selection(compiled: Dynamic, scope: Surroundings, variables: Mapping[str, Any], rest: Pointer) -> Selection | None:
    """The one name, and the part of it, that a value gives as it is, or holds as the only thing that is computed."""
    found = {selected(each.node, lambda node: evaluate(node, scope, variables), variables) for each in compiled.formulas()}
    only = next(iter(found)) if len(found) == 1 else None
    if only is None or not _is_followed(only[0], scope):
        return None
    return only[0], (*only[1], *rest)


def _variables_read(compiled: Compiled, variables: Mapping[str, Any]) -> set[str]:
    """The variables of loops that an expression reads."""
    formulas = compiled.formulas() if isinstance(compiled, Dynamic) else ()
    return {each.name for formula in formulas for each in formula.program.reads if each.name in variables}


def _names(compiled: Dynamic, scope: Surroundings, variables: Mapping[str, Any]) -> set[str] | None:
    """The names that a text was computed from; None where it has no value."""
    found: set[str] = set()
    for formula in compiled.formulas():
        names = names_looked_up(formula.node, scope, variables)
        if names is None:
            return None
        found |= names
    return found


def _followed(compiled: Dynamic, scope: Surroundings, variables: Mapping[str, Any], rest: Pointer) -> Selection | None:
    """The one name that a value, or the `rest` of it, was made of, and the part of it, where the value holds that part."""
    names = _names(compiled, scope, variables)
    if names is None or len(names) != 1:
        return None
    name = next(iter(names))
    if not _is_followed(name, scope):
        return None
    paths = {each.path for formula in compiled.formulas() for each in formula.program.reads if each.name == name}
    path = next(iter(paths)) if len(paths) == 1 else ()
    try:
        path = (*path, *rest)
        held, texts = _part(scope.value(name), path), _texts(compiled, scope, rest)
    except EvaluationError:
        return None
    return (name, path) if held and any(held in each for each in texts) else None


def _is_followed(name: str, scope: Surroundings) -> bool:
    return name in scope.template.values or name in scope.template.parameters or name == CONTEXT


def _part(value: Any, path: Pointer) -> str | None:
    for step in path:
        try:
            value = part(value.value if isinstance(value, Secret) else value, step)
        except KeyError:
            return None
    return _scalar(value)


def _texts(compiled: Dynamic, scope: Surroundings, rest: Pointer) -> list[str]:
    """What the expressions of a text come to, or a part of what its only one gives; nothing where one comes to no text."""
    if rest:
        whole = _part(compiled.content.program.run(scope, {}), rest) if isinstance(compiled.content, Formula) else None
        return [] if whole is None else [whole]
    texts = [_scalar(each.program.run(scope, {})) for each in compiled.formulas()]
    return [] if None in texts else [each for each in texts if each is not None]


def _scalar(value: Any) -> str | None:
    value = value.value if isinstance(value, Secret) else value
    return scalar_text(value) if isinstance(value, str | int | float) else None
