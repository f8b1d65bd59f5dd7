"""What causes the effects of a deployment: the parameters that are not what they were when the snapshot was recorded.

That is tried (docs/language/effects.md): a parameter is a cause of what it changes when it is given its recorded value again. What no
parameter causes was changed in the template or a catalog, or by somebody where it runs: which of them is told by what was deployed.
"""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.drift import AsDeployed
from jovial_scaffold.core.changes.driving import differs_at, set_at
from jovial_scaffold.core.changes.effect_records import SEVEREST, WRITTEN, Cause, CausePart, Lead, heaviest
from jovial_scaffold.core.changes.parting import given_back, mixed, parts
from jovial_scaffold.core.changes.snapshots import without_unknown
from jovial_scaffold.core.changes.trials import is_equal
from jovial_scaffold.core.expressions.values import Secret, deep_marks
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.overlays import MISSING, Behind, Overlay, trial_meter
from jovial_scaffold.core.rendering.renames import Renames
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.templates.model import Constant
from jovial_scaffold.core.text.source import Pointer, pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN

_MOST_PARTS = 12  # of a parameter that are tried by themselves


class Reason(NamedTuple):
    """A resource of which something is to be explained: what happens to it, which properties change by themselves, and which ones because of
    what other resources' rebuilding."""

    address: str
    effect: str
    type: str
    pointers: tuple[Pointer, ...]
    anew: tuple[tuple[Pointer, tuple[str, ...]], ...] = ()
    weights: tuple[tuple[Pointer, str], ...] = ()  #: what changing each of its properties does
    formerly: str = ""  #: its address where it runs, if that is another


class _Name(NamedTuple):
    """What a cause is, and what tells it from others of its kind."""

    kind: str
    place: str
    inputs: tuple[str, ...] = ()


_Found = dict[_Name, tuple[Pointer, ...]]
"""Causes, each with the properties of one resource that it changes."""


