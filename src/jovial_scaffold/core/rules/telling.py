"""What is said of a rule that does not hold, or cannot be judged: where, why, and what would mend it."""

from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.syntax import Macro, Node
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.rendering.causes import cause_of
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.messages import message_text
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.rules.reading import Rule
from jovial_scaffold.core.rules.subjects import Placed, RuleScope, Subject
from jovial_scaffold.core.templates.model import Condition, ListValue, MapValue
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.core.words import NOTHING, say, together, told

_WHOLE: Pointer = ()


def failed(rule: Rule, scope: RuleScope, subject: Subject, held: Any) -> Finding:
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


def _placed(resource: EvaluatedResource, pointer: Pointer, subject: Subject) -> Placed:
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
        subject.placed[key] = Placed(span, related, cause)
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


def broken(rule: Rule, condition: Condition, error: EvaluationError, subject: Subject) -> Finding:
    """What is said of a rule that has a mistake of its own."""
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
