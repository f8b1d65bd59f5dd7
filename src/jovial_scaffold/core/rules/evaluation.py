"""Rules over resources, parameters, outputs, environments, pairs of them and effects, to findings."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import field
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, join_parts
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.expressions.scopes import LookupScope, MapScope, Names, Scope
from jovial_scaffold.core.expressions.syntax import Macro, Node
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.causes import cause_of
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.messages import message_text
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.rules.reading import Rule, Ruleset
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, ListValue, MapValue, Named, Template
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Pointer, pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Value, say, together, told

_WHOLE: Pointer = ()
_UNSET = frozenset(("key-missing", "index-range"))
Verdicts = Counter[tuple[str, str]]
"""How often a rule, by its label, turned out to be passed, failed, undetermined, unknown or broken."""


class RuleScope(LookupScope):
    """The names that a rule sees; the ruleset's own values are computed when first read."""

    def __init__(self, names: dict[str, Any], values: dict[str, Named]) -> None:
        self.known = MapScope(names)
        self.values = values
        self.computing: set[str] = set()

    def value(self, name: str) -> Any:
        """The value of a name. Raises EvaluationError."""
        named = self.values.get(name)
        if named is None:
            return self.known.value(name)
        if name in self.computing:
            raise EvaluationError(say("The value `{}` depends on itself.", name))
        self.computing.add(name)
        result = computed(named.value, self)
        self.computing.discard(name)
        return result


def computed(compiled: Compiled, scope: Scope) -> Any:
    """The value of a constant or of a text with expressions. Raises EvaluationError."""
    if isinstance(compiled, Constant):
        return compiled.value
    if isinstance(compiled, Dynamic):
        if isinstance(compiled.content, Formula):
            return compiled.content.program.run(scope, {})
        if isinstance(compiled.content, Joined):
            return join_parts([(part, part if isinstance(part, str) else part.program.run(scope, {})) for part in compiled.content.parts])
    raise EvaluationError(say("A ruleset's value is a constant, or a text with expressions."))


def applies(rule: Rule, kind: ResourceType) -> bool:
    """Whether a rule is about a type; a pattern without a version means every version."""
    return any(kind.fits(each) for each in rule.applies)


class _Placed(NamedTuple):
    """Where a property stands, the lines that it is made of, and where it would be mended if not there."""

    span: Span
    related: tuple[Related, ...]
    cause: Span | None


@value_record
class Subject:
    """What a rule is judged over: the names that it sees beside the shared ones, and how a finding about it is placed.

    `sources` are roots of names where something may be unset; elsewhere a missing part is a mistake of the rule.
    """

    label: str
    names: dict[str, Any]
    environments: tuple[str, ...]
    sources: tuple[str, ...]
    resource: EvaluatedResource | None = None
    others: Mapping[str, EvaluatedResource] = field(default_factory=dict)
    span: Span | None = None
    placed: dict[tuple[str, Pointer], _Placed] = field(default_factory=dict)


def shared_names(rendering: Evaluated) -> dict[str, Any]:
    """What every rule over an environment, or a part of it, sees."""
    return {
        "environment": rendering.environment,
        "labels": rendering.context["labels"],
        "parameters": rendering.parameters.values,
        "outputs": rendering.outputs,
        "resources": {address: {"type": each.type_text, "properties": each.effective} for address, each in rendering.resources.items()},
    }


