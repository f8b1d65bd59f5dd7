"""The names of a template as its expressions use them: what nobody declared, what nobody uses, what goes in circles."""

from collections.abc import Iterator
from dataclasses import replace

from jovial_scaffold.core.expressions.evaluation import unknown_function
from jovial_scaffold.core.expressions.functions import FUNCTIONS
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import Reference, bound_variables
from jovial_scaffold.core.expressions.syntax import Call, Node, children
from jovial_scaffold.core.findings import Finding, Level, Related, Span
from jovial_scaffold.core.templates.compiling import formulas_of, loops_in
from jovial_scaffold.core.templates.model import Constant, Declaration, Named, Output, Requirement, Resource, Template
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.wording import did_you_mean, near

_TYPE_NAMES = frozenset(("int", "uint", "double", "string", "bytes", "bool", "list", "map", "null_type", "type", "optional_type"))
Use = tuple[Formula, Origin, tuple[str, ...]]


def check_names(template: Template, draft: bool = False) -> list[Finding]:
    """Findings about names; unused ones are warnings, or notes in a draft."""
    findings: list[Finding] = []
    used: set[str] = set()  # also what a misspelt name was meant to be: one mistake gives one finding
    known = _known(template)
    for owner, uses in _owners(template):
        visible = _visible(template, owner, known)
        for formula, origin, variables in uses:
            used |= _check_use(template, formula, origin, variables, visible, known, findings)
    for resource in template.resources.values():
        used |= {name for name, _ in resource.after}
        findings += _shadowing_loops(resource, known)
        findings += _check_after(template, resource)
    if not template.unread:
        level: Level = "note" if draft else "warning"
        findings += _unused(template, used | template.unknown_names, level)
    return [*findings, *_value_cycles(template)]


def _known(template: Template) -> frozenset[str]:
    return frozenset((*template.parameters, *template.values, *template.resources, "context"))


def _owners(template: Template) -> Iterator[tuple[Declaration | Requirement | Named | Resource | Output, list[Use]]]:
    for declaration in template.parameters.values():
        yield declaration, formulas_of(declaration.default)
        for requirement in declaration.must:
            yield requirement, formulas_of(requirement.require) + formulas_of(requirement.message)
    for requirement in template.must:
        yield requirement, formulas_of(requirement.require) + formulas_of(requirement.message)
    for value in template.values.values():
        yield value, formulas_of(value.value)
    for resource in template.resources.values():
        yield resource, resource_uses(resource)
    for output in template.outputs.values():
        yield output, formulas_of(output.value)


def resource_uses(resource: Resource) -> list[Use]:
    """Every expression of a resource, its directives first, with the loop variables it sees."""
    variables = resource.loop.variables if resource.loop else ()
    uses = formulas_of(resource.loop.over) if resource.loop else []
    uses += formulas_of(resource.when, variables) + formulas_of(resource.key, variables)
    return uses + formulas_of(resource.properties, variables)


def _visible(template: Template, owner: object, known: frozenset[str]) -> frozenset[str]:
    # Defaults and `must` come before `let` and resources: they see parameters and the context alone.
    if isinstance(owner, Declaration | Requirement):
        return frozenset((*template.parameters, "context"))
    return known


def _check_use(
    template: Template,
    formula: Formula,
    origin: Origin,
    variables: tuple[str, ...],
    visible: frozenset[str],
    known: frozenset[str],
    findings: list[Finding],
) -> set[str]:
    def report(id: str, message: str, start: int, end: int, hint: str) -> None:
        findings.append(Finding(id, "error", message, origin.inner_span(formula.offset + start, formula.offset + end), hint))

    used = set()
    for reference in formula.program.reads:
        if reference.name in variables:
            continue
        used.add(reference.name)
        if reference.name in visible or reference.name in template.unknown_names or (reference.name in _TYPE_NAMES and reference.alone):
            continue
        if template.unread:
            continue
        if reference.name in known:
            hint = "Defaults and `must` are judged before values and resources exist; they see parameters and context."
            report("name-out-of-scope", f"`{reference.name}` cannot be used here.", reference.start, reference.end, hint)
        else:
            hint = _unknown_hint(reference, {*visible, *variables}, template)
            used.add(near(reference.name, (*visible, *variables)))
            report("name-unknown", f"Nothing is called `{reference.name}`.", reference.start, reference.end, hint)
    for variable, macro in bound_variables(formula.node):
        if variable in known or variable in variables:
            report(
                "name-shadowed",
                f"The variable `{variable}` of {macro.name}() hides what is declared under that name.",
                macro.start,
                macro.end,
                "Give the variable another name.",
            )
    for call in _unknown_calls(formula.node):
        error = unknown_function(call)
        report(error.id, error.message, error.start, error.end, error.hint)
    return used


