"""Conditions over parameters that no values meet, alone or together, before any environment."""

from collections.abc import Iterable, Iterator, Sequence
from itertools import product
from math import prod

from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.limits import COMPLETED_WITNESSES
from jovial_scaffold.core.templates.knowledge import Known, KnownScope
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
    """Conditions that read a parameter in common, directly or through others, and values of these parameters that meet all of them."""

    def __init__(self, known: Known) -> None:
        self._known = known
        self.requirements: dict[Requirement, None] = {}
        self.names: set[str] = set()
        self.is_open = False  # whether more than parameters decide, or there are too many values
        self._scopes: Iterator[KnownScope] = iter(())  # those that were not looked at
        self._met_by: KnownScope | None = None

    def take(self, requirement: Requirement, names: frozenset[str], others: Iterable["_Tied"]) -> None:
        """Take in a condition that reads parameters, and all that is tied to one of them."""
        before = len(self.names)
        for other in others:
            self.requirements.update(other.requirements)
            self.names |= other.names
            self.is_open = self.is_open or other.is_open
        self.requirements[requirement] = None
        self.names |= names
        content = requirement.require.content
        if isinstance(content, Formula) and any(each.name == "context" for each in content.program.reads):
            self.is_open = True
        if len(self.names) > before and not self.is_open:
            self._begin()

    def _begin(self) -> None:
        self.is_open = prod(len(self._known.finite[name]) for name in self.names) > COMPLETED_WITNESSES.most
        if not self.is_open:
            self._scopes = self.scopes()
            self._met_by = None

    def scopes(self) -> Iterator[KnownScope]:
        """All values of the parameters."""
        names = sorted(self.names)
        for values in product(*(self._known.finite[name] for name in names)):
            yield self._known.scope(dict(zip(names, values, strict=True)))

    def may_hold(self, latest: Requirement) -> bool:
        """Whether some values meet all conditions, of which the others met some before."""
        if self.is_open:
            return True
        if self._met_by is not None and self._known.truth(latest.require, self._met_by, {}) is not False:
            return True
        # What was looked at before fails one of the others, and fails all the more now.
        self._met_by = next((scope for scope in self._scopes if not any(self._failing(scope))), None)
        return self._met_by is not None

    def _failing(self, scope: KnownScope) -> Iterator[Requirement]:
        return (each for each in self.requirements if self._known.truth(each.require, scope, {}) is False)

    def against(self, latest: Requirement) -> list[Requirement]:
        """Of the others, those that leave nothing to the latest: without any of them, something would be left."""
        failing = [found for found in (set(self._failing(scope)) for scope in self.scopes()) if latest not in found]
        needed = [each for each in self.requirements if each is not latest]
        for each in list(needed):  # whichever are not needed for it
            concerned = [found for found in failing if each in found]
            if len(needed) > 1 and all(len(found) > 1 for found in concerned):
                needed.remove(each)
                for found in concerned:
                    found.discard(each)
        return needed


def _contradiction(known: Known, requirements: Sequence[Requirement]) -> Iterator[Finding]:
    """The first condition that cannot hold beside those before it, with the ones that it contradicts."""
    by_name: dict[str, _Tied] = {}
    for requirement in requirements:
        content = requirement.require.content
        names = known.closure([each.name for each in content.program.reads]) if isinstance(content, Formula) else frozenset[str]()
        if not names or not known.finite.keys() >= names:
            continue
        met = {by_name[name] for name in names if name in by_name}
        tied = max(met, key=lambda each: len(each.names)) if met else _Tied(known)
        met.discard(tied)
        tied.take(requirement, names, met)
        by_name.update(dict.fromkeys(names.union(*(each.names for each in met)), tied))
        if len(tied.requirements) > 1 and not tied.may_hold(requirement):
            against = [each for each in requirements if each in set(tied.against(requirement))]
            related = tuple(Related(each.require.origin.value_span(), say("It cannot hold beside this one.")) for each in against)
            message = say("No values of the parameters meet this condition and those before it.")
            span = requirement.require.origin.value_span()
            yield Finding("must-never", "error", message, span, say("Correct one of them."), related=related)
            return
