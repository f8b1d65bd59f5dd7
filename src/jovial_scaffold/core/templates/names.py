"""The names of a template as its expressions use them: what nobody declared, what nobody uses, what goes in circles.

It is long because names are judged, followed and put in order by the same walk over what declares and reads them.
"""

from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from itertools import chain
from typing import NamedTuple

from jovial_scaffold.core.expressions.evaluation import unknown_function
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.expressions.syntax import Call, Macro, Name, Node, nodes
from jovial_scaffold.core.findings import Finding, Level, Related, Span
from jovial_scaffold.core.limits import FUNCTION_CALLS
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.spelling import Speller, near
from jovial_scaffold.core.templates.compiling import formulas_of, loops_in, presence_uses, uses_of
from jovial_scaffold.core.templates.model import (
    Condition,
    Constant,
    Declaration,
    Document,
    Function,
    Lookup,
    Named,
    Output,
    Requirement,
    Resource,
    ResourceShape,
    Template,
    Use,
)
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Amount, Sentence, nearest, say

_TYPE_NAMES = frozenset(("int", "uint", "double", "string", "bytes", "bool", "list", "map", "null_type", "type", "optional_type"))


Owner = Declaration | Requirement | Named | Function | Lookup | Resource | Document | Output


class _Owned(NamedTuple):
    """What a declaration reads. `narrowed` are the only names that it sees, where those are fewer than all of the template."""

    owner: Owner
    uses: Sequence[Use]
    narrowed: frozenset[str] | None = None


def check_names(template: Template, draft: bool = False, read_elsewhere: frozenset[str] = frozenset()) -> list[Finding]:
    """Findings about names; unused ones are warnings, or notes in a draft. Parameters that are `read_elsewhere` (by rules) are used."""
    findings: list[Finding] = []
    used: set[str] = set(read_elsewhere)  # also what a misspelt name was meant to be: one mistake gives one finding
    known = template.names | {"context"}
    spellers = {known: Speller(known)}
    for owner, uses, narrowed in _owners(template):
        visible = known if narrowed is None else narrowed
        speller = spellers.setdefault(visible, Speller(visible))
        for formula, origin, variables in uses:
            used |= _check_use(template, formula, origin, variables, visible, known, findings, owner, speller)
        if isinstance(owner, Document) and owner.narrowed is None:
            used |= _may_miss(owner)
    for resource in template.resources.values():
        for formula, origin, variables in _uses_to_check(resource, known, used):
            used |= _check_use(template, formula, origin, variables, known, known, findings, resource, spellers[known])
        if resource.loop is not None or not resource.shape.is_whole:
            findings += _shadowing_loops(resource, known)
        if resource.keep is not None:
            findings += _check_keep(template, resource.keep)
        if resource.after:
            used |= {name for name, _ in resource.after}
            findings += _check_after(template, resource)
    if not template.unread:
        level: Level = "note" if draft else "warning"
        findings += _unused(template, used | template.unknown_names | template.garbled, level)
    return [*findings, *_value_cycles(template), *_function_cycles(template)]


def _check_keep(template: Template, keep: Condition) -> list[Finding]:
    """`$keep` holds as recorded: what it reads has to be there before anything is."""
    findings = []
    for formula, origin, _ in formulas_of(keep):
        for each in formula.program.reads:
            if each.name in template.resources or each.name in template.documents:
                message = say("`$keep` is decided by parameters and values, and `{}` is {}.", each.name, _kind(template, each.name))
                span = origin.inner_span(formula.offset + each.start, formula.offset + each.end)
                findings.append(Finding("condition-undecidable", "error", message, span, say("Decide by a parameter.")))
    return findings


def _kind(template: Template, name: str) -> str:
    return "a resource" if name in template.resources else "a document"


def _all_owners(template: Template) -> Iterator[_Owned]:
    yield from _owners(template)
    for resource in template.resources.values():
        yield _Owned(resource, uses_of(resource))


def _resources_reading(template: Template, name: str) -> Iterator[_Owned]:
    """The resources that may read a name: of most, the shape says that they do not."""
    for resource in template.resources.values():
        names = names_by_shape(resource)
        yield _Owned(resource, uses_of(resource) if names is None or name in names else _directive_uses(resource))