def _unknown_hint(reference: Reference, names: set[str], template: Template) -> str:
    if reference.name in template.outputs:
        return "It is an output; outputs are read from outside only."
    return did_you_mean(reference.name, names, "Declare it under `parameters` or `let`.")


def _unknown_calls(node: Node) -> Iterator[Call]:
    stack = [node]
    while stack:
        current = stack.pop()
        if isinstance(current, Call) and (current.function, current.target is not None) not in FUNCTIONS:
            yield current
        stack.extend(children(current))


def _shadowing_loops(resource: Resource, known: frozenset[str]) -> Iterator[Finding]:
    for loop in ([resource.loop] if resource.loop else []) + loops_in(resource.properties):
        for variable in loop.variables:
            if variable in known:
                message = f"The loop variable `{variable}` hides what is declared under that name."
                yield Finding(
                    "name-shadowed", "error", message, loop.over.origin.key_span(), "Give the variable another name.", resource.name
                )


def _check_after(template: Template, resource: Resource) -> Iterator[Finding]:
    for name, origin in resource.after:
        if name not in template.resources and name not in template.unknown_names and not template.unread:
            hint = did_you_mean(name, template.resources, "`$after` names resources of this template.")
            yield Finding("name-unknown", "error", f"No resource is called `{name}`.", origin.value_span(), hint)


def _unused(template: Template, used: set[str], level: Level) -> Iterator[Finding]:
    for declaration in template.parameters.values():
        if declaration.name not in used:
            hint = "Use it, or remove its declaration and its values."
            yield Finding(
                "parameter-unused", level, f"The parameter `{declaration.name}` is used nowhere.", declaration.origin.key_span(), hint
            )
    for value in template.values.values():
        if value.name not in used:
            yield Finding(
                "value-unused", level, f"The value `{value.name}` is used nowhere.", value.origin.key_span(), "Use it, or remove it."
            )


def _value_cycles(template: Template) -> Iterator[Finding]:
    reads = {
        name: sorted({r.name for f, _, _ in formulas_of(value.value) for r in f.program.reads if r.name in template.values})
        for name, value in template.values.items()
    }
    for loop in cycles(reads):
        origins = [template.values[name].origin for name in loop]
        path = " → ".join(f"`{name}`" for name in (*loop, loop[0]))
        related = tuple(
            Related(origin.key_span(), f"`{name}` reads `{following}`.")
            for name, origin, following in zip(loop[1:], origins[1:], (*loop[2:], loop[0]), strict=True)
        )
        yield Finding(
            "value-cycle",
            "error",
            f"Values depend on each other in a circle: {path}.",
            origins[0].key_span(),
            "Take one of them out of the circle.",
            related=related,
        )


def without_cycles(template: Template) -> Template:
    """The template with the values that go in circles made unknown, so that evaluating them is safe and silent."""
    reads = {
        name: [r.name for f, _, _ in formulas_of(value.value) for r in f.program.reads if r.name in template.values]
        for name, value in template.values.items()
    }
    broken = {name for loop in cycles(reads) for name in loop}
    if not broken:
        return template
    values = {
        name: replace(value, value=Constant(UNKNOWN, value.origin)) if name in broken else value for name, value in template.values.items()
    }
    return replace(template, values=values)


