"""Rules shown to hold for all parameters that are accepted, or broken by some: the smallest change that does it, confirmed by evaluating.

For one rule and one resource, all parameters are symbols first. What types cannot decide is looked at in parts: by the values of what has
few, by which fields of a map are there, by ranges of numbers. Nothing is said to be proven that was not decided in every part.
"""

from collections.abc import Callable, Iterable, Sequence

from jovial_scaffold.core.limits import PROOF_PARTS, PROOF_TRIALS
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.proof.accepted import EVERYTHING, Part, Path, Symbols
from jovial_scaffold.core.proof.applications import Application, Setting, World, behind, reads_context
from jovial_scaffold.core.proof.terms import Goal, Refuted, Term, decided
from jovial_scaffold.core.proof.witnesses import Trials, Witness
from jovial_scaffold.core.rendering.plan import Plan
from jovial_scaffold.core.templates.model import Template

PROVEN, BREAKABLE, FAILING, UNDECIDED = "proven", "breakable", "failing", "undecided"

_AFTER = 8  # parts that are looked at once one of them cannot be decided
_BRIEFLY = 8  # how many times fewer parts and values are looked at in a check that does not ask for proofs


class _Walk:
    """What a look at the parts of all parameter sets came to."""

    def __init__(self) -> None:
        self.proven = True  #: whether it holds in every part
        self.refuted: list[tuple[Part, Refuted]] = []  #: the parts in which it is said not to
        #: what it may hang on: parts of parameters; None where that may be anything
        self.suspects: dict[Path, None] | None = {}

    def suspect(self, goals: Sequence[Goal] | None, symbols: Symbols) -> None:
        """Take in what is open in a part."""
        paths = {symbols.origin(path): None for goal in goals or () for term in goal.terms for path in term.paths}
        if goals is None or any(each.require is False for each in goals) or None in paths:
            self.suspects = None
        elif self.suspects is not None:
            self.suspects.update({path: None for path in paths if path is not None})


class Walks:
    """The looks at all parameter sets that are the same in every environment."""

    def __init__(self, template: Template) -> None:
        self.symbols = Symbols(template)
        self._found: dict[tuple[str, str], _Walk] = {}

    def of(self, application: Application, plan: Plan, walked: Callable[[Application], _Walk]) -> _Walk:
        """The look at one application."""
        key = (application.label, application.address)
        found = self._found.get(key)
        if found is None:
            found = walked(application)
            if found.proven and not reads_context(application, plan):  # else it may have been left for want of time
                self._found[key] = found
        return found


class Proofs:
    """The proofs of one environment. `parameters` are its own; `briefly` looks at few parts and values. `walks` are kept for all environments:
    what reads neither their names nor their labels is the same in each."""

    def __init__(self, setting: Setting, parameters: Parameters, walks: Walks, briefly: bool = False) -> None:
        self._setting = setting
        self._walks = walks
        self._most = PROOF_PARTS.most // (_BRIEFLY if briefly else 1)
        self._symbols = walks.symbols
        self._worlds: dict[tuple[str, ...], World] = {}
        self._limits: dict[tuple[str, ...], list[Term] | None] = {}
        self._trials = Trials(setting, parameters, self._symbols, PROOF_TRIALS.most // (_BRIEFLY if briefly else 1))

    def decide(self, application: Application) -> tuple[str, Witness | None]:
        """What can be shown of one application; of one that accepted values break, a witness."""
        if self._trials.fails_now(application):
            return FAILING, None
        walk = self._walks.of(application, self._setting.plan, self._walked)
        if walk.proven:
            return PROVEN, None
        witness = self._trials.witness(application, walk.suspects, walk.refuted)
        return BREAKABLE if witness is not None else UNDECIDED, witness

    def _walked(self, application: Application) -> _Walk:
        waiting: list[Part] = [EVERYTHING]
        walk = _Walk()
        looked, most = 0, self._most
        while waiting and looked < most and not self._setting.meter.spent:
            part = waiting.pop()
            looked += 1
            limits = self._limits_of(part)
            if limits is None:
                continue  # which `must` refuses
            goals = self._world(part).goals(application)
            told = decided(goals, limits, self._symbols, part) if goals is not None else None
            if told is True:
                continue
            walk.suspect(goals, self._symbols)
            split = self._split(application, part, goals)
            if isinstance(told, Refuted):
                walk.refuted.append((part, told))
                split = split or self._split(application, part, None)  # which may say better how it breaks
            if isinstance(told, Refuted) or split is None:  # it cannot be proven any more
                walk.proven, most = False, min(most, looked + _AFTER)
            waiting += reversed(split or ())
        walk.proven = walk.proven and not waiting and not self._setting.meter.spent
        return walk

    def _split(self, application: Application, part: Part, goals: Sequence[Goal] | None) -> list[Part] | None:
        """A part as smaller ones, by what the open goals read, or, where nobody knows what those are, by all that may matter."""
        if goals is None:
            paths: Iterable[Path] = (path for name in self._roots(application) for path in self._symbols.leaves(name, part))
        else:
            paths = (path for goal in goals for term in goal.terms for path in term.paths)
        ways = [split for path in dict.fromkeys(paths) if (split := self._symbols.splits(path, part)) is not None]
        return min(ways, key=len) if ways else None

    def _roots(self, application: Application) -> list[str]:
        """The parameters that it may hang on, and what stands for items of loops."""
        template = self._setting.plan.template
        return [*behind(application, self._setting.plan), *(each for each in self._symbols.types if each not in template.parameters)]

    def _world(self, part: Part) -> World:
        key = part.key
        if key not in self._worlds:
            checker, template = self._setting.plan.checker, self._setting.plan.template
            values = {name: checker.marked(each, self._symbols.value((name,), part)) for name, each in template.parameters.items()}
            self._worlds[key] = World(self._setting, self._symbols, part, values)
        return self._worlds[key]

    def _limits_of(self, part: Part) -> list[Term] | None:
        if part.key not in self._limits:
            self._limits[part.key] = self._world(part).limits()
        return self._limits[part.key]