def readings(template: Template, name: str) -> Iterator[tuple[Origin, int, int]]:
    """Where a template reads a name: the text that holds the expression, and the characters of the name in that."""
    for owner, uses, narrowed in chain(_owners(template), _resources_reading(template, name)):
        if narrowed is not None and (name not in narrowed or isinstance(owner, Document)):
            continue  # names of its own
        if isinstance(owner, Document) and owner.narrowed is None:
            for placeholder in owner.placeholders:
                if placeholder.formula.text == name and (placeholder.otherwise is not None or placeholder.complaint is not None):
                    yield owner.file, placeholder.formula.offset, placeholder.formula.offset + len(name)
        for formula, origin, variables in uses:
            if name in formula.program.names and name not in variables:
                for each in formula.program.reads:
                    if each.name == name:
                        yield origin, formula.offset + each.start, formula.offset + each.start + len(name)


def speaks_of(template: Template, name: str) -> bool:
    """Whether an expression of a template reads or calls something of a name, or has a variable of it."""
    if any(name in resource.variables for resource in template.resources.values()):
        return True
    for owner, uses, narrowed in chain(_owners(template), _resources_reading(template, name)):
        if isinstance(owner, Document) and narrowed is not None and name in narrowed:
            return True
        for formula, _, variables in uses:
            if name in variables or (name in formula.text and any(_is_of(node, name) for node in nodes(formula.node))):
                return True
    return False


def _is_of(node: Node, name: str) -> bool:
    if isinstance(node, Name):
        return node.name == name
    return (isinstance(node, Call) and node.function == name) or (isinstance(node, Macro) and name in node.variables)


def all_formulas(template: Template) -> Iterator[tuple[Formula, Origin]]:
    """Every expression of a template, and where it stands."""
    for _, uses, _ in _all_owners(template):
        for formula, origin, _ in uses:
            yield formula, origin


def _uses_to_check(resource: Resource, known: frozenset[str], used: set[str]) -> list[Use]:
    """The expressions of a resource whose names need a look; where its shape says that all is well, what it reads is used."""
    names = names_by_shape(resource)
    if names is None or not known.issuperset(names):
        return uses_of(resource)
    used.update(names)
    return _directive_uses(resource)


def _directive_uses(resource: Resource) -> list[Use]:
    """The expressions of a resource's directives."""
    if resource.loop is None and resource.when is None and resource.keep is None:
        return []  # as most are
    return presence_uses(resource) + formulas_of(resource.keep)


def names_by_shape(resource: Resource) -> Collection[str] | None:
    """The names that a resource's properties read, where its shape says them all."""
    shape, constants = resource.shape, resource.constants
    if not (shape.is_whole and shape.is_simple):
        return None
    return [*shape.reads, *[constants[index] for index, _ in shape.holes]] if shape.holes else shape.reads


def _owners(template: Template) -> Iterator[_Owned]:
    """All but resources."""
    # Defaults and `must` come before `let` and resources: they see parameters and the context alone. A function sees its arguments.
    early = frozenset((*template.parameters, "context"))
    for declaration in template.parameters.values():
        yield _Owned(declaration, formulas_of(declaration.default), early)
        for requirement in declaration.must:
            yield _Owned(requirement, formulas_of(requirement.require) + formulas_of(requirement.message), early)
    for requirement in template.must:
        yield _Owned(requirement, formulas_of(requirement.require) + formulas_of(requirement.message), early)
    for value in template.values.values():
        yield _Owned(value, formulas_of(value.value))
    for function in template.functions.values():
        yield _Owned(function, formulas_of(function.body, tuple(function.takes)), frozenset())
        for call, _, _ in function.examples:
            yield _Owned(function, formulas_of(call), frozenset())
    for lookup in template.lookups.values():
        yield _Owned(lookup, formulas_of(lookup.where, ("row",)) + formulas_of(lookup.newest, ("row",)))
    for document in template.documents.values():
        narrowed = None if document.narrowed is None else frozenset(document.narrowed)
        yield _Owned(document, content_uses(document), narrowed)
        given = [] if document.narrowed is None else list(document.narrowed.values())
        yield _Owned(document, [use for each in (*given, document.to) for use in formulas_of(each)])
    for output in template.outputs.values():
        yield _Owned(output, formulas_of(output.value))