class Causes:
    """Those of one deployment, whose snapshot has the `recorded` values of parameters."""

    def __init__(self, rendering: Evaluated, recorded: Mapping[str, Any], deployed: AsDeployed | None = None) -> None:
        self._rendering = rendering
        self._deployed = deployed
        self._meter = trial_meter(rendering)
        self._behind = Behind(rendering)
        self.untried = 0  #: of how many resources nobody knows, since the budget was spent
        self._overlays: dict[tuple[str, ...], Overlay] = {}
        self._renames: dict[Overlay, Renames] = {}
        known = {name: back for name, value in recorded.items() if (back := self._given_back(name, value)) is not UNKNOWN}
        following = sorted(name for name in known if self._follows(name))
        now = rendering.parameters.values
        self._recorded = {name: value for name, value in known.items() if name not in following and not is_equal(value, now[name])}
        then = Overlay(rendering, self._recorded, self._meter) if following else None
        for name in following:
            if deployed is not None and name in deployed.defaulted:
                continue  # it was no other way then
            if then is not None and not is_equal(then.scope.value(name), known[name]):  # then it was set, and is not any more
                self._recorded[name] = known[name]
        self._parts = {part.name: (part, label, at) for name in sorted(self._recorded) for part, label, at in self._parts_of(name)}
        if deployed is not None:
            deployed.under(self._recorded)
        self._of_parameter = {
            name: tuple(each for each, (part, *_) in self._parts.items() if part.parameter == name) for name in self._recorded
        }

    def _parts_of(self, name: str) -> "Iterator[tuple[CausePart, Pointer, Pointer]]":
        """What of a parameter is another, each with how it is called and where it stands; very many parts are tried as one, and so is what only was
        set, and follows its default now."""
        was, becomes = self._recorded[name], self._rendering.parameters.values[name]
        found = list(islice(parts(was, becomes), _MOST_PARTS + 1))
        if not 0 < len(found) <= _MOST_PARTS:
            yield CausePart(name, "", without_unknown(was), becomes), (), ()
            return
        for each in found:
            yield CausePart(name, pointer_text(each.label), without_unknown(each.was), each.becomes), each.label, each.at

    def _given_back(self, name: str, value: Any) -> Any:
        """The recorded value of a parameter, as far as it can be given again: one of another type would break what is computed from it. UNKNOWN where
        it cannot."""
        scope, now = self._rendering.scope, self._rendering.parameters.values.get(name, UNKNOWN)
        declaration = scope.template.parameters.get(name)
        if declaration is None or isinstance(value, Secret) or isinstance(now, Secret) or now is UNKNOWN:
            return UNKNOWN
        back = given_back(value, now)
        return UNKNOWN if any(each.id == "type" for each in scope.plan.checker.violations(declaration, back)) else back

    def _follows(self, name: str) -> bool:
        """Whether a parameter is what its default makes of others."""
        default = self._rendering.scope.template.parameters[name].default
        return name in self._rendering.parameters.defaulted and default is not None and not isinstance(default, Constant)

    def found(self, reasons: Sequence[Reason]) -> tuple[Cause, ...]:
        """The causes, those first that do the severest; what is caused by several is under each."""
        own = {each.address: self._of(each) for each in reasons}
        by_address = {each.address: each for each in reasons}
        leading: dict[_Name, list[tuple[Reason, tuple[Pointer, ...]]]] = {}
        for each in sorted(reasons, key=lambda each: bool(each.anew)):  # what is dragged along comes after what drags it
            for name, pointers in self._with_dragging(each, by_address, own).items():
                leading.setdefault(name, []).append((each, pointers))
        return tuple(sorted(_together([self._cause(name, found) for name, found in leading.items()]), key=_weight))

    def _with_dragging(self, reason: Reason, by_address: Mapping[str, Reason], own: "Mapping[str, _Found]") -> "_Found":
        """The causes of what happens to a resource, each with the properties that it changes: its own, and those of what drags it along, as far as
        they make that be rebuilt."""
        found = dict(own[reason.address])
        for pointer, because in reason.anew:
            waiting, seen = [*because], {reason.address}
            while waiting:
                dragging = by_address.get(waiting.pop())
                if dragging is None or dragging.address in seen:
                    continue
                seen.add(dragging.address)
                for name, pointers in own[dragging.address].items():
                    if _effect(dragging, pointers) == "rebuild":
                        found[name] = tuple(dict.fromkeys((*found.get(name, ()), pointer)))
                waiting += [each for there, upper in dragging.anew if _effect(dragging, (there,)) == "rebuild" for each in upper]
        return found

    def _of(self, reason: Reason) -> "_Found":
        """What causes what happens to a resource by itself; nothing where it is dragged along only."""
        if reason.effect not in ("add", "remove", "rename", "move") and not reason.pointers:
            return {}
        split = self._deployed.split(reason.address, reason.effect, reason.pointers) if self._deployed is not None else None
        found: _Found = {_Name("somebody", ""): split.drifted} if split is not None and split.by_somebody else {}
        unsaid = [each for each in reason.pointers if each not in (*split.pointers, *split.drifted)] if split is not None else []
        for pointer in unsaid:
            name = _Name("secret" if self._is_secret(reason.address, pointer) else "unknown", "")
            found[name] = (*found.get(name, ()), pointer)
        if split is not None and not split.by_us:
            return found
        ours = reason if split is None else reason._replace(pointers=split.pointers)
        tried = self._tried(ours) if reason.effect not in ("rename", "move") or ours.pointers else {(): ()}
        if self._meter.spent:
            self.untried += 1
            return {}
        found |= {_Name("parameter", "", inputs): pointers for inputs, pointers in tried.items() if inputs}
        other = [each for each in ours.pointers if each not in tried.get((), ()) and self._is_rewritten(ours, each)]
        for pointer in (*(tried[()] or ((),)), *other) if () in tried else other:
            if self._deployed is not None:
                name = _Name(*self._deployed.blamed(reason.address, reason.effect, pointer))
            else:
                name = _Name("secret" if self._is_secret(reason.address, pointer) else "unknown", "")
            found[name] = (*found.get(name, ()), *((pointer,) if pointer else ()))
        return found

    def _is_secret(self, address: str, pointer: Pointer) -> bool:
        """Whether a secret stands there now: nobody recorded what it was, so that no parameter can be tried."""
        resource = self._rendering.resources.get(address)
        held = resource.properties if resource is not None else {}
        return any(isinstance(value_at(held, pointer[: number + 1]), Secret) for number in range(len(pointer)))

    def _tried(self, reason: Reason) -> dict[tuple[str, ...], tuple[Pointer, ...]]:
        """The parts of parameters that cause it, alone or together, with the properties that they change; under no name those that none does.
        What is as it is with all recorded values together was changed by none, whatever one of them alone would do."""
        inputs = self._inputs(reason)
        names = tuple(sorted(each for each in self._recorded if inputs is None or each in inputs))
        changed = self._changes(self._all, reason) if names else None
        if changed is None:
            return {(): reason.pointers}
        ours = reason._replace(pointers=changed)
        alone = {name: own for name in names if (own := self._changes(self._of_parameter[name], ours)) is not None}
        rest = ours._replace(pointers=tuple(each for each in changed if all(each not in own for own in alone.values())))
        found: dict[tuple[str, ...], tuple[Pointer, ...]] = {}
        for name, own in alone.items():
            found |= self._by_part(self._of_parameter[name], reason._replace(pointers=own))
        if rest.pointers or not alone:
            needed = self._fewest(tuple(part for name in names for part in self._of_parameter[name]), rest)
            found[needed] = rest.pointers
        left = tuple(each for each in reason.pointers if each not in changed)
        return {**found, (): left} if left else found

    def _by_part(self, every: tuple[str, ...], reason: Reason) -> dict[tuple[str, ...], tuple[Pointer, ...]]:
        """The parts of a parameter that cause what all of them together do, alone or together."""
        found: dict[tuple[str, ...], tuple[Pointer, ...]] = {}
        for part in every if len(every) > 1 else ():
            own = self._changes((part,), reason)
            if own is not None:
                found[(part,)] = own
        rest = reason._replace(pointers=tuple(each for each in reason.pointers if all(each not in own for own in found.values())))
        if rest.pointers or not found:
            found[self._fewest(every, rest)] = rest.pointers
        return found

    def _fewest(self, names: tuple[str, ...], reason: Reason) -> tuple[str, ...]:
        """As few of some parts as do all that all of them do."""
        needed = names
        for name in names:
            fewer = tuple(each for each in needed if each != name)
            needed = fewer if fewer and self._changes(fewer, reason) == reason.pointers else needed
        return needed

    @property
    def _all(self) -> tuple[str, ...]:
        return tuple(self._parts)

    def _is_rewritten(self, reason: Reason, pointer: Pointer) -> bool:
        """Whether a property, under the recorded values, is not what was deployed: then the template or a catalog had a part in it, too."""
        overlay = self._overlay(self._all)
        address = self._address(overlay, reason)
        if self._deployed is None or address is None:
            return False
        name = str(pointer[0])
        was, made = self._deployed.property(reason.address, name), overlay.property(address, name)
        pending, _, is_unknown = deep_marks([was, made])
        if is_unknown or (pending and address != reason.address):
            return False  # nobody knows, or it names what has another address then
        kind = self._rendering.resources[reason.address].type
        return differs_at(was, made, kind.lists if kind is not None else NO_LISTS, pointer, name)

    def _inputs(self, reason: Reason) -> frozenset[str] | None:
        """What may be behind it; None where that is not known: of a resource that is gone, all may be."""
        if reason.effect == "remove":
            return None
        if reason.effect == "add":
            return self._behind.presence(reason.address)
        return frozenset().union(*(self._behind.property(reason.address, str(each[0])) for each in reason.pointers))

    def _changes(self, names: tuple[str, ...], reason: Reason) -> tuple[Pointer, ...] | None:
        """The properties of a resource that are otherwise with the recorded values of some parameters; None where nothing is."""
        overlay = self._overlay(names)
        address = self._address(overlay, reason)
        there = address is not None
        if reason.effect in ("add", "remove"):
            return () if there == (reason.effect == "remove") else None
        if address is None:
            return None  # it runs, so that it was there is certain: with these values alone, nothing is told
        resource = self._rendering.resources[reason.address]
        lists = resource.type.lists if resource.type is not None else NO_LISTS
        found = []
        for pointer in reason.pointers:
            name = str(pointer[0])
            before = resource.properties.get(name, MISSING)
            then = overlay.property(address, name)
            if not deep_marks(then)[2] and differs_at(before, then, lists, pointer, name):
                found.append(pointer)
        return tuple(found) or None

    def _address(self, overlay: Overlay, reason: Reason) -> str | None:
        """Where a resource is with some recorded values: under its address, or under one that it may have come to from what runs, as an
        item of a loop that has another key then; None where it is not."""
        if overlay.instance(reason.address) is not None:
            return reason.address
        runs = reason.formerly or (reason.address if reason.effect == "remove" else "")
        if not runs or not self._rendering.renames:
            return None
        if overlay not in self._renames:
            self._renames[overlay] = Renames(overlay.scope)
        return next((each for each in (runs, *self._renames[overlay].after(runs)) if overlay.instance(each) is not None), None)

    def _overlay(self, names: tuple[str, ...]) -> Overlay:
        if names not in self._overlays:
            labels: dict[str, set[Pointer]] = {}
            for part, label, _ in map(self._parts.__getitem__, names):
                labels.setdefault(part.parameter, set()).add(label)
            changes = {name: self._value_with(name, chosen) for name, chosen in labels.items()}
            self._overlays[names] = Overlay(self._rendering, changes, self._meter)
        return self._overlays[names]

    def _value_with(self, name: str, chosen: Collection[Pointer]) -> Any:
        """A parameter as it is, with what some parts of it were."""
        if len(chosen) == len(self._of_parameter[name]):
            return self._recorded[name]
        return mixed(self._recorded[name], self._rendering.parameters.values[name], chosen)

    def _cause(self, named: "_Name", reasons: "Sequence[tuple[Reason, tuple[Pointer, ...]]]") -> Cause:
        kind, place, inputs = named
        leads_to: dict[tuple[str, str, tuple[str, ...]], list[str]] = {}
        for each, pointers in reasons:
            properties = tuple(dict.fromkeys(map(pointer_text, pointers)))
            leads_to.setdefault((_effect(each, pointers), each.type, properties), []).append(each.address)
        told = tuple(Lead(effect, type, tuple(addresses), properties) for (effect, type, properties), addresses in leads_to.items())
        if kind != "parameter":
            return Cause(kind, "", place, told)
        found = [self._parts[each] for each in inputs]
        names = dict.fromkeys(part.parameter for part, *_ in found)
        places = dict.fromkeys(set_at(self._rendering, part.parameter, at) for part, _, at in found)
        return Cause(kind, " + ".join(names), _places(filter(None, places)), told, tuple(part for part, *_ in found))


