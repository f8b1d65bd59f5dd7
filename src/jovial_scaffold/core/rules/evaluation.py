"""Rules over the effective resources of one environment to findings."""

from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.expressions.scopes import LookupScope, MapScope, Scope
from jovial_scaffold.core.expressions.syntax import Macro, Node
from jovial_scaffold.core.expressions.values import Pending, Secret
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.rendering.rendering import RenderedResource, Rendering
from jovial_scaffold.core.rendering.tracing import Tracer
from jovial_scaffold.core.rules.reading import Rule, Ruleset
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType
from jovial_scaffold.core.schemas.shapes import filled
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, ListValue, MapValue, Named
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN

_UNSET = frozenset(("key-missing", "index-range"))


class _RuleScope(LookupScope):
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
            raise EvaluationError(f"The value `{name}` depends on itself.")
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
            return message_text(compiled, scope)
    raise EvaluationError("A ruleset's value is a constant, or a text with expressions.")


def message_text(compiled: Compiled, scope: Scope) -> str:
    """A message with its placeholders filled in; one that has no value prints `(unset)`, a secret one `(secret)`."""
    if isinstance(compiled, Constant):
        return scalar_text(compiled.value) if isinstance(compiled.value, str | int | float) else "(unset)"
    if not isinstance(compiled, Dynamic) or not isinstance(compiled.content, Formula | Joined):
        return "(unset)"
    parts = compiled.content.parts if isinstance(compiled.content, Joined) else (compiled.content,)
    return "".join(part if isinstance(part, str) else _filled_in(part, scope) for part in parts)


def _filled_in(formula: Formula, scope: Scope) -> str:
    try:
        value = formula.program.run(scope, {})
    except EvaluationError:
        return "(unset)"
    if isinstance(value, Secret | Pending):
        return repr(value)
    return scalar_text(value) if isinstance(value, str | int | float) else "(unset)"


def applies(rule: Rule, kind: ResourceType) -> bool:
    """Whether a rule is about a type; a pattern without a version means every version."""
    return any(pattern(each).match(kind.id) or pattern(each).match(kind.name) for each in rule.applies)


def judge(rendering: Rendering, rulesets: list[Ruleset], parameters: dict[str, Any]) -> tuple[list[Finding], int]:
    """Findings of all rules over one environment, and how many times a rule was judged."""
    findings: list[Finding] = []
    judged = 0
    if not any(ruleset.rules for ruleset in rulesets):
        return findings, judged
    whole = {address: {"type": each.type_text, "properties": each.effective} for address, each in rendering.resources.items()}
    shared = {
        "environment": rendering.environment,
        "labels": rendering.context["labels"],
        "parameters": parameters,
        "outputs": rendering.outputs,
        "resources": whole,
    }
    for address, resource in rendering.resources.items():
        if resource.type is None:
            continue
        names = {**shared, "self": whole[address]["properties"], "address": address, "type": resource.type.id}
        for ruleset in rulesets:
            scope = _RuleScope(names, ruleset.values)
            for rule in ruleset.rules:
                if applies(rule, resource.type):
                    judged += 1
                    findings += _verdict(rule, scope, resource, rendering)
    return findings, judged


