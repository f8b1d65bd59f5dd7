"""What rules are judged over, for a part of the accepted parameter sets: each resource that a template writes, and the whole of it."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.expressions.residuals import pending_property
from jovial_scaffold.core.expressions.types import ANY, INT, STRING
from jovial_scaffold.core.expressions.values import Secret, deep_marks
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.proof.accepted import EVERYTHING, Part, Symbols
from jovial_scaffold.core.proof.terms import Goal, Term, Value, fit_of, term_of, type_of_term
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.computing import Site
from jovial_scaffold.core.rendering.instances import EvaluatedResource, Instance, Surroundings
from jovial_scaffold.core.rendering.plan import Plan, Plans
from jovial_scaffold.core.rendering.rendering import Evaluated, asked, rendered
from jovial_scaffold.core.rules.evaluation import applies, shared_names
from jovial_scaffold.core.rules.reading import Rule, Ruleset, values_read
from jovial_scaffold.core.rules.subjects import RuleBroken, RuleScope, conditions
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.fitting import Fitting
from jovial_scaffold.core.templates.inputs import CONTEXT
from jovial_scaffold.core.templates.model import Compiled, Condition, Requirement, Resource, Template
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN

PROVABLE = ("resource", "parameters", "outputs", "environment")
"""What rules are over of which all values can be looked at: one environment by itself."""
ANY_ITEM = "*"  # the key of what stands for all items of a loop
_DEEPEST = 8  # modules in modules


@value_record
class Entry:
    """A resource that a template writes: the names that lead to it, through uses of modules, and its type."""

    steps: tuple[str, ...]
    kind: ResourceType

    @property
    def address(self) -> str:
        """As people write it, without keys of items."""
        return "/".join(self.steps)


@value_record
class Application:
    """A rule, and what it is judged over; no entry where that is the whole of an environment. Without a rule, it is the schema of the
    entry's type that is judged."""

    ruleset: Ruleset | None
    rule: Rule | None
    entry: Entry | None

    @property
    def label(self) -> str:
        """What is judged."""
        if self.rule is not None:
            return self.rule.label
        return f"schema of {self.entry.kind.id}" if self.entry is not None else ""

    @property
    def address(self) -> str:
        """What it is judged over."""
        return self.entry.address if self.entry is not None else f"the {self.rule.over}" if self.rule is not None else ""

    def is_about(self, address: str) -> bool:
        """Whether a resource is one of those that the entry writes."""
        if self.entry is None:
            return True
        waiting = address.split("/")
        for number, step in enumerate(self.entry.steps):
            if not waiting or waiting.pop(0) != step:
                return False
            following = self.entry.steps[number + 1] if number + 1 < len(self.entry.steps) else None
            if waiting and waiting[0] != following:
                waiting.pop(0)  # the key of an item
        return not waiting


def applications(template: Template, rulesets: Iterable[Ruleset]) -> list[Application]:
    """All that can be shown of rules, and of the schemas of types."""
    entries = list(_entries(template, (), 0))
    found = [Application(None, None, each) for each in entries]
    for ruleset in rulesets:
        for rule in ruleset.rules:
            if rule.over == "resource":
                found += [Application(ruleset, rule, each) for each in entries if applies(rule, each.kind)]
            elif rule.over in PROVABLE:
                found.append(Application(ruleset, rule, None))
    return found


def _entries(template: Template, above: tuple[str, ...], depth: int) -> Iterator[Entry]:
    for name in sorted(template.resources):
        resource = template.resources[name]
        if resource.module is not None:
            if depth < _DEEPEST:
                yield from _entries(resource.module.template, (*above, name), depth + 1)
        elif resource.type is not None:
            yield Entry((*above, name), resource.type)


@value_record
class Setting:
    """Where proofs are looked for: a template in the context of one environment."""

    plan: Plan
    plans: Plans
    context: Mapping[str, Any]
    label: str  #: of the environment
    meter: Meter
    walked: Mapping[str, Any]  #: the same context with what each run has of its own left open
    fitting: Fitting = field(default_factory=Fitting)


