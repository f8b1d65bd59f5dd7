"""Conditions over parameters that no values meet, alone or together, before any environment."""

from collections.abc import Iterator, Sequence
from itertools import islice, product
from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.limits import COMPLETED_WITNESSES
from jovial_scaffold.core.templates.knowledge import Known
from jovial_scaffold.core.templates.model import Requirement
from jovial_scaffold.core.words import say


def never_met(known: Known) -> Iterator[Finding]:
    """What is wrong with the conditions of a template: one that nothing meets, or the first that contradicts those before it."""
    template = known.template
    requirements = [*template.must, *(each for declared in template.parameters.values() for each in declared.must)]
    possible = []
    for requirement in requirements:
        if isinstance(requirement.require.content, Formula) and _is_never(known, requirement, requirement.require.content):
            message = say("No values of the parameters meet this condition.")
            hint = say("Correct the condition, or what the parameters may be.")
            yield Finding("must-never", "error", message, requirement.require.origin.value_span(), hint)
        else:
            possible.append(requirement)
    yield from _contradiction(known, possible)


def _is_never(known: Known, requirement: Requirement, formula: Formula) -> bool:
    names = known.closure([reference.name for reference in formula.program.reads])
    if names - known.finite.keys():
        results = [known.truth(requirement.require, known.scope({}), {})]
    else:
        results = [known.truth(requirement.require, known.scope(each), {}) for each in known.assignments(names, every=True)]
    return bool(results) and all(result is False for result in results)


class _Tied:
    """Conditions that read a parameter in common, directly or through others, and the parameters that they read."""

    def __init__(self) -> None:
        self.requirements: dict[Requirement, None] = {}
        self.names: set[str] = set()


def _contradiction(known: Known, requirements: Sequence[Requirement]) -> Iterator[Finding]:
    """The first condition that cannot hold beside those before it, with the ones that it contradicts."""
    by_name: dict[str, _Tied] = {}
    for requirement in requirements:
        content = requirement.require.content
        names = known.closure([each.name for each in content.program.reads]) if isinstance(content, Formula) else frozenset[str]()
        if not names or not known.finite.keys() >= names:
            continue
        met = {by_name[name] for name in names if name in by_name}
        tied = max(met, key=lambda each: len(each.names)) if met else _Tied()
        for other in met - {tied}:
            tied.requirements.update(other.requirements)
            tied.names |= other.names
        tied.requirements[requirement] = None
        tied.names |= names
        by_name.update(dict.fromkeys(names.union(*(each.names for each in met - {tied})), tied))
        held = tied.requirements
        if len(held) > 1 and not _may_hold(known, list(held)):
            before = [each for each in requirements if each in held and each is not requirement]
            others = before
            for each in before:  # whichever are not needed for it
                rest = [other for other in others if other is not each]
                if rest and not _may_hold(known, [*rest, requirement]):
                    others = rest
            related = tuple(Related(each.require.origin.value_span(), say("It cannot hold beside this one.")) for each in others)
            message = say("No values of the parameters meet this condition and those before it.")
            span = requirement.require.origin.value_span()
            yield Finding("must-never", "error", message, span, say("Correct one of them."), related=related)
            return


def _may_hold(known: Known, requirements: Sequence[Requirement]) -> bool:
    """Whether some values may meet all conditions, as far as the values that they read are few."""
    reads = [each for one in requirements if isinstance(one.require.content, Formula) for each in one.require.content.program.reads]
    names = sorted(known.closure([each.name for each in reads]))
    if not names or not known.finite.keys() >= {*names} or any(each.name == "context" for each in reads):
        return True
    total = 1
    for name in names:
        total *= len(known.finite[name])
    if total > COMPLETED_WITNESSES.most:
        return True
    choices: Iterator[tuple[Any, ...]] = islice(product(*(known.finite[name] for name in names)), COMPLETED_WITNESSES.most)
    scopes = (known.scope(dict(zip(names, values, strict=True))) for values in choices)
    return any(all(known.truth(each.require, scope, {}) is not False for each in requirements) for scope in scopes)