def judge(rendering: Evaluated, rulesets: list[Ruleset]) -> tuple[list[Finding], Verdicts]:
    """Findings of the rules over one environment (resource, parameters, outputs, environment), and how each rule turned out."""
    findings: list[Finding] = []
    verdicts: Verdicts = Counter()
    if not any(rule.over not in ("pair", "effect") for ruleset in rulesets for rule in ruleset.rules):
        return findings, verdicts
    shared = shared_names(rendering)
    environments = (rendering.label,)
    about: dict[str, list[tuple[Ruleset, list[_Tally]]]] = {}  # the rules about a type
    for address, resource in rendering.resources.items():
        kind = resource.type
        if kind is None:
            continue
        if kind.id not in about:
            about[kind.id] = _rules_about(kind, rulesets)
        if not about[kind.id]:
            continue
        names = {**shared, "self": shared["resources"][address]["properties"], "address": address, "type": kind.id}
        subject = Subject(address, names, environments, ("self",), resource)
        for ruleset, tallies in about[kind.id]:
            scope = RuleScope(names, ruleset.values)
            seen = scope.names if ruleset.values else names
            for each in tallies:
                outcome = _quickly(each, seen)
                if outcome is True:
                    each.passed += 1
                elif outcome is None:
                    findings += _verdict(each.rule, scope, subject, verdicts)
    for each in (each for rules in about.values() for _, tallies in rules for each in tallies if each.passed):
        verdicts[each.rule.label, "passed"] += each.passed
    if rendering.scope.incomplete():
        # What is not known to be there cannot be missed.
        return findings, verdicts
    subjects = _of_whole(rendering, shared)
    for ruleset in rulesets:
        for rule in ruleset.rules:
            found = subjects.get(rule.over)
            if found is not None:
                findings += _verdict(rule, RuleScope(found.names, ruleset.values), found, verdicts)
    return findings, verdicts


_WHOLE_SCOPES = ("parameters", "outputs", "environment")


def _of_whole(rendering: Evaluated, shared: dict[str, Any]) -> dict[str, Subject]:
    """What rules that are judged once for an environment are judged over, by their scope."""
    environments = (rendering.label,)
    return {
        "parameters": Subject("the parameters", {**shared, "self": shared["parameters"]}, environments, ("self",)),
        "outputs": Subject("the outputs", {**shared, "self": shared["outputs"]}, environments, ("self",)),
        "environment": Subject(rendering.label, shared, environments, ("resources",), None, rendering.resources),
    }


def outcomes(rendering: Evaluated, ruleset: Ruleset, rule: Rule) -> Iterator[tuple[str, str]]:
    """What a rule over resources, parameters, outputs or an environment was judged over, and how it turned out there: passed, failed,
    undetermined, unknown or broken."""
    shared, environments = shared_names(rendering), (rendering.label,)
    subjects = []
    if rule.over == "resource":
        for address, each in rendering.resources.items():
            if each.type is not None and applies(rule, each.type):
                names = {**shared, "self": shared["resources"][address]["properties"], "address": address, "type": each.type.id}
                subjects.append(Subject(address, names, environments, ("self",), each))
    elif rule.over in _WHOLE_SCOPES and not rendering.scope.incomplete():
        subjects.append(_of_whole(rendering, shared)[rule.over])
    yield from outcomes_over(subjects, ruleset, rule)


_VALUES = ("default", "enum", "const", "examples")  # of a schema, what holds values


def declared(template: Template, module: str) -> Iterator[Subject]:
    """The declarations of a template's parameters as rules over `declarations` see them: schemas as they are written, with `name` and
    `module`, which is nothing in the project's own template. Values of secrets are secret."""
    for name, declaration in template.parameters.items():
        written = value_at(declaration.origin.source.value, declaration.origin.pointer)
        schema = dict(written) if isinstance(written, dict) else {}
        if declaration.secret:
            schema |= {key: Secret(schema[key]) for key in _VALUES if key in schema}
        label = f"{module}/parameters.{name}" if module else f"parameters.{name}"
        names = {"self": {**schema, "name": name, "module": module}}
        yield Subject(label, names, (), ("self",), span=declaration.origin.key_span())


def judge_declarations(subjects: Iterable[Subject], rulesets: list[Ruleset]) -> tuple[list[Finding], Verdicts]:
    """Findings of the rules over declarations, and how each turned out."""
    findings: list[Finding] = []
    verdicts: Verdicts = Counter()
    rules = [(ruleset, rule) for ruleset in rulesets for rule in ruleset.rules if rule.over == "declarations"]
    for subject in subjects if rules else ():
        for ruleset, rule in rules:
            findings += _verdict(rule, RuleScope(subject.names, ruleset.values), subject, verdicts)
    return findings, verdicts