def with_open_run(context: Mapping[str, Any]) -> dict[str, Any]:
    """A context in which nobody knows the day, the revision and the author: what holds today only is not proven."""
    return {**context, "run": {name: pending_property("_run", name) for name in ("date", "revision", "author")}}


@dataclass(slots=True)
class _Present:
    """An instance that may be there, and the conditions of its being there that are not known."""

    instance: Instance
    guards: tuple[Pending, ...]


class World:
    """One template in one environment's context, for a part of the accepted parameters: what they are not settled to are symbols. Without a
    part, it is one set of parameters."""

    def __init__(self, setting: Setting, symbols: Symbols, part: Part | None, values: dict[str, Any]) -> None:
        parameters = Parameters(setting.label, (), values)
        context = setting.context if part is None else setting.walked
        self.rendering: Evaluated = asked(setting.plan, parameters, context, setting.plans, setting.meter)
        self._plan = setting.plan
        self._symbols = symbols
        self._part = part or EVERYTHING
        self._present: dict[tuple[str, ...], list[_Present] | None] = {}
        self._resources: dict[str, EvaluatedResource] = {}
        self._fitting = setting.fitting

    # -- what is there

    def present(self, steps: tuple[str, ...]) -> list[_Present] | None:
        """The instances of an entry that may be there; None where nobody can tell which."""
        if steps not in self._present:
            self._present[steps] = self._found(steps)
        return self._present[steps]

    def _found(self, steps: tuple[str, ...]) -> list[_Present] | None:
        if len(steps) == 1:
            return self._of(self.rendering.scope, self._plan.template.resources[steps[0]], ())
        above = self.present(steps[:-1])
        if above is None:
            return None
        found: list[_Present] = []
        for use in above:
            inside = use.instance.inside
            resource = inside.template.resources.get(steps[-1]) if inside is not None else None
            there = self._of(inside, resource, use.guards) if inside is not None and resource is not None else None
            if there is None:
                return None
            found += there
        return found

    def _of(self, scope: Surroundings, resource: Resource, guards: tuple[Pending, ...]) -> list[_Present] | None:
        known = scope.instances(resource)
        if known is not None:
            return [_Present(each, guards) for each in known.values()]
        rounds = self._rounds(scope, resource)
        if rounds is None:
            return None
        found = []
        for key, variables in rounds:
            when = _value(resource.when, scope, variables)
            if when is False:
                continue
            if when is not True and not isinstance(when, Pending):
                return None
            held = guards if when is True else (*guards, when)
            found.append(_Present(scope.assumed(resource, key, variables), held))
        return found

    def _rounds(self, scope: Surroundings, resource: Resource) -> list[tuple[str | None, dict[str, Any]]] | None:
        """The items of a loop, or one that stands for all of them."""
        loop = resource.loop
        if loop is None:
            return [(None, {})]
        over = _value(loop.over, scope, {})
        if isinstance(over, Pending):
            term = term_of(over, self._symbols)
            known = type_of_term(term, self._symbols) if term is not None else ANY
            if not known.is_only("list", "map") or len(known.kinds) > 1:
                return None
            item = (known.items or ANY) if known.is_only("list") else known.others or ANY
            first = INT if known.is_only("list") else STRING
            types = [first, item] if len(loop.variables) == 2 else [item if known.is_only("list") else STRING]
            where = f"{scope.prefix}{resource.name}"
            named = zip(loop.variables, types, strict=True)
            return [(ANY_ITEM, {name: self._symbols.of_item(f"{where} {name}", each, over, self._part) for name, each in named})]
        found = scope.computer.rounds(loop, {}, Site())
        return None if found is None else [(str(position), dict(variables)) for variables, position in found]

    # -- what rules see

    def goals(self, application: Application) -> list[Goal] | None:
        """What has to hold for the rule or schema to hold: nothing where it does, None where nobody can tell."""
        rule, ruleset, entry = application.rule, application.ruleset, application.entry
        if entry is None:
            if rule is None or ruleset is None or self._incomplete(application):
                return None
            return self._judged(rule, ruleset, self._whole(rule, application), ())
        present = self.present(entry.steps)
        if present is None:
            return None
        found: list[Goal] = []
        for each in present:
            terms = [term_of(guard, self._symbols) for guard in each.guards]
            guards = tuple(term for term in terms if term is not None)
            resource = self._resource(each.instance)
            if self._is_doubtful(application, resource.effective if rule is not None else resource.properties):
                return None
            if rule is None or ruleset is None:
                goals = self._fitted(resource, guards)
            else:
                goals = self._judged(rule, ruleset, self._of_resource(application, resource), guards)
            if goals is None or (goals and len(guards) < len(terms)):
                return None
            found += goals
        return found

    def _judged(self, rule: Rule, ruleset: Ruleset, names: dict[str, Any], guards: tuple[Term, ...]) -> list[Goal] | None:
        sources = ("resources",) if rule.over == "environment" else ("self",)
        try:
            where, held = conditions(rule, RuleScope(names, ruleset.values), sources)
        except RuleBroken:
            return None
        if where is UNKNOWN:
            return None
        if where is False:
            return []
        if held is UNKNOWN:
            return None
        found: list[Goal] = []
        if isinstance(where, Pending):
            term = term_of(where, self._symbols)
            if term is None:
                return None
            if rule.absent_fails:  # where it asks for what is not set
                found.append(Goal(guards, Value(term)))
            guards = (*guards, term)
        if held is True:
            return found
        require = term_of(held, self._symbols) if isinstance(held, Pending) else held
        return None if require is None else [*found, Goal(guards, require)]

    def _fitted(self, resource: EvaluatedResource, guards: tuple[Term, ...]) -> list[Goal] | None:
        """What has to hold for the properties to fit their schema."""
        if resource.faulty:
            return [Goal(guards, False)]
        if deep_marks(resource.properties)[2]:
            return None
        found = []
        for pointer, value in _pending(resource.properties):
            if not any(self._symbols.path(each) for each in value.origins):
                continue  # what the cloud gives is its own matter
            place = self._fitting.place(resource.type, str(pointer[0]))
            term = fit_of(value, self._symbols, self._fitting, place._replace(pointer=pointer))
            if term is None:
                return None
            found.append(Goal(guards, term))
        return found

    def _resource(self, instance: Instance) -> EvaluatedResource:
        if instance.address not in self._resources:
            self._resources[instance.address] = rendered(instance.scope, instance)
        return self._resources[instance.address]

    def _of_resource(self, application: Application, resource: EvaluatedResource) -> dict[str, Any]:
        type_id = resource.type.id if resource.type is not None else ""
        return {**self._shared(application), "self": resource.effective, "address": resource.address, "type": type_id}

    def _whole(self, rule: Rule, application: Application) -> dict[str, Any]:
        shared = self._shared(application)
        return {**shared, "self": shared[rule.over]} if rule.over in shared else shared

    def _shared(self, application: Application) -> dict[str, Any]:
        shared = shared_names(self.rendering, {"environment", "labels", "parameters", *names_of(application)})
        if "outputs" in shared:  # which are computed as they are asked for, and rules take a map for what it is
            shared["outputs"] = dict(shared["outputs"])
        return shared

    def _incomplete(self, application: Application) -> bool:
        """Whether something that a rule over the whole reads may be there or not."""
        read = names_of(application)
        if "resources" in read:
            list(self.rendering.resources)  # which finds them all
            every = [each.properties for each in self.rendering.resources.values()]
            if self.rendering.scope.incomplete() or any(deep_marks(each)[2] or self._may_be_absent(each) for each in every):
                return True
        return "outputs" in read and self._is_doubtful(application, dict(self.rendering.outputs))

    def _is_doubtful(self, application: Application, properties: dict[str, Any]) -> bool:
        """Whether a property that is read may be absent, or holds something that may be."""
        read = {str(each.path[0]) if each.path else "" for each in reads_of(application) if each.name in ("self", "outputs")}
        for name, value in properties.items():
            is_read = name in read or "" in read or application.rule is None
            if is_read and (value is UNKNOWN or deep_marks(value)[2] or self._may_be_absent({name: value})):
                return True
        return False

    def _may_be_absent(self, properties: dict[str, Any]) -> bool:
        """Whether something in there is an optional, or may be one: whoever reads it would find nothing, or what it holds."""
        for _, value in _pending(properties):
            term = term_of(value, self._symbols) if value.joined is None else None
            if term is not None and not term.is_bare and type_of_term(term, self._symbols).may_be("optional_type"):
                return True
        return False

    def limits(self) -> list[Term] | None:
        """What `must` asks of the parameters, as far as it is not known to hold; None where one is surely false."""
        found = []
        for requirement in _musts(self._plan.template):
            held = _value(requirement.require, self.rendering.scope, {})
            if held is False:
                return None
            term = term_of(held, self._symbols) if isinstance(held, Pending) else None
            found += [term] if term is not None else []
        return found


