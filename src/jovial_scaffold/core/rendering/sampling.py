"""What is wrong whatever the parameters are, found by rendering: with made-up values that the declarations and every `must` accept.

A mistake that comes about in each such rendering where its resource is there is one before any environment, too: each is a witness. What
hangs on values that nobody can list, such as open texts, is left in silence: others may fit. Where only their being secret or pending
matters, one rendering is enough.
"""

import random
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import SAMPLED_RESOURCES, SAMPLED_ROUNDS
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.environment import Environment
from jovial_scaffold.core.rendering.instances import Shared
from jovial_scaffold.core.rendering.plan import Plan, Plans
from jovial_scaffold.core.rendering.rendering import Evaluated, render
from jovial_scaffold.core.schemas.sampling import sampled
from jovial_scaffold.core.templates.openness import Openness
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import say, together

_MOST, _FEW = 8, 2  # renderings of a template, and of a very large one
_TRIES = 6  # sets of values for each of them, as long as some `must` refuses them
#: what depends on values that were made up, or says nothing of one place
_PASSED_OVER = ("parameter-", "must-", "identity-", "range-", "run-", "too-", "expression-budget")
# What depends on a value being secret or pending, which it is whatever it is.
_UNDECIDABLE = frozenset(("condition-undecidable", "loop-undecidable"))
_MARKED = frozenset(("A key is part of an address, and {}.", "`to` must be known before the deployment, and this is {}."))
_Key = tuple[Any, ...]


def with_always_wrong(
    plan: Plan, plans: Plans, contexts: Sequence[Mapping[str, Any]], said: Sequence[Finding], elsewhere: Sequence[Finding], meter: Meter
) -> list[Finding]:
    """What was said before any environment, and the mistakes that come about in all renderings that were tried, but for places of which
    something was said `elsewhere`. Where it was only said that one may come about, it does."""
    errors = [each for each in (*said, *elsewhere) if each.level == "error"]
    found = always_wrong(plan, plans, contexts, errors, meter)
    certain = {(each.id, *_start(each)) for each in found}
    return [*(each for each in said if each.level == "error" or (each.id, *_start(each)) not in certain), *found]


def always_wrong(plan: Plan, plans: Plans, contexts: Sequence[Mapping[str, Any]], said: Sequence[Finding], meter: Meter) -> list[Finding]:
    """The mistakes that come about in all renderings that were tried, but for those at places of which something was `said`. `contexts` are
    those of the declared environments."""
    places = {_start(each) for each in said}
    renderings = list(_renderings(plan, plans, contexts, meter.beside(SAMPLED_ROUNDS.most)))
    counts: Counter[_Key] = Counter()
    first: dict[_Key, Finding] = {}
    for rendering in renderings:
        wrong = [each for each in rendering.findings if each.level == "error" and not each.id.startswith(_PASSED_OVER)]
        found = {_key(each): each for each in reversed(wrong)}
        counts.update(found.keys())
        first = {**found, **first}
    there: Counter[str] = Counter(
        name for rendering in renderings for name in {address.partition("/")[0] for address in rendering.resources}
    )
    result, openness = [], Openness(plan.template)
    for key, finding in first.items():
        name = finding.address.partition("/")[0]
        reached = there[name] if name in plan.template.resources and there[name] else len(renderings)
        is_marked = finding.id in _UNDECIDABLE or finding.message.template in _MARKED  # once is enough: the values were accepted
        always = counts[key] == reached >= min(2, len(renderings)) and (finding.span is None or not openness.is_open(finding.span))
        if (is_marked or always) and _start(finding) not in places:
            hint = finding.hint
            if plan.template.parameters and not is_marked:
                hint = together(hint, say("This came about with each of the {} sets of values that were tried.", reached))
            related = tuple(each for each in finding.related if each.span is not None)
            result.append(replace(finding, hint=hint, environments=(), related=related))
    return result


def _start(finding: Finding) -> _Key:
    return (finding.span.file, finding.span.line, finding.span.column) if finding.span is not None else (finding.id, finding.address)


def _key(finding: Finding) -> _Key:
    return (finding.id, *_start(finding), finding.address.partition("/")[0], finding.pointer)


def _renderings(plan: Plan, plans: Plans, contexts: Sequence[Mapping[str, Any]], meter: Meter) -> Iterator[Evaluated]:
    resources = max(len(plan.template.resources), plans.least_instances(plan.template))
    wanted = _FEW if resources > SAMPLED_RESOURCES.most else _MOST
    if not plan.template.parameters:
        wanted = min(wanted, max(1, len(contexts)))
    done = 0
    for number in range(wanted * _TRIES):
        if done == wanted or meter.spent:
            return
        context = contexts[number % len(contexts)]
        parameters = _parameters(plan, number)
        if _is_accepted(plan, plans, parameters, context, meter):
            rendering = render(plan, parameters, context, plans, meter=meter)
            done += 1
            if not meter.spent:
                yield rendering


def _parameters(plan: Plan, number: int) -> Parameters:
    """Made-up values for all parameters; those without any that is found easily are unknown."""
    chance = random.Random(number)
    parameters = Parameters("", ())
    for name, declaration in plan.template.parameters.items():
        chosen = chance.randrange(1_000)
        if declaration.default is not None and chance.random() < 0.5:
            parameters.defaulted = (*parameters.defaulted, name)
            continue
        value = sampled(declaration.schema, chosen)
        if value is not UNKNOWN:
            value = plan.checker.marked(declaration, plan.checker.as_declared(declaration, value))
        parameters.values[name] = value
    return parameters


def _is_accepted(plan: Plan, plans: Plans, parameters: Parameters, context: Mapping[str, Any], meter: Meter) -> bool:
    """Whether every `must` holds, as far as it is known."""
    found: list[Finding] = []
    trial = Parameters(parameters.environment, (), dict(parameters.values), parameters.defaulted)
    scope = Environment(plan, Shared(plans, dict(context), found.append, meter=meter), trial)
    template = plan.template
    for requirements in (template.must, *(each.must for each in template.parameters.values())):
        scope.judge(requirements)
    return not found