def _effect(reason: Reason, pointers: Sequence[Pointer]) -> str:
    """What changing some properties of a resource does: less than all that happens to it, where others do that."""
    if reason.effect not in ("in_place", "restart", "locked", "rebuild") or not pointers:
        return reason.effect
    weights = dict(reason.weights)
    return heaviest([weights.get(each, "in_place") for each in pointers])


def _together(causes: Sequence[Cause]) -> list[Cause]:
    """The causes; parts of one parameter, and lines of one kind, that lead to the same are one, with all places."""
    found: dict[object, list[Cause]] = {}
    for number, each in enumerate(causes):
        leads = tuple((lead.effect, lead.addresses) for lead in each.leads_to)
        is_alone = each.kind not in WRITTEN and len(each.parts) != 1
        found.setdefault(number if is_alone else (each.kind, each.parameter, leads), []).append(each)
    return [alike[0] if len(alike) == 1 else _joined(alike) for alike in found.values()]


def _joined(causes: Sequence[Cause]) -> Cause:
    """One cause of several that lead to the same, with all that they change."""
    leads = [
        lead._replace(properties=tuple(dict.fromkeys(name for each in causes for name in each.leads_to[number].properties)))
        for number, lead in enumerate(causes[0].leads_to)
    ]
    return replace(
        causes[0],
        place=_places(each.place for each in causes),
        leads_to=tuple(leads),
        parts=tuple(part for each in causes for part in each.parts),
    )


def _places(places: Iterable[str]) -> str:
    """Some lines, those of one file after its name."""
    found: dict[str, list[str]] = {}
    for place in dict.fromkeys(places):
        file, _, line = place.rpartition(":")
        found.setdefault(file, []).append(line)
    return ", ".join(
        f"{file}:{', '.join(sorted(lines, key=_numbered))}" if file else ", ".join(lines) for file, lines in sorted(found.items())
    )


def _numbered(line: str) -> tuple[int, str]:
    return (int(line), "") if line.isdigit() else (0, line)


def _numbered_place(place: str) -> tuple[str, int, str]:
    file, _, rest = place.partition(":")
    line = rest.partition(",")[0]
    return file, int(line) if line.isdigit() else 0, place


def _weight(cause: Cause) -> tuple[object, ...]:
    severest = min(SEVEREST.index(each.effect) for each in cause.leads_to)
    return (
        severest,
        not cause.parameter,
        -sum(len(each.addresses) for each in cause.leads_to),
        cause.parameter,
        cause.kind,
        *_numbered_place(cause.place),
    )