def _verdict(rule: Rule, scope: _RuleScope, resource: RenderedResource, rendering: Rendering) -> Iterator[Finding]:
    try:
        where = _truth(rule.where, scope)
        if where is False or where is UNKNOWN:
            return
        held = _truth(rule.require, scope) if not isinstance(where, Pending) else where
    except EvaluationError as error:
        if not _is_unset(rule, error):
            yield _broken(rule, error, resource, rendering)
            return
        held = not rule.absent_fails
    if held is True or held is UNKNOWN:
        return
    tracer = Tracer(resource.instance.scope)
    pointer = _pointed_at(rule.require, resource, scope)
    span = tracer.place(resource.instance, pointer)
    origin = Related(rule.origin.key_span(), f"The rule `{rule.name}` is here.")
    environments = (rendering.environment,)
    if isinstance(held, Pending):
        message = f"{rule.name}: undetermined until the deployment knows {', '.join(sorted(held.origins))}."
        yield Finding("rule-undetermined", "note", message, span, "", resource.address, pointer_text(pointer), environments, (origin,))
        return
    told = message_text(rule.message, scope) if rule.message else (rule.because or f"`{resource.address}` does not meet the rule.")
    fix = message_text(rule.fix, scope) if rule.fix else ""
    because = rule.because if rule.message else ""
    # A whole map or list has too many parameters behind it to name them; a single value has few.
    exact = pointer and not isinstance(tracer.leaf(resource.instance, pointer)[0], MapValue | ListValue)
    related = (*tracer.related(tracer.sources(resource.instance, pointer) if exact else []), origin)
    group = f"{rule.name} {[(r.span.file, r.span.line) for r in related]}"
    hint = " ".join(part for part in (because, fix) if part)
    yield Finding(
        "rule-failed", rule.level, f"{rule.name}: {told}", span, hint, resource.address, pointer_text(pointer), environments, related, group
    )


def _is_unset(rule: Rule, error: EvaluationError) -> bool:
    """Whether a property of the resource is not set; what is missing elsewhere, such as in `parameters`, is a mistake of the rule."""
    if error.id not in _UNSET:
        return False
    formulas = [each.content for each in (rule.where, rule.require) if each is not None and isinstance(each.content, Formula)]
    return not any(
        reference.start <= error.start < reference.chain_end and reference.name != "self"
        for formula in formulas
        for reference in formula.program.reads
    )


def _truth(condition: Condition | None, scope: _RuleScope) -> Any:
    if condition is None:
        return True
    if isinstance(condition.content, Constant):
        return condition.content.value
    value = condition.content.program.run(scope, {})
    if isinstance(value, Secret):
        value = value.value
    if isinstance(value, bool | Pending) or value is UNKNOWN:
        return value
    raise EvaluationError("A rule is true or false, and this gives {}.", value, id="type-mismatch")


def _broken(rule: Rule, error: EvaluationError, resource: RenderedResource, rendering: Rendering) -> Finding:
    content = rule.require.content
    span: Span = rule.require.origin.value_span()
    if isinstance(content, Formula) and error.start >= 0:
        span = rule.require.origin.inner_span(error.start, error.end)
    message = f"The rule `{rule.name}` cannot be judged for {resource.address}: {error.message}"
    return Finding(
        "rule-fails", "error", message, span, error.hint, resource.address, "", (rendering.environment,), group=f"{rule.name} {error.id}"
    )


def _pointed_at(condition: Condition, resource: RenderedResource, scope: Scope) -> Pointer:
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


def check_examples(rulesets: list[Ruleset], catalogs: Catalogs) -> list[Finding]:
    """A rule's examples, judged with defaults filled in and without `where`: each must turn out as it says."""
    findings = []
    for ruleset in rulesets:
        for rule in ruleset.rules:
            kind = next((each for each in catalogs if applies(rule, each)), None)
            for examples, expected in ((rule.passes, True), (rule.fails, False)):
                for example, origin in examples:
                    held = _example_holds(rule, ruleset, example, kind)
                    if held is not expected:
                        words = ("should pass and fails", "should fail and passes")[not expected]
                        findings.append(
                            Finding(
                                "rule-example-wrong",
                                "error",
                                f"This example of the rule `{rule.name}` {words}.",
                                origin.value_span(),
                                "Correct the rule or the example.",
                            )
                        )
    return findings


def _example_holds(rule: Rule, ruleset: Ruleset, example: dict[str, Any], kind: ResourceType | None) -> bool:
    effective = filled(kind.shape if kind else None, example, "example")
    names: dict[str, Any] = {name: {} for name in ("labels", "parameters", "outputs", "resources")}
    names.update({"self": effective, "address": "example", "type": kind.id if kind else "", "environment": ""})
    try:
        return _truth(rule.require, _RuleScope(names, ruleset.values)) is True
    except EvaluationError as error:
        return _is_unset(rule, error) and not rule.absent_fails