def content_uses(document: Document) -> list[Use]:
    """The expressions in the text of a document; a name that may be missing there is none of them."""
    return [(each.formula, document.file, ()) for each in document.placeholders if each.otherwise is None and each.complaint is None]


def _may_miss(document: Document) -> set[str]:
    return {each.formula.text for each in document.placeholders if each.otherwise is not None or each.complaint is not None}


def _check_use(
    template: Template,
    formula: Formula,
    origin: Origin,
    variables: tuple[str, ...],
    visible: frozenset[str],
    known: frozenset[str],
    findings: list[Finding],
    owner: Owner,
    speller: Speller,
) -> frozenset[str] | set[str]:
    program = formula.program
    if program.is_simple:  # as most are
        names = program.names if not variables else program.names.difference(variables)
        if names <= visible:
            return names

    def report(id: str, message: Sentence, start: int, end: int, hint: Sentence) -> None:
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
            hint = _out_of_scope(owner)
            report("name-out-of-scope", say("`{}` cannot be used here.", reference.name), reference.start, reference.end, hint)
        else:
            meant = near(reference.name, variables)
            hint = _unknown_hint(reference, Speller(variables) if meant else speller, template, owner)
            used.add(meant or speller.near(reference.name))
            report("name-unknown", say("Nothing is called `{}`.", reference.name), reference.start, reference.end, hint)
    for variable, macro in formula.program.bound:
        if variable in known or variable in variables:
            report(
                "name-shadowed",
                say("The variable `{}` of {}() hides what is declared under that name.", variable, macro.name),
                macro.start,
                macro.end,
                say("Give the variable another name."),
            )
    for call in formula.program.own_calls:
        if call.target is None and call.function in template.functions:
            used.add(call.function)
            continue
        if call.function in template.unknown_names or template.unread:
            continue
        error = unknown_function(call, template.functions)
        used.add(near(call.function, template.functions))
        report(error.id, error.message, error.start, error.end, error.hint)
    return used


def _out_of_scope(owner: Owner) -> Sentence:
    if isinstance(owner, Function):
        return say("A function sees its arguments and other functions; hand the value in as an argument.")
    if isinstance(owner, Document):
        return say("The document's `with` names all that its text may use; add it there.")
    return say("Defaults and `must` are judged before values and resources exist; they see parameters and context.")


def _unknown_hint(reference: Reference, names: Speller, template: Template, owner: Owner) -> Sentence:
    if reference.name in template.outputs:
        return say("It is an output; outputs are read from outside only.")
    if isinstance(owner, Function) or (isinstance(owner, Document) and owner.narrowed is not None):
        return nearest(reference.name, names, _out_of_scope(owner))
    return nearest(reference.name, names, say("Declare it under `parameters` or `let`."))


def _shadowing_loops(resource: Resource, known: frozenset[str]) -> Iterator[Finding]:
    below = [] if resource.shape.is_whole else loops_in(resource.properties)
    for loop in [resource.loop, *below] if resource.loop is not None else below:
        for variable in loop.variables:
            if variable in known:
                message = say("The loop variable `{}` hides what is declared under that name.", variable)
                yield Finding(
                    "name-shadowed", "error", message, loop.over.origin.key_span(), say("Give the variable another name."), resource.name
                )


def _check_after(template: Template, resource: Resource) -> Iterator[Finding]:
    for name, origin in resource.after:
        if name not in template.resources and name not in template.unknown_names and not template.unread:
            hint = nearest(name, template.resources, say("`$after` names resources of this template."))
            yield Finding("name-unknown", "error", say("No resource is called `{}`.", name), origin.value_span(), hint)


def _unused(template: Template, used: set[str], level: Level) -> Iterator[Finding]:
    for declaration in template.parameters.values():
        if declaration.name not in used:
            hint = say("Use it, or remove its declaration and its values.")
            yield Finding(
                "parameter-unused", level, say("The parameter `{}` is used nowhere.", declaration.name), declaration.origin.key_span(), hint
            )
    kinds: tuple[tuple[str, Iterable[Named | Function | Lookup | Document]], ...] = (
        ("value", template.values.values()),
        ("function", template.functions.values()),
        ("lookup", template.lookups.values()),
        ("document", (each for each in template.documents.values() if each.to is None)),
    )
    for kind, declared in kinds:
        for each in declared:
            if each.name not in used:
                hint = (
                    say("Use it, or remove it.") if kind != "document" else say("Say with `to` where it is written, use it, or remove it.")
                )
                yield Finding(f"{kind}-unused", level, say("The {} `{}` is used nowhere.", kind, each.name), each.origin.key_span(), hint)
    for name, origin in template.types.items():
        if name not in template.used_types:
            message = say("The type `{}` is used nowhere.", name)
            yield Finding("type-unused", level, message, origin.key_span(), say('Refer to it with $ref: "#/types/{}", or remove it.', name))


