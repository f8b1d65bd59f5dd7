"""One model of a change for all who tell of changes: an effect for each resource, as a deployment has it, also of one column of a comparison
over another; and what each change comes from."""

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import PLAIN, leaves
from jovial_scaffold.core.changes.changing import TYPE, change_effect, holds_data, surely_differs, type_effect
from jovial_scaffold.core.changes.dragging import drag
from jovial_scaffold.core.changes.driving import TEMPLATE, Driver
from jovial_scaffold.core.changes.effect_records import MISSING, Beside, Change, Effect, Effects, effect_of
from jovial_scaffold.core.changes.matrix import Comparison, Row, same, with_names
from jovial_scaffold.core.rendering.overlays import CONTEXT
from jovial_scaffold.core.rendering.results import RenderedResource, Rendering
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN


class Origin(NamedTuple):
    """What a change comes from: the `kind` of a Cause, or a `file`; a parameter, where it is one; and the place that sets it."""

    kind: str
    parameter: str
    place: str


class Edges(NamedTuple):
    """What changes: resources by address, and outputs and documents; of each resource, what that comes from."""

    effects: tuple[Effect, ...]
    beside: tuple[Beside, ...]
    origins: Mapping[str, tuple[Origin, ...]]


def origins_of(result: Effects) -> dict[str, tuple[Origin, ...]]:
    """What makes the effects of a deployment, by address."""
    found: dict[str, tuple[Origin, ...]] = {}
    for each in result.causes or ():
        origin = Origin(each.kind, each.parameter, each.place)
        for address in {address for lead in each.leads_to for address in lead.addresses}:
            found[address] = (*found.get(address, ()), origin)
    return found


def between(comparison: Comparison, was: str, becomes: str) -> Edges:
    """What it would do to deploy what one column has over what another has; `comparison` still has its renderings, and only what it was asked
    for is told."""
    columns = dict(zip(comparison.environments, comparison.renderings, strict=True))
    made = _Made(columns[was], columns[becomes], becomes)
    for row in comparison.differences:
        sides = (row.values.get(was, MISSING), row.values.get(becomes, MISSING))
        if row.kind == "address":
            made.name(row.address, *sides)
        if sides[0] is not sides[1] and (any(side is MISSING for side in sides) or not same(*sides)):
            made.take(row, *sides)
    return made.edges()


