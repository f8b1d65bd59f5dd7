"""Rules over resources, parameters, outputs, environments, pairs of them and effects, to findings."""

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.scopes import Names
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rules.reading import Rule, Ruleset
from jovial_scaffold.core.rules.subjects import RuleBroken, RuleScope, Subject, conditions
from jovial_scaffold.core.rules.telling import broken, failed
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Pointer, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN

_WHOLE: Pointer = ()
_UNSET = frozenset(("key-missing", "index-range"))
Verdicts = Counter[tuple[str, str]]
"""How often a rule, by its label, turned out to be passed, failed, undetermined, unknown or broken."""


def applies(rule: Rule, kind: ResourceType) -> bool:
    """Whether a rule is about a type; a pattern without a version means every version."""
    return any(kind.fits(each) for each in rule.applies)


_SHARED: Mapping[str, Callable[[Evaluated], Any]] = {
    "environment": lambda rendering: rendering.environment,
    "labels": lambda rendering: rendering.context["labels"],
    "parameters": lambda rendering: rendering.parameters.values,
    "outputs": lambda rendering: rendering.outputs,
    "resources": lambda rendering: {
        address: {"type": each.type_text, "properties": each.effective} for address, each in rendering.resources.items()
    },
}


def shared_names(rendering: Evaluated, read: Collection[str] = _SHARED.keys()) -> dict[str, Any]:
    """What every rule over an environment, or a part of it, sees, as far as it is `read`."""
    return {name: value(rendering) for name, value in _SHARED.items() if name in read}


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
    yield from outcomes_over(_subjects(rendering, rule), ruleset, rule)


def failures(rendering: Evaluated, ruleset: Ruleset, rule: Rule) -> list[Finding]:
    """What is said of such a rule where it does not hold."""
    found = [_outcome(rule, RuleScope(each.names, ruleset.values), each) for each in _subjects(rendering, rule)]
    return [finding for outcome, findings in found if outcome == "failed" for finding in findings]


def _subjects(rendering: Evaluated, rule: Rule) -> list[Subject]:
    shared, environments = shared_names(rendering), (rendering.label,)
    subjects = []
    if rule.over == "resource":
        for address, each in rendering.resources.items():
            if each.type is not None and applies(rule, each.type):
                names = {**shared, "self": shared["resources"][address]["properties"], "address": address, "type": each.type.id}
                subjects.append(Subject(address, names, environments, ("self",), each))
    elif rule.over in _WHOLE_SCOPES and not rendering.scope.incomplete():
        subjects.append(_of_whole(rendering, shared)[rule.over])
    return subjects


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


CAUSE_KINDS = ("parameter", "template", "lookup", "project", "catalog", "somebody", "secret", "unknown")
"""Kinds of causes: what of ours is another, by where it is written; somebody who changed what runs; a secret that is another one; what nobody knows."""


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
    causes: list[
        dict[str, Any]
    ]  #: of each `kind` (of `CAUSE_KINDS`), `parameter`, `file` and `line`; empty texts and 0 where there is none
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
    try:
        where, held = conditions(rule, scope, subject.sources)
    except RuleBroken as found:
        return "broken", [broken(rule, found.condition, found.error, subject)]
    if where is False:
        return "skipped", []
    if where is UNKNOWN:
        return "unknown", []
    held = where if isinstance(where, Pending) else held
    if held is True:
        return "passed", []
    if held is UNKNOWN:
        return "unknown", []
    return "undetermined" if isinstance(held, Pending) else "failed", [failed(rule, scope, subject, held)]