def _named_reads(template: Template) -> dict[str, list[str]]:
    """For each value, lookup and document, those that it reads itself."""
    nodes = template.values.keys() | template.lookups.keys() | template.documents.keys()
    reads: dict[str, set[str]] = {name: set() for name in nodes}
    for owner, uses, narrowed in _owners(template):
        if isinstance(owner, Named | Lookup | Document) and (narrowed is None or isinstance(owner, Lookup)):
            reads[owner.name] |= {
                r.name for f, _, variables in uses for r in f.program.reads if r.name in nodes and r.name not in variables
            }
        if isinstance(owner, Document) and owner.narrowed is None:
            reads[owner.name] |= _may_miss(owner) & nodes
    return {name: sorted(found) for name, found in sorted(reads.items())}


def _value_cycles(template: Template) -> Iterator[Finding]:
    for loop in cycles(_named_reads(template)):
        origins = [_origin(template, name) for name in loop]
        path = " → ".join(f"`{name}`" for name in (*loop, loop[0]))
        related = tuple(
            Related(origin.key_span(), say("`{}` reads `{}`.", name, following))
            for name, origin, following in zip(loop[1:], origins[1:], (*loop[2:], loop[0]), strict=len(loop) > 1)
        )
        yield Finding(
            "value-cycle",
            "error",
            say("Values depend on each other in a circle: {}.", path),
            origins[0].key_span(),
            say("Take one of them out of the circle."),
            related=related,
        )


def _origin(template: Template, name: str) -> Origin:
    found = template.values.get(name) or template.lookups.get(name) or template.documents[name]
    return found.origin


def _function_calls(template: Template) -> dict[str, list[str]]:
    return {
        name: sorted({call.function for f, _, _ in formulas_of(function.body) for call in f.program.own_calls if call.target is None})
        for name, function in template.functions.items()
    }


def _function_cycles(template: Template) -> Iterator[Finding]:
    for loop in cycles(_function_calls(template)):
        path = " → ".join(f"`{name}`" for name in (*loop, loop[0]))
        span = template.functions[loop[0]].origin.key_span()
        yield Finding(
            "function-cycle",
            "error",
            say("Functions call each other in a circle: {}.", path),
            span,
            say("There is no recursion; use a loop."),
        )
    exploding = _exploding(template)
    calls = _function_calls(template)
    for name in sorted(each for each in exploding if not exploding & set(calls[each])):  # the first of each chain
        span = template.functions[name].origin.key_span()
        message = say("A call of `{}` takes more than {} {}.", name, Amount(FUNCTION_CALLS.most), FUNCTION_CALLS.unit)
        yield Finding(
            FUNCTION_CALLS.finding,
            "error",
            message,
            span,
            say("Functions that call others twice double at every step; name the result once."),
        )


def _exploding(template: Template) -> set[str]:
    """Functions that call others which call others, each several times, until it is too much."""
    counts: dict[str, int] = {}
    calls = {
        name: [
            call.function for f, _, _ in formulas_of(function.body) for call in f.program.own_calls if call.function in template.functions
        ]
        for name, function in template.functions.items()
    }
    circling = {name for loop in cycles(_function_calls(template)) for name in loop}
    open_calls = {name: {each for each in called if each not in circling} for name, called in calls.items()}
    callers: dict[str, list[str]] = {}
    for name, called_names in open_calls.items():
        for each in called_names:
            callers.setdefault(each, []).append(name)
    ready = [name for name, called_names in open_calls.items() if not called_names]
    while ready:  # those first whose calls are all counted
        name = ready.pop()
        counts[name] = min(sum(1 + counts.get(each, 0) for each in calls[name]), FUNCTION_CALLS.most + 1)
        for caller in callers.get(name, ()):
            open_calls[caller].discard(name)
            if not open_calls[caller]:
                ready.append(caller)
    return {name for name, count in counts.items() if count > FUNCTION_CALLS.most}


