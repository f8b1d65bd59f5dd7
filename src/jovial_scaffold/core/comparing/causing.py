"""What causes the effects of a deployment: the parameters that are not what they were when the snapshot was recorded.

That is tried (docs/language/effects.md): a parameter is a cause of what it changes when it is given its recorded value again. What no
parameter causes was changed in the template or a catalog, or by somebody where it runs.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.comparing.driving import differs_at, set_at
from jovial_scaffold.core.comparing.trials import is_equal
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.overlays import MISSING, Behind, Overlay, trial_meter
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.templates.model import Constant
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN

_PAIR = 2
SEVEREST = ("rebuild", "remove", "restart", "change", "rename", "add")
"""Effects, what interrupts most first."""


class Reason(NamedTuple):
    """A resource of which something is to be explained: what happens to it, which properties change by themselves, and which resources'
    rebuilding drags it along."""

    address: str
    effect: str
    type: str
    pointers: tuple[Pointer, ...]
    dragged: tuple[str, ...]


@value_record
class Cause:
    """A parameter (several that do it only together, joined by a plus), where it is set, and what it leads to, dragged along or not, as
    addresses by effect and type; what it was and is, where it `is_single`. Without a parameter, what no parameter causes."""

    parameter: str
    place: str
    leads_to: tuple[tuple[str, str, tuple[str, ...]], ...]
    was: Any = None
    becomes: Any = None

    @property
    def is_single(self) -> bool:
        """Whether it is one parameter, which was something and is something else."""
        return bool(self.parameter) and " + " not in self.parameter


class Causes:
    """Those of one deployment, whose snapshot has the `recorded` values of parameters."""

    def __init__(self, rendering: Evaluated, recorded: Mapping[str, Any]) -> None:
        self._rendering = rendering
        self._meter = trial_meter(rendering)
        self._behind = Behind(rendering)
        self.untried = 0  #: of how many resources nobody knows, since the budget was spent
        self._overlays: dict[tuple[str, ...], Overlay] = {}
        others = {name: value for name, value in recorded.items() if self._is_other(name, value)}
        following = {name for name in others if self._follows(name)}
        self._recorded = {name: value for name, value in others.items() if name not in following}
        then = Overlay(rendering, self._recorded, self._meter) if following else None
        for name in sorted(following):
            if then is not None and not is_equal(then.scope.value(name), others[name]):  # then it was set, and is not any more
                self._recorded[name] = others[name]

    def _is_other(self, name: str, value: Any) -> bool:
        """Whether a parameter can be given its recorded value, and that is another."""
        now = self._rendering.parameters.values.get(name, UNKNOWN)
        if name not in self._rendering.scope.template.parameters or deep_marks(value)[1]:
            return False
        _, is_secret, is_unknown = deep_marks(now)
        return not (is_secret or is_unknown or is_equal(value, now))

    def _follows(self, name: str) -> bool:
        """Whether a parameter is what its default makes of others."""
        default = self._rendering.scope.template.parameters[name].default
        return name in self._rendering.parameters.defaulted and default is not None and not isinstance(default, Constant)

    def found(self, reasons: Sequence[Reason]) -> tuple[Cause, ...]:
        """The causes, those first that do the severest; what is caused by several is under each."""
        own = {each.address: self._of(each) for each in reasons}
        by_address = {each.address: each for each in reasons}
        leading: dict[str, list[Reason]] = {}
        for each in sorted(reasons, key=lambda each: bool(each.dragged)):  # what is dragged along comes after what drags it
            for name in self._with_dragging(each, by_address, own):
                leading.setdefault(name, []).append(each)
        return tuple(sorted([self._cause(name, found) for name, found in leading.items()], key=_weight))

    def _with_dragging(self, reason: Reason, by_address: Mapping[str, Reason], own: Mapping[str, tuple[str, ...]]) -> Iterable[str]:
        """The causes of what happens to a resource: its own, and those of what drags it along."""
        found: dict[str, None] = dict.fromkeys(own[reason.address])
        waiting, seen = [*reason.dragged], {reason.address}
        while waiting:
            address = waiting.pop()
            if address in seen or address not in by_address:
                continue
            seen.add(address)
            found.update(dict.fromkeys(own[address]))
            waiting += by_address[address].dragged
        return found

    def _of(self, reason: Reason) -> tuple[str, ...]:
        """The parameters that cause what happens to a resource by itself; nothing where it is dragged along only."""
        if reason.effect not in ("add", "remove") and not reason.pointers:
            return ("",) if reason.effect == "rename" else ()  # that stands in the template
        found = self._tried(reason)
        if not self._meter.spent:
            return found
        self.untried += 1
        return ()

    def _tried(self, reason: Reason) -> tuple[str, ...]:
        inputs = self._inputs(reason)
        names = tuple(sorted(each for each in self._recorded if inputs is None or each in inputs))
        alone = tuple(name for name in names if self._changes((name,), reason))
        if alone or len(names) < _PAIR or not self._changes(names, reason):
            return alone or ("",)
        needed = [name for name in names if not self._changes(tuple(each for each in names if each != name), reason)]
        return (" + ".join(needed or names),)

    def _inputs(self, reason: Reason) -> frozenset[str] | None:
        """What may be behind it; None where that is not known: of a resource that is gone, all may be."""
        if reason.effect == "remove":
            return None
        if reason.effect == "add":
            return self._behind.presence(reason.address)
        return frozenset().union(*(self._behind.property(reason.address, str(each[0])) for each in reason.pointers))

    def _changes(self, names: tuple[str, ...], reason: Reason) -> bool:
        """Whether something about a resource is otherwise with the recorded values of some parameters."""
        overlay = self._overlay(names)
        there = overlay.instance(reason.address) is not None
        if reason.effect in ("add", "remove"):
            return there == (reason.effect == "remove")
        if not there:
            return False  # it runs, so that it was there is certain: with these values alone, nothing is told
        resource = self._rendering.resources[reason.address]
        lists = resource.type.lists if resource.type is not None else NO_LISTS
        for pointer in reason.pointers:
            name = str(pointer[0])
            before = resource.properties.get(name, MISSING)
            then = overlay.property(reason.address, name)
            if not deep_marks(then)[2] and differs_at(before, then, lists, pointer, name):
                return True
        return False

    def _overlay(self, names: tuple[str, ...]) -> Overlay:
        if names not in self._overlays:
            self._overlays[names] = Overlay(self._rendering, {name: self._recorded[name] for name in names}, self._meter)
        return self._overlays[names]

    def _cause(self, name: str, reasons: Sequence[Reason]) -> Cause:
        leads_to: dict[tuple[str, str], list[str]] = {}
        for each in reasons:
            leads_to.setdefault((each.effect, each.type), []).append(each.address)
        told = tuple((effect, type, tuple(addresses)) for (effect, type), addresses in leads_to.items())
        if name not in self._recorded:
            places = [set_at(self._rendering, each, ()) for each in name.split(" + ") if name]
            return Cause(name, ", ".join(filter(None, places)), told)
        return Cause(name, set_at(self._rendering, name, ()), told, self._recorded[name], self._rendering.parameters.values[name])


def _weight(cause: Cause) -> tuple[object, ...]:
    severest = min(SEVEREST.index(effect) for effect, *_ in cause.leads_to)
    return severest, not cause.parameter, -sum(len(addresses) for *_, addresses in cause.leads_to), cause.parameter