def cycles(edges: dict[str, list[str]]) -> list[list[str]]:
    """Each circle of a graph once, as the names along it, beginning with the least; disjoint circles are all found."""
    found: list[list[str]] = []
    state: dict[str, int] = {}
    for start in sorted(edges):
        if state.get(start):
            continue
        path: list[str] = []
        stack: list[tuple[str, Iterator[str]]] = [(start, iter(edges[start]))]
        state[start] = 1
        path.append(start)
        while stack:
            node, following = stack[-1]
            for target in following:
                if target not in edges:
                    continue
                if state.get(target) == 1:
                    loop = path[path.index(target) :]
                    least = loop.index(min(loop))
                    found.append(loop[least:] + loop[:least])
                elif not state.get(target):
                    state[target] = 1
                    path.append(target)
                    stack.append((target, iter(edges[target])))
                    break
            else:
                state[node] = 2
                path.pop()
                stack.pop()
    return [list(loop) for loop in dict.fromkeys(map(tuple, found))]


def reached_resources(template: Template) -> dict[str, frozenset[str]]:
    """For each resource, the resources that it reads or waits for: directly, or through values. Independent of environments."""
    direct: dict[str, set[str]] = {}
    for owner, uses in _owners(template):
        if isinstance(owner, Named | Resource):
            direct[owner.name] = {r.name for f, _, variables in uses for r in f.program.reads if r.name not in variables}
    return {name: _through_values(template, direct, name) for name in template.resources}


def _through_values(template: Template, direct: dict[str, set[str]], name: str) -> frozenset[str]:
    found: set[str] = set()
    seen: set[str] = set()
    waiting = list(direct[name])
    while waiting:
        reached = waiting.pop()
        if reached in template.resources:
            found.add(reached)
        elif reached in template.values and reached not in seen:
            seen.add(reached)
            waiting.extend(direct[reached])
    found |= {target for target, _ in template.resources[name].after if target in template.resources}
    return frozenset(found)


def resource_cycles(template: Template, reached: dict[str, frozenset[str]]) -> tuple[list[Finding], frozenset[str]]:
    """Resources that wait for each other, as findings, and the names of all that do. Items of one loop are judged apart."""
    edges = {name: sorted(targets - ({name} if template.resources[name].loop else set())) for name, targets in reached.items()}
    loops = cycles(edges)
    findings = []
    for loop in loops:
        steps = list(zip(loop, (*loop[1:], loop[0]), strict=True))
        path = " → ".join(f"`{name}`" for name in (*loop, loop[0]))
        spans = [_reference_span(template, name, target) for name, target in steps]
        related = tuple(Related(span, f"`{name}` needs `{target}`.") for span, (name, target) in list(zip(spans, steps, strict=True))[1:])
        hint = "Take one of the references out, so that one of them can be made first."
        findings.append(
            Finding(
                "resource-cycle",
                "error",
                f"Resources wait for each other in a circle: {path}.",
                spans[0],
                hint,
                address=loop[0],
                related=related,
            )
        )
    return findings, frozenset(name for loop in loops for name in loop)


def reads_run(template: Template) -> bool:
    """Whether an expression reads `context.run`, so that whoever renders must find out date, revision and author."""
    uses = [use for _, uses in _owners(template) for use in uses]
    return any(r.name == "context" and r.path[:1] in ((), ("run",)) for formula, _, _ in uses for r in formula.program.reads)


def _reference_span(template: Template, name: str, target: str) -> Span:
    """Where a resource names what it waits for: the reference itself, or the value through which it goes."""
    resource = template.resources[name]
    for waited, origin in resource.after:
        if waited == target:
            return origin.value_span()
    values = {value.name for value in template.values.values() if target in _value_reach(template, value.name)}
    for formula, origin, _ in resource_uses(resource):
        for reference in formula.program.reads:
            if reference.name == target or reference.name in values:
                return origin.inner_span(formula.offset + reference.start, formula.offset + reference.end)
    return resource.origin.key_span()


def _value_reach(template: Template, name: str) -> frozenset[str]:
    seen: set[str] = set()
    waiting = [name]
    while waiting:
        current = waiting.pop()
        if current not in seen:
            seen.add(current)
            if current in template.values:
                waiting += [r.name for f, _, _ in formulas_of(template.values[current].value) for r in f.program.reads]
    return frozenset(seen)