def without_cycles(template: Template) -> Template:
    """The template with the values and functions that go in circles made unknown, so that evaluating them is safe and silent."""
    broken = {name for loop in cycles(_named_reads(template)) for name in loop}
    looping = {name for loop in cycles(_function_calls(template)) for name in loop} | _exploding(template)
    if not broken and not looping:
        return template

    def unknown(origin: Origin) -> Condition:
        return Condition(Constant(UNKNOWN, origin), origin)

    values = {
        name: replace(value, value=Constant(UNKNOWN, value.origin)) if name in broken else value for name, value in template.values.items()
    }
    lookups = {name: replace(each, where=unknown(each.origin)) if name in broken else each for name, each in template.lookups.items()}
    functions = {name: replace(each, body=unknown(each.origin)) if name in looping else each for name, each in template.functions.items()}
    documents = {name: each for name, each in template.documents.items() if name not in broken}
    lost = template.unknown_names | (broken & template.documents.keys())
    return replace(template, values=values, lookups=lookups, functions=functions, documents=documents, unknown_names=lost)


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


class Reach(NamedTuple):
    """What a declaration needs, directly or through values: resources, outputs of modules that are no loops, and parameters."""

    resources: frozenset[str]
    outputs: frozenset[tuple[str, str]]
    parameters: frozenset[str]


class Reaches:
    """Answers what is reached in one template; each value is followed once. Independent of environments."""

    def __init__(self, template: Template) -> None:
        self.template = template
        self._modules = {name for name, each in template.resources.items() if each.module and each.loop is None}
        self._direct: dict[str, set[tuple[str, str]]] = {}
        for owner, uses, narrowed in _owners(template):
            if isinstance(owner, Named | Lookup | Document) and narrowed is None:
                self._direct.setdefault(owner.name, set()).update(_first_steps(uses))
                if isinstance(owner, Document) and owner.narrowed is None:
                    self._direct[owner.name] |= {(name, "") for name in _may_miss(owner)}
        self._known: dict[str, frozenset[tuple[str, str]]] = {}
        self._shared: dict[ResourceShape, Reach] = {}

    def of(self, uses: Sequence[Use]) -> Reach:
        """What some expressions need."""
        return self._of_steps(_first_steps(uses))

    def of_resource(self, resource: Resource) -> Reach:
        """What a resource needs."""
        if not resource.shape.is_whole:
            return self.of(uses_of(resource))
        presence = _first_steps(presence_uses(resource)) if resource.loop is not None or resource.when is not None else _NO_STEPS
        if presence:
            return self._of_steps(
                presence | resource.shape.steps | {(resource.constants[index], field) for index, field in resource.shape.holes}
            )
        # What resources of one shape share is followed once.
        known = self._shared.get(resource.shape)
        if known is None:
            known = self._shared[resource.shape] = self._of_steps(resource.shape.steps)
        if not resource.shape.holes:
            return known
        own = [resource.constants[index] for index, _ in resource.shape.holes]
        if self.template.resources.keys() >= {*own} and self._modules.isdisjoint(own):
            return Reach(known.resources.union(own), known.outputs, known.parameters)
        below = self._of_steps([(resource.constants[index], field) for index, field in resource.shape.holes])
        return Reach(known.resources | below.resources, known.outputs | below.outputs, known.parameters)

    def _of_steps(self, steps: Iterable[tuple[str, str]]) -> Reach:
        template = self.template
        ends: set[tuple[str, str]] = set()
        for name, field in steps:
            ends |= self._through(name) if name in self._direct else {(name, field)}
        return Reach(
            frozenset([name for name, _ in ends if name in template.resources]),
            frozenset([(name, field) for name, field in ends if name in self._modules]),
            frozenset([name for name, _ in ends if name in template.parameters]),
        )

    def _through(self, name: str) -> frozenset[tuple[str, str]]:
        found = self._known.get(name)
        if found is None:
            ends: set[tuple[str, str]] = set()
            seen: set[str] = set()
            waiting = [name]
            while waiting:
                current = waiting.pop()
                if current in seen:
                    continue
                seen.add(current)
                for below, field in self._direct[current]:
                    if below in self._known:
                        ends |= self._known[below]
                    elif below in self._direct:
                        waiting.append(below)
                    else:
                        ends.add((below, field))
            found = self._known[name] = frozenset(ends)
        return found


