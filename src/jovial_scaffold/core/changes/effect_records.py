"""What a deployment does, as records: an effect for each resource, its changes, the steps in rounds, and what is not there meanwhile."""

from collections.abc import Iterable
from dataclasses import field
from enum import Enum
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.authorship import Authored
from jovial_scaffold.core.changes.snapshots import Snapshot
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.text.source import Pointer

EFFECTS = ("add", "in_place", "restart", "rebuild", "locked", "rename", "move", "remove", "unchanged")


class _Unset(Enum):
    """One thing, in whatever process."""

    missing = "missing"


MISSING = _Unset.missing  #: stands for the value of a property that is not set


SEVEREST = ("rebuild", "remove", "locked", "restart", "in_place", "move", "rename", "add")
"""Effects, what interrupts most first."""


@value_record
class Change:
    """A property that would change. `effect` is its `changeEffect`; `because` the addresses whose rebuilding changes it, if that is why.

    `certain` is False where only the deployment can know whether it changes; `counted` is False where only `context.run` makes it.
    """

    pointer: Pointer
    was: Any
    becomes: Any
    effect: str
    because: tuple[str, ...] = ()
    certain: bool = True
    counted: bool = True

    @property
    def was_set(self) -> bool:
        """Whether the property is set now."""
        return self.was is not MISSING

    @property
    def will_be_set(self) -> bool:
        """Whether it would be."""
        return self.becomes is not MISSING


@value_record
class Effect:
    """What would happen to one resource. `dragged` are the resources whose rebuilding makes this one change or rebuild; `holds_data` says that
    it keeps what is lost with it (`holdsData` of the catalog)."""

    address: str
    effect: str
    type: str
    changes: tuple[Change, ...] = ()
    formerly: str = ""
    dragged: tuple[str, ...] = ()
    keep: bool = False
    holds_data: bool = False

    @property
    def rebuilt_for(self) -> tuple[Change, ...]:
        """The changes that make it a rebuild."""
        return tuple(each for each in self.changes if each.effect == "rebuild" and each.counted and each.certain)


class Lead(NamedTuple):
    """What a cause does to some resources of one type: the effect on them, and the properties that it changes."""

    effect: str
    type: str
    addresses: tuple[str, ...]
    properties: tuple[str, ...]


WRITTEN = ("template", "lookup", "project", "catalog")
"""Kinds of causes that stand in files and are no parameter: a line of a template or module, a row of a table, a line of the project file or its
workspace, a type."""


class CausePart(NamedTuple):
    """A parameter, or a part of one (`part` is its pointer as a text), with what it was and is; MISSING is what is not there."""

    parameter: str
    part: str
    was: Any
    becomes: Any

    @property
    def name(self) -> str:
        """How people read it: `probes:north/depth`."""
        return f"{self.parameter}:{self.part}" if self.part else self.parameter


@value_record
class Cause:
    """What it is (one of `CAUSE_KINDS` of rules), a parameter (several that do it only together, joined by a plus), where it is set, and what it leads to, dragged along
    or not. `parts` are what of the parameters is another. The place is that of the lines, with the row or the label; of a catalog, the type."""

    kind: str
    parameter: str
    place: str
    leads_to: tuple[Lead, ...]
    parts: tuple[CausePart, ...] = ()
    authored: Authored | None = None  #: who wrote that line since the last deployment, where that is known


@value_record
class Step:
    """One thing that the deployment does: make, change or remove a resource. A rebuild is a removal and a making."""

    deed: str
    address: str


@value_record
class Beside:
    """An output, or a document, its target (`NAME:to`) or a line of it (`NAME:LINE`), that is not as it was recorded."""

    kind: str
    name: str
    effect: str
    was: Any = MISSING
    becomes: Any = MISSING
    certain: bool = True  #: False where only the deployment can know whether it changes
    because: tuple[str, ...] = ()  #: rebuilt resources whose values it holds, where nothing else in it changes


@value_record
class Interruption:
    """A resource that does not work for a while: it is `gone` from one round to another (for good, where that is 0), or has a `restart` in
    one; `loses_data` says that what it held is lost."""

    address: str
    what: str
    since: int
    until: int
    loses_data: bool


@value_record
class Effects:
    """All effects, by address; the steps in rounds; what was found wrong; what is not ours. `causes` are None where the snapshot says neither
    what parameters were nor as of which revision; `beside` are the outputs and documents that change."""

    environment: str
    snapshot: Snapshot
    effects: tuple[Effect, ...]
    rounds: tuple[tuple[Step, ...], ...]
    findings: list[Finding] = field(default_factory=list)
    teardown: bool = False
    causes: tuple[Cause, ...] | None = None
    beside: tuple[Beside, ...] = ()
    source: str = ""  #: the view whose parameters it has, where these are not its own

    @property
    def interruptions(self) -> tuple[Interruption, ...]:
        """What does not work meanwhile, in the order in which that begins."""
        at = {(step.deed, step.address): number for number, steps in enumerate(self.rounds, 1) for step in steps}
        found = []
        for each in self.effects:
            gone = at.get(("remove", each.formerly or each.address), 0)
            if each.effect in ("rebuild", "remove"):
                found.append(Interruption(each.address, "gone", gone, at.get(("make", each.address), 0), each.holds_data))
            elif each.effect == "restart":
                since = at.get(("change", each.address), 0)
                found.append(Interruption(each.address, "restart", since, since, False))
        return tuple(sorted(found, key=lambda each: (each.since, each.until or len(self.rounds) + 1, each.address)))

    def count(self, effect: str) -> int:
        """How many resources have an effect."""
        return sum(each.effect == effect for each in self.effects)

    def losing(self, effect: str) -> int:
        """How many of them hold data, which are lost with it."""
        return sum(each.effect == effect and each.holds_data for each in self.effects) if effect in ("rebuild", "remove") else 0

    @property
    def blocking(self) -> int:
        """How many errors stand against it."""
        return sum(each.level == "error" for each in self.findings)

    @property
    def nothing(self) -> bool:
        """Whether nothing would change."""
        return all(each.effect == "unchanged" for each in self.effects) and not any(each.certain for each in self.beside)


_RANK = {"in_place": 1, "restart": 2, "locked": 3, "rebuild": 4}
_EFFECTS = {0: "unchanged", 1: "in_place", 2: "restart", 3: "locked", 4: "rebuild"}


def effect_of(changes: Iterable[Change], formerly: str, address: str) -> str:
    """The severest that changes do to one resource; where nothing else happens, it has only another name, or has moved to another place."""
    effect = heaviest([each.effect for each in changes if each.counted and each.certain])
    if effect != "unchanged" or not formerly:
        return effect
    return "rename" if formerly.count("/") == address.count("/") else "move"


def heaviest(weights: Iterable[str]) -> str:
    """What changing some properties does to their resource; `weights` are what each does."""
    return _EFFECTS[max((_RANK.get(each, 1) for each in weights), default=0)]