def outcomes_over(subjects: Iterable[Subject], ruleset: Ruleset, rule: Rule) -> Iterator[tuple[str, str]]:
    """What a rule was judged over of some subjects, and how it turned out there."""
    for subject in subjects:
        outcome, _ = _outcome(rule, RuleScope(subject.names, ruleset.values), subject)
        if outcome != "skipped":
            yield subject.label, outcome


class _Tally:
    """A rule, its conditions where they are expressions, and how many resources it was quickly seen to hold of."""

    __slots__ = ("passed", "require", "rule", "where")

    def __init__(self, rule: Rule) -> None:
        self.rule = rule
        self.where = rule.where.content.program if rule.where is not None and isinstance(rule.where.content, Formula) else None
        is_plain = rule.where is None or self.where is not None
        self.require = rule.require.content.program if is_plain and isinstance(rule.require.content, Formula) else None
        self.passed = 0


def _rules_about(kind: ResourceType, rulesets: list[Ruleset]) -> list[tuple[Ruleset, list[_Tally]]]:
    """The rules over resources of a type, by ruleset."""
    found = [(each, [_Tally(rule) for rule in each.rules if rule.over == "resource" and applies(rule, kind)]) for each in rulesets]
    return [(ruleset, tallies) for ruleset, tallies in found if tallies]


def _quickly(each: _Tally, names: Names) -> bool | None:
    """Whether a rule holds of what some names stand for, as most do; False where its `where` does not, None where a careful look is needed."""
    if each.require is None:
        return None
    try:
        if each.where is not None and (about := each.where.quick(names, _NO_VARIABLES)) is not True:
            return False if about is False else None
        return True if each.require.quick(names, _NO_VARIABLES) is True else None
    except Exception:  # whatever it is: the careful way says what it means
        return None


_NO_VARIABLES: Mapping[str, Any] = {}


def judges_pairs(rulesets: list[Ruleset]) -> bool:
    """Whether any rule needs two environments."""
    return any(rule.over == "pair" for ruleset in rulesets for rule in ruleset.rules)


def judge_pairs(renderings: Sequence[Evaluated], rulesets: list[Ruleset]) -> tuple[list[Finding], Verdicts]:
    """Findings of the rules over pairs, and how each turned out. Without `between`, each two are a pair, in their order."""
    findings: list[Finding] = []
    verdicts: Verdicts = Counter()
    if not judges_pairs(rulesets) or any(rendering.scope.incomplete() for rendering in renderings):
        return findings, verdicts
    sides = [shared_names(rendering) for rendering in renderings]
    for one, left in enumerate(renderings):
        for other, right in enumerate(renderings):
            subject = Subject(
                f"{left.label} and {right.label}",
                {"left": sides[one], "right": sides[other]},
                (left.label, right.label),
                ("left", "right"),
                None,
                left.resources,
            )
            for ruleset in rulesets:
                for rule in ruleset.rules:
                    meant = one < other if rule.between is None else rule.between == (left.environment, right.environment)
                    if rule.over == "pair" and meant and one != other:
                        findings += _verdict(rule, RuleScope(subject.names, ruleset.values), subject, verdicts)
    return findings, verdicts


@value_record
class JudgedEffect:
    """What would happen to one resource, as rules over effects see it; properties are effective, None before an add and after a removal."""

    address: str
    type: str
    kind: ResourceType | None
    effect: str
    was: dict[str, Any] | None
    becomes: dict[str, Any] | None
    touched: list[str]
    causes: list[dict[str, Any]]  #: of each `kind`, `parameter`, `file` and `line`; empty texts and 0 where there is none
    resource: EvaluatedResource | None
    span: Span | None