_NO_STEPS: frozenset[tuple[str, str]] = frozenset()


def _first_steps(uses: Sequence[Use]) -> set[tuple[str, str]]:
    found: set[tuple[str, str]] = set()
    for formula, _, variables in uses:
        steps = formula.program.steps
        found.update(step for step in steps if step[0] not in variables) if variables else found.update(steps)
    return found


def reached_resources(template: Template, reach_of: Callable[[Resource], Reach]) -> dict[str, frozenset[str]]:
    """For each resource, the resources that it reads or waits for: directly, or through values."""
    found = {}
    for name, resource in template.resources.items():
        found[name] = reach_of(resource).resources
        if resource.after:
            found[name] |= {target for target, _ in resource.after if target in template.resources}
    return found


def _is_in_order(reached: dict[str, frozenset[str]]) -> bool:
    """Whether each resource reaches none but those before it, as most are written."""
    before: set[str] = set()
    for name, targets in reached.items():
        if not before.issuperset(targets):
            return False
        before.add(name)
    return True


def resource_cycles(template: Template, reached: dict[str, frozenset[str]]) -> tuple[list[Finding], frozenset[str]]:
    """Resources that wait for each other, as findings, and the names of all that do. Items of one loop are judged apart, and so are
    modules: one may read what another gives, and the other way round, as long as no value depends on itself."""
    if _is_in_order(reached):
        return [], frozenset()
    modules = {name for name, resource in template.resources.items() if resource.module}
    edges = {
        name: sorted(targets - modules - ({name} if template.resources[name].loop else set()))
        for name, targets in reached.items()
        if name not in modules
    }
    loops = cycles(edges)
    findings = []
    for loop in loops:
        steps = list(zip(loop, (*loop[1:], loop[0]), strict=True))
        path = " → ".join(f"`{name}`" for name in (*loop, loop[0]))
        spans = [_reference_span(template, name, target) for name, target in steps]
        related = tuple(
            Related(span, say("`{}` needs `{}`.", name, target)) for span, (name, target) in list(zip(spans, steps, strict=True))[1:]
        )
        hint = say("Take one of the references out, so that one of them can be made first.")
        findings.append(
            Finding(
                "resource-cycle",
                "error",
                say("Resources wait for each other in a circle: {}.", path),
                spans[0],
                hint,
                address=loop[0],
                related=related,
            )
        )
    return findings, frozenset(name for loop in loops for name in loop)


def uses_by_name(template: Template) -> dict[str, list[Origin]]:
    """Where each name of a template is read; a call is a use of its function, and `$after` of its resource."""
    found: dict[str, list[Origin]] = {}
    for _, uses, _ in _all_owners(template):
        for formula, origin, variables in uses:
            names = [reference.name for reference in formula.program.reads if reference.name not in variables]
            names += [call.function for call in formula.program.own_calls if call.target is None]
            for name in dict.fromkeys(names):
                found.setdefault(name, []).append(origin)
    for resource in template.resources.values():
        for name, origin in resource.after:
            found.setdefault(name, []).append(origin)
    return found


def reads_run(template: Template) -> bool:
    """Whether an expression reads `context.run`, so that whoever renders must find out date, revision and author."""
    uses = [use for _, uses, _ in _owners(template) for use in uses]
    for resource in template.resources.values():
        names = names_by_shape(resource)
        uses += _directive_uses(resource) if names is not None and "context" not in names else uses_of(resource)
    return any("context" in use[0].program.names and _reads_run(use[0]) for use in uses)


def _reads_run(formula: Formula) -> bool:
    return any(each.name == "context" and each.path[:1] in ((), ("run",)) for each in formula.program.reads)


def _reference_span(template: Template, name: str, target: str) -> Span:
    """Where a resource names what it waits for: the reference itself, or the value through which it goes."""
    resource = template.resources[name]
    for waited, origin in resource.after:
        if waited == target:
            return origin.value_span()
    values = {value.name for value in template.values.values() if target in _value_reach(template, value.name)}
    for formula, origin, _ in uses_of(resource):
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
