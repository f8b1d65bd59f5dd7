"""The examples that rules carry: what is said to pass passes, and what is said to fail fails."""

from collections.abc import Iterable, Iterator
from contextlib import suppress
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import Evaluator
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.syntax import Conditional, Macro, Node, Operation, children
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.rules.evaluation import applies
from jovial_scaffold.core.rules.reading import Rule, Ruleset
from jovial_scaffold.core.rules.subjects import RuleScope, is_unset, truth
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType
from jovial_scaffold.core.schemas.shapes import filled
from jovial_scaffold.core.templates.model import Constant, Named
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.words import listed, nearest, say


def check_examples(rulesets: list[Ruleset], catalogs: Catalogs) -> list[Finding]:
    """A rule's examples, judged with defaults filled in and without `where`: each must turn out as it says."""
    findings = []
    for ruleset in rulesets:
        for rule in ruleset.rules:
            fitting = [each for each in catalogs if applies(rule, each)]
            kind = fitting[0] if fitting else None
            for examples, expected in ((rule.passes, True), (rule.fails, False)):
                for example, origin in examples:
                    unknown = _unknown_property(rule, example, origin, fitting)
                    if unknown is not None:
                        findings.append(unknown)
                        continue
                    held = _example_holds(rule, ruleset, example, kind, catalogs)
                    if held is not expected:
                        words = ("should pass and fails", "should fail and passes")[not expected]
                        findings.append(
                            Finding(
                                "rule-example-wrong",
                                "error",
                                say("This example of the rule `{}` {}.", rule.name, words),
                                origin.value_span(),
                                say("Correct the rule or the example."),
                            )
                        )
    return findings


def _unknown_property(rule: Rule, example: dict[str, Any], origin: Origin, kinds: list[ResourceType]) -> Finding | None:
    """What an example sets that none of the types has which its rule is about."""
    if rule.over != "resource" or not kinds:
        return None
    for key in example:
        if any(key in kind.schema.get("properties", ()) for kind in kinds):
            continue  # as most are
        types = [kind.effective for kind in kinds]
        if all(each.fields is not None and each.others is None and key not in each.fields for each in types):
            message = say(
                "An example of the rule `{}` sets `{}`, which {} has not.", rule.name, key, listed([kind.id for kind in kinds[:3]], "or")
            )
            hint = nearest(key, {name for each in types for name in each.fields or ()})
            return Finding("rule-example-wrong", "error", message, origin.child(key).key_span(), hint)
    return None


_EMPTY: dict[str, Any] = {"environment": "", "labels": {}, "parameters": {}, "outputs": {}, "resources": {}}


def _values(ruleset: Ruleset) -> dict[str, Named]:
    """The named values that examples are judged with: of what the ruleset takes, its own defaults, whatever a project gives it."""
    defaults = {name: each.schema["default"] for name, each in ruleset.takes.items() if "default" in each.schema}
    return ruleset.values | {
        name: Named(name, Constant(value, ruleset.takes[name].origin), ruleset.takes[name].origin) for name, value in defaults.items()
    }


def _example_names(rule: Rule, example: dict[str, Any], kind: ResourceType | None, catalogs: Catalogs) -> dict[str, Any]:
    """The names that an example gives a rule of each scope; what it leaves out is empty."""
    if rule.over == "pair":
        return {side: _EMPTY | _with_defaults(example.get(side) or {}, catalogs) for side in ("left", "right")}
    common = {**_EMPTY, "address": "example", "type": kind.id if kind else ""}
    if rule.over in ("environment", "effect"):
        given = _with_defaults(example, catalogs)
        for side in ("was", "becomes") if rule.over == "effect" else ():
            given[side] = filled(kind.shape if kind else None, example.get(side), "example") if example.get(side) is not None else None
        return {**common, "effect": "", "touched": [], "causes": [], **given}
    if rule.over == "declarations":
        return {"self": {"name": "", "module": "", **example}}
    return {**common, "self": filled(kind.shape if kind and rule.over == "resource" else None, example, "example")}


def _with_defaults(names: dict[str, Any], catalogs: Catalogs) -> dict[str, Any]:
    """Names with the defaults of their types filled into resources."""
    resources = names.get("resources")
    if not isinstance(resources, dict):
        return dict(names)
    found = {}
    for address, each in resources.items():
        if isinstance(each, dict):
            kind = catalogs.find(str(each.get("type", "")))
            properties = filled(kind.shape if kind else None, each.get("properties") or {}, address)
            found[address] = {**each, "type": kind.id if kind else each.get("type", ""), "properties": properties}
    return {**names, "resources": found}


def untested(rulesets: Iterable[Ruleset]) -> Iterator[Finding]:
    """Rules that no example makes fail: a rule that cannot fail looks like one that holds."""
    for rule in (rule for ruleset in rulesets for rule in ruleset.rules):
        if not rule.fails:
            told = say("No example makes the rule `{}` fail.", rule.name)
            yield Finding("rule-untested", "warning", told, rule.origin.key_span(), say("Write one under `examples: {fails: …}`."))


class _Watching(Evaluator):
    """Evaluates as ever, and remembers which expressions were."""

    def __init__(self, scope: RuleScope) -> None:
        super().__init__(scope)
        self.seen: set[Node] = set()

    def run(self, node: Node, names: Any) -> Any:
        """The value of an expression. Raises EvaluationError."""
        self.seen.add(node)
        return super().run(node, names)


def unreached(rulesets: Iterable[Ruleset], catalogs: Catalogs) -> Iterator[Finding]:
    """Conditions behind `&&`, `||` and `?:` of rules with examples that none of these comes to."""
    for ruleset in rulesets:
        for rule in ruleset.rules:
            formula, examples = rule.require.content, (*rule.passes, *rule.fails)
            if not isinstance(formula, Formula) or not examples:
                continue
            kind = next((each for each in catalogs if applies(rule, each)), None)
            seen: set[Node] = set()
            for example, _ in examples:
                watching = _Watching(RuleScope(_example_names(rule, example, kind, catalogs), _values(ruleset)))
                with suppress(EvaluationError):
                    watching.run(formula.node, {})
                seen |= watching.seen
            for node in _conditional(formula.node):
                if node not in seen:
                    span = rule.require.origin.inner_span(formula.offset + node.start, formula.offset + node.end)
                    told = say("No example of the rule `{}` comes to this condition.", rule.name)
                    yield Finding("rule-unreached", "warning", told, span, say("Write an example in which it decides."))


def _conditional(whole: Node) -> Iterator[Node]:
    """What is evaluated only where something else allows it: the first of it on each way, and not what lies below."""
    if isinstance(whole, Operation) and whole.operator in ("&&", "||"):
        yield from whole.operands[1:]
    elif isinstance(whole, Conditional):
        yield from (whole.then, whole.otherwise)
    elif isinstance(whole, Macro):
        yield from whole.bodies
    for each in children(whole):
        yield from _conditional(each)


def _example_holds(rule: Rule, ruleset: Ruleset, example: dict[str, Any], kind: ResourceType | None, catalogs: Catalogs) -> bool:
    names = _example_names(rule, example, kind, catalogs)
    sources = {"environment": ("resources",), "pair": ("left", "right"), "effect": ("was", "becomes")}.get(rule.over, ("self",))
    try:
        return truth(rule.require, RuleScope(names, _values(ruleset))) is True
    except EvaluationError as error:
        return is_unset(rule.require, error, sources) and not rule.absent_fails