class _Made:
    """The edges of two columns, as rows come in."""

    def __init__(self, old: Rendering, new: Rendering, label: str) -> None:
        self._old, self._new, self._label = old, new, label
        self._pointers: dict[str, list[Pointer]] = {}  #: of resources that are in both, where rows differ
        self._names: dict[str, tuple[Any, Any]] = {}  #: of what was renamed, also in other columns, what it is called in both
        self._presence: dict[str, str] = {}
        self._beside: list[Beside] = []
        self._origins: dict[str, dict[Origin, None]] = {}

    def name(self, address: str, was: Any, becomes: Any) -> None:
        """What a resource is called in both, which goes by its newest address."""
        self._names[address] = was, becomes

    def take(self, row: Row, was: Any, becomes: Any) -> None:
        """One row that is not the same in both."""
        if row.kind in ("output", "document") or row.type == "document":
            self._take_beside(row, was, becomes)
            return
        if row.kind == "presence":
            self._presence[row.address] = "add" if was is MISSING else "remove"
        elif row.kind == "address" and was is not MISSING and becomes is not MISSING:
            self._pointers.setdefault(row.address, [])
        elif row.kind == "property" and self._is_in_both(row.address):
            self._pointers.setdefault(row.address, []).append(row.pointer)
        else:
            return
        for driver in row.drivers:
            self._origins.setdefault(row.address, {})[_origin(driver, self._label)] = None

    def _take_beside(self, row: Row, was: Any, becomes: Any) -> None:
        part = f":{row.pointer[0]}" if row.kind == "document" else ""
        effect = "add" if was is MISSING else "remove" if becomes is MISSING else "in_place"
        if row.kind == "presence":
            self._beside.append(Beside("document", row.address, effect))
        else:
            self._beside.append(Beside(row.kind, f"{row.address}{part}", "in_place" if part or row.pointer else effect, was, becomes))

    def _own(self, address: str) -> tuple[str, str]:
        """What a resource is called in both; where it is not there, as in the other."""
        was, becomes = self._names.get(address, (address, address))
        return (becomes if was is MISSING else was), (was if becomes is MISSING else becomes)

    def _is_in_both(self, address: str) -> bool:
        was, becomes = self._own(address)
        return was in self._old.resources and becomes in self._new.resources

    def edges(self) -> Edges:
        """All of it, with what rebuilding some drags along."""
        names = [self._own(address) for address in self._names]
        newest = dict(names)
        found: dict[str, Effect] = {}
        for address, pointers in self._pointers.items():
            was, becomes = self._own(address)
            old, new = self._old.resources[was], self._new.resources[becomes]
            changes = tuple(self._changes(old, new, pointers, newest))
            formerly = was if was != becomes else ""
            found[becomes] = self._effect(becomes, effect_of(changes, formerly, becomes), changes, formerly, new.keep or old.keep)
        if any(each.effect == "rebuild" for each in found.values()):
            olds = {becomes: was for was, becomes in names}
            held = {name: there.properties for name in self._new.resources if (there := self._old.resources.get(olds.get(name, name)))}
            every = {name: found.get(name) or self._effect(name, "unchanged" if name in held else "add") for name in self._new.resources}
            drag(every, self._new, held)
            found = {name: each for name, each in every.items() if name in held}
        presence = {self._own(address)[effect == "add"]: effect for address, effect in self._presence.items()}
        found |= {address: self._effect(address, effect) for address, effect in presence.items()}
        told = tuple(found[name] for name in sorted(found) if found[name].effect != "unchanged")
        return Edges(told, tuple(self._beside), {self._own(address)[1]: tuple(each) for address, each in self._origins.items()})

    def _changes(
        self, old: RenderedResource, new: RenderedResource, pointers: list[Pointer], newest: Mapping[str, str]
    ) -> Iterator[Change]:
        """The properties that change, as a deployment finds them: with defaults filled in, what only one side has as a whole."""
        if TYPE in pointers:
            effect = type_effect(old.type_text, new.type_text)
            yield Change(TYPE, old.type_text, new.type_text, effect)
            if effect == "rebuild":
                return
        lists = new.type.lists if new.type is not None else NO_LISTS
        held = _held(old, new, {str(pointer[0]) for pointer in pointers if pointer})
        for leaf in leaves({0: with_names(held[0], newest), 1: held[1]}, lists, 2, whole=True):
            was, becomes = leaf.values.get(0, MISSING), leaf.values.get(1, MISSING)
            if was is UNKNOWN or becomes is UNKNOWN or not any(_is_of(leaf.label, each) for each in pointers):
                continue
            certain = was is MISSING or surely_differs(was, becomes, self._old.resources)
            effect = change_effect(new.type, leaf.at.get(1) or leaf.at[0], was, becomes, MISSING)
            yield Change(leaf.label, was, becomes, effect, certain=certain)

    def _effect(self, address: str, effect: str, changes: tuple[Change, ...] = (), formerly: str = "", keep: bool | None = None) -> Effect:
        resource = self._new.resources.get(address) or self._old.resources[address]
        kept = resource.keep if keep is None else keep
        return Effect(address, effect, resource.type_text, changes, formerly, (), kept, holds_data(resource.type))


def _held(old: RenderedResource, new: RenderedResource, names: set[str]) -> tuple[dict[str, Any], dict[str, Any]]:
    """What two resources have, with the defaults of the catalog; of plain values that both set, these alone."""
    sides = tuple({name: each.properties[name] for name in names if name in each.properties} for each in (old, new))
    if all(type(side.get(name)) in PLAIN for side in sides for name in names):
        return sides[0], sides[1]
    return old.as_written, new.as_written


def _is_of(label: Pointer, pointer: Pointer) -> bool:
    """Whether one of them is inside of the other; items without a key may stand elsewhere beside other columns."""
    for one, other in zip(label, pointer, strict=False):
        if isinstance(one, int) or isinstance(other, int):
            return True
        if one != other:
            return False
    return True


def _origin(driver: Driver, label: str) -> Origin:
    """What is behind a difference, as one column has it."""
    place = driver.sources.get(label, "")
    if driver.parameter == TEMPLATE:
        return Origin("template", "", place)
    if driver.parameter.startswith(CONTEXT):
        return Origin("project", "", ", ".join(filter(None, (place, driver.parameter))))
    return Origin("parameter", driver.parameter, place)