def judge_effects(effects: Sequence[JudgedEffect], rendering: Evaluated, rulesets: list[Ruleset]) -> tuple[list[Finding], Verdicts]:
    """Findings of the rules over effects, and how each turned out."""
    findings: list[Finding] = []
    verdicts: Verdicts = Counter()
    rules = [(ruleset, rule) for ruleset in rulesets for rule in ruleset.rules if rule.over == "effect"]
    if not rules:
        return findings, verdicts
    shared = shared_names(rendering)
    for each in effects:
        names = {
            **shared,
            "was": each.was,
            "becomes": each.becomes,
            "effect": each.effect,
            "touched": each.touched,
            "causes": each.causes,
            "address": each.address,
            "type": each.type,
        }
        subject = Subject(each.address, names, (rendering.label,), ("was", "becomes"), each.resource, span=each.span)
        for ruleset, rule in rules:
            about = applies(rule, each.kind) if each.kind else any(pattern(name).match(each.type) for name in rule.applies)
            if about:
                findings += _verdict(rule, RuleScope(names, ruleset.values), subject, verdicts)
    return findings, verdicts


def _verdict(rule: Rule, scope: RuleScope, subject: Subject, verdicts: Verdicts) -> list[Finding]:
    """What is said of a rule over a subject; how it turned out is counted, unless `where` leaves it out."""
    outcome, findings = _outcome(rule, scope, subject)
    if outcome != "skipped":
        verdicts[rule.label, outcome] += 1
    return findings


def _outcome(rule: Rule, scope: RuleScope, subject: Subject) -> tuple[str, list[Finding]]:
    judged = rule.where
    try:
        where = truth(rule.where, scope)
        if where is False:
            return "skipped", []
        if where is UNKNOWN:
            return "unknown", []
        judged = rule.require
        held = truth(rule.require, scope) if not isinstance(where, Pending) else where
    except EvaluationError as error:
        if not is_unset(judged, error, subject.sources):
            return "broken", [_broken(rule, judged or rule.require, error, subject)]
        held = not rule.absent_fails
    if held is True:
        return "passed", []
    if held is UNKNOWN:
        return "unknown", []
    return "undetermined" if isinstance(held, Pending) else "failed", [_finding(rule, scope, subject, held)]


def _finding(rule: Rule, scope: RuleScope, subject: Subject, held: Any) -> Finding:
    """What is said of a rule that does not hold, or that only the deployment can judge."""
    origin = Related(rule.origin.key_span(), say("The rule `{}` is here.", rule.name))
    resource, pointer = subject.resource, _WHOLE
    culprits = _culprits(rule, scope, subject) if subject.others else []
    if culprits:
        resource = subject.others[culprits[0]]
    elif resource is not None:
        pointer = _pointed_at(rule.require, resource, scope)
    placed = _placed(resource, pointer, subject) if resource is not None else None
    span = placed.span if placed is not None else subject.span or rule.require.origin.value_span()
    address = resource.address if resource is not None else subject.label if subject.span is not None else ""
    where = pointer_text(pointer)
    if isinstance(held, Pending):
        message = say("{}: undetermined until the deployment knows {}.", rule.name, ", ".join(sorted(held.origins)))
        return Finding(
            "rule-undetermined", "note", message, span, NOTHING, address, where, subject.environments, (origin,), rule=rule.label
        )
    reason = told(rule.because) or say("`{}` does not meet the rule.", subject.label)
    message = told(message_text(rule.message, scope)) if rule.message else reason
    because, fix = told(rule.because), told(message_text(rule.fix, scope)) if rule.fix else NOTHING
    hint = together(because if rule.message else NOTHING, fix)
    related, cause = ((*placed.related, origin), placed.cause) if placed is not None else ((origin,), None)
    group = f"{rule.name} {subject.label}" if rule.over == "pair" else rule.name
    said = say("{}: {}", rule.name, message)
    also_at = tuple((name, tuple(culprits)) for name in subject.environments) if len(culprits) > 1 else ()
    about = (address, where, subject.environments, related)
    return Finding(
        "rule-failed", rule.level_in(subject.environments), said, span, hint, *about, group, also_at, cause, rule.label, because, fix
    )