def conditions_of(application: Application) -> list[Condition | Compiled | None]:
    """The conditions of a rule, and the values of its ruleset that they read."""
    rule, ruleset = application.rule, application.ruleset
    if rule is None or ruleset is None:
        return []
    parts = [rule.where, rule.require]
    return [*parts, *(ruleset.values[name].value for name in values_read(parts, ruleset.values))]


def reads_of(application: Application) -> list[Reference]:
    """What a rule reads."""
    return [each for part in conditions_of(application) for formula, _, _ in formulas_of(part) for each in formula.program.reads]


def names_of(application: Application) -> frozenset[str]:
    """The names that a rule reads."""
    found = {each.name for each in reads_of(application)}
    over = application.rule.over if application.rule is not None else ""
    return frozenset(found | ({over} if over == "outputs" else set()))


def behind(application: Application, plan: Plan) -> list[str]:
    """The parameters that a rule over something may hang on, by name, in the order of their declarations."""
    template = plan.template
    if application.entry is None or not names_of(application).isdisjoint(("parameters", "outputs", "resources")):
        return list(template.parameters)
    inputs = plan.inputs.of_names([application.entry.steps[0]])
    return [name for name in template.parameters if name in inputs]


def reads_context(application: Application, plan: Plan) -> bool:
    """Whether what is judged may differ between environments of the same parameters."""
    if not names_of(application).isdisjoint(("environment", "labels", "outputs", "resources")) or application.entry is None:
        return True
    musts = [formula for each in _musts(plan.template) for formula, _, _ in formulas_of(each.require)]
    names = {application.entry.steps[0], *(name for formula in musts for name in formula.program.names)}
    return CONTEXT in plan.inputs.of_names(names)


def _musts(template: Template) -> Iterator[Requirement]:
    yield from template.must
    for each in template.parameters.values():
        yield from each.must


def _pending(properties: dict[str, Any]) -> Iterator[tuple[Pointer, Pending]]:
    """The pending values in properties, with their places."""
    waiting: list[tuple[Pointer, Any]] = [((), properties)]
    while waiting:
        pointer, value = waiting.pop()
        if isinstance(value, Secret):
            value = value.value
        if isinstance(value, Pending):
            yield pointer, value
        elif isinstance(value, dict):
            waiting += [((*pointer, name), each) for name, each in value.items()]
        elif isinstance(value, list):
            waiting += [((*pointer, index), each) for index, each in enumerate(value)]


def _value(condition: Condition | None, scope: Surroundings, variables: dict[str, Any]) -> Any:
    """What a condition comes to; UNKNOWN where it has no value."""
    if condition is None:
        return True
    if not isinstance(condition.content, Formula):
        return condition.content.value
    try:
        value = condition.content.program.run(scope, variables)
    except EvaluationError:
        return UNKNOWN
    return value.value if isinstance(value, Secret) else value