def _placed(resource: EvaluatedResource, pointer: Pointer, subject: Subject) -> _Placed:
    """Where a property of a resource stands, and where it would be mended; found once for all rules that speak of it."""
    key = (resource.address, pointer)
    if key not in subject.placed:
        tracer = tracer_of(resource.instance.scope)
        span = tracer.place(resource.instance, pointer)
        related: tuple[Related, ...] = ()
        cause = None
        # A whole map or list has too many parameters behind it to name them; a single value has few.
        if pointer and not isinstance(tracer.leaf(resource.instance, pointer)[0], MapValue | ListValue):
            related = tracer.related(tracer.sources(resource.instance, pointer))
            cause = cause_of(tracer, resource.instance, pointer)
        subject.placed[key] = _Placed(span, related, cause)
    return subject.placed[key]


def _culprits(rule: Rule, scope: RuleScope, subject: Subject) -> list[str]:
    """Of a condition about all resources, the addresses that do not meet it; nothing where it is about something else."""
    if not isinstance(rule.require.content, Formula):
        return []
    node = rule.require.content.node
    if not isinstance(node, Macro) or node.name != "all":
        return []
    found = []
    try:
        items = evaluate(node.target, scope)
        if not isinstance(items, dict) or not items.keys() <= subject.others.keys():
            return []
        for address in sorted(items):
            named = dict(zip(node.variables, (address, items[address]), strict=False))
            try:
                if evaluate(node.bodies[0], scope, named) is False:
                    found.append(address)
            except EvaluationError:
                found.append(address)
    except EvaluationError:
        return []
    return found


def is_unset(condition: Condition | None, error: EvaluationError, sources: tuple[str, ...]) -> bool:
    """Whether a property is not set that a condition of a rule is about; what is missing elsewhere, such as in `parameters`, is a mistake of
    the rule."""
    if error.id not in _UNSET:
        return False
    formula = condition.content if condition is not None else None
    return not isinstance(formula, Formula) or not any(
        reference.start <= error.start < reference.chain_end and reference.name not in sources for reference in formula.program.reads
    )


def truth(condition: Condition | None, scope: RuleScope) -> Any:
    if condition is None:
        return True
    if isinstance(condition.content, Constant):
        return condition.content.value
    value = condition.content.program.run(scope, {})
    if isinstance(value, Secret):
        value = value.value
    if isinstance(value, bool | Pending) or value is UNKNOWN:
        return value
    raise EvaluationError(say("A rule is true or false, and this gives {}.", Value(value)), id="type-mismatch")


def _broken(rule: Rule, condition: Condition, error: EvaluationError, subject: Subject) -> Finding:
    span: Span = condition.origin.value_span()
    if isinstance(condition.content, Formula) and error.start >= 0:
        span = condition.origin.inner_span(error.start, error.end)
    message = say("The rule `{}` cannot be judged for {}: {}", rule.name, subject.label, error.message)
    address = subject.resource.address if subject.resource else ""
    return Finding(
        "rule-fails",
        "error",
        message,
        span,
        error.hint,
        address,
        "",
        subject.environments,
        group=f"{rule.name} {error.id}",
        rule=rule.label,
    )


def _pointed_at(condition: Condition, resource: EvaluatedResource, scope: Scope) -> Pointer:
    """The written property that a rule speaks of: the first `self.…` of its condition that the template sets.

    Where the condition is about all items of a list, the first item that does not meet it.
    """
    if not isinstance(condition.content, Formula):
        return ()
    for reference in condition.content.program.reads:
        if reference.name != "self" or not reference.path:
            continue
        value: Any = resource.properties
        found: list[str | int] = []
        for step in reference.path:
            if isinstance(value, dict) and step in value:
                value = value[str(step)]
                found.append(step)
            else:
                break
        if found:
            return (*found, *_failing_item(condition.content.node, reference, value, scope))
    return ()


def _failing_item(node: Node, reference: Reference, items: Any, scope: Scope) -> Pointer:
    if not isinstance(node, Macro) or node.name != "all" or node.target.end != reference.chain_end or not isinstance(items, list):
        return ()
    for index, item in enumerate(evaluate(node.target, scope)):
        try:
            held = evaluate(
                node.bodies[0], scope, {node.variables[-1]: item, node.variables[0]: index if len(node.variables) == 2 else item}
            )
        except EvaluationError:
            held = False
        if held is False and index < len(items):
            return (index,)
    return ()
