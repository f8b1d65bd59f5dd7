"""Our changes told apart from somebody's: what runs, beside what was deployed, and that beside what would be.

What was deployed is the project as of the recorded revision, under the recorded parameters. Where what runs is not that, somebody changed
it there; where that is not what would be, the template, a catalog or a parameter did.
"""

from collections.abc import Mapping
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import changed_at, same
from jovial_scaffold.core.changes.changing import TYPE
from jovial_scaffold.core.changes.matrix import with_names
from jovial_scaffold.core.changes.secrecy import as_secret
from jovial_scaffold.core.changes.snapshots import Snapshot
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.pending import MarkCompared, Pending, could_be
from jovial_scaffold.core.expressions.values import Secret, deep_marks
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.explaining import AGAIN, Reason, Unexplained, explain
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.overlays import MISSING
from jovial_scaffold.core.rendering.rendering import Evaluated, asked
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.schemas.shapes import filled
from jovial_scaffold.core.text.source import Pointer

_MOST_ASKED = 300  # properties of which it is looked for what they read that is another now


_KINDS = {"row": "lookup", "context": "project"}
"""Kinds of causes by those of the steps of an explanation; whatever else is ours is of the template."""


class Blamed(NamedTuple):
    """What of ours is behind a change that no parameter makes: the `kind` of a cause, and its place."""

    kind: str
    place: str


class Split(NamedTuple):
    """What of one thing that happens is by whom."""

    by_somebody: bool
    by_us: bool
    pointers: tuple[Pointer, ...]  #: those that we change
    drifted: tuple[Pointer, ...] = ()  #: those that somebody changed


class AsDeployed:
    """What was deployed last, beside what runs and what would be. `names` gives the address in the snapshot of what runs already."""

    def __init__(self, then: Evaluated, now: Evaluated, snapshot: Snapshot, names: dict[str, str]) -> None:
        self._then, self._now, self._snapshot = then, now, snapshot
        self._names = names
        self._newest = {there: address for address, there in names.items()}
        self._renames = now.renames
        self._rewritten = now  #: with the recorded parameters, where these are others
        self._asked = 0

    @property
    def revision(self) -> str:
        """As of which it was deployed."""
        return self._snapshot.revision[:8]

    @property
    def defaulted(self) -> tuple[str, ...]:
        """The parameters that nobody had set."""
        return self._then.parameters.defaulted

    def split(self, address: str, effect: str, pointers: tuple[Pointer, ...]) -> Split:
        """By whom an effect on a resource is."""
        if effect == "add":
            was_ours = any(each in self._then.resources for each in (address, *self._renames.before(address)))
            return Split(was_ours, not was_ours, ())
        if effect == "remove":
            is_ours = address in self._then.resources
            return Split(not is_ours, is_ours, ())
        there = self._names[address]
        if there not in self._then.resources:
            return Split(True, bool(pointers), pointers, pointers)  # somebody made it under this address
        then, now = self._then.resources[there], self._now.resources[address]
        drifted = [each for each in pointers if self._is_other_there(there, then, each)]
        ours = [each for each in pointers if self._is_other_here(then, now, each)]
        return Split(bool(drifted), bool(ours) or effect in ("rename", "move"), tuple(ours), tuple(drifted))

    def property(self, address: str, name: str) -> Any:
        """A property as it was written for what was deployed; MISSING where it was not there."""
        then = self._then.resources.get(self._names.get(address, address))
        return with_names(then.properties.get(name, MISSING), self._newest) if then is not None else MISSING

    def under(self, recorded: Mapping[str, Any]) -> None:
        """Take the recorded values of those parameters that are others now: what is blamed then is what is another beside them."""
        now = self._now
        defaulted = tuple(name for name in now.parameters.defaulted if name not in recorded)
        values = {name: value for name, value in now.parameters.values.items() if name not in defaulted}
        given = replace(now.parameters, values={**values, **recorded}, defaulted=defaulted)
        shared = now.scope.shared
        self._rewritten = asked(now.scope.plan, given, now.context, shared.plans, shared.meter) if recorded else now

    def blamed(self, address: str, effect: str, pointer: Pointer) -> Blamed:
        """What of ours changes it, where no parameter does, or beside one."""
        told = self._read_there(address, pointer if effect not in ("add", "remove") else ())
        if effect == "remove":
            span = self._then.resources[address].instance.resource.origin.key_span()
            return told or Blamed("template", f"{_line(span)}, there until {self.revision}")
        resource = self._now.resources[address]
        entry = self._renames.entry(self._names.get(address, address), address) if effect in ("rename", "move") else None
        span = (entry or resource.instance.resource.origin).key_span()
        if not pointer or pointer == TYPE:
            return (told if effect == "add" else None) or Blamed("template", _line(span))
        then, name = self._then.resources.get(self._names.get(address, address)), str(pointer[0])
        made = self._rewritten.resources.get(address) or resource
        if then is not None and same(then.properties.get(name), with_names(made.properties.get(name), self._names)):
            return Blamed("catalog", resource.type_text)
        return told or Blamed("template", _line(tracer_of(resource.instance.scope).place(resource.instance, pointer)))

    def _read_there(self, address: str, pointer: Pointer) -> Blamed | None:
        """What a property, or whether a resource is there, reads that is another now, though it is written as it was: a row of a table, a named value,
        a line of a module, a label. None where that is not found, or not looked for any more."""
        self._asked += 1
        there = self._names.get(address, address)
        if self._asked > _MOST_ASKED:
            return None
        try:
            before = explain(self._then, (), there, pointer)
            now = explain(self._rewritten if not pointer or address in self._rewritten.resources else self._now, (), address, pointer)
        except (Unexplained, EvaluationError):
            return None
        found = _another(now, before)
        if found is now and found.written == before.written:
            return None  # nothing that it reads is known to be another
        kind, place = _KINDS.get(found.kind, "template"), _line(found.span) if found.span is not None else ""
        told = ", ".join(filter(None, (place, found.name if kind != "template" else "")))
        return Blamed(kind, told) if told else None

    def _is_other_there(self, there: str, then: EvaluatedResource, pointer: Pointer) -> bool:
        deployed = self._snapshot.resources[there]
        if pointer == TYPE:
            return deployed.type_text != then.type_text
        shape = deployed.type.shape if deployed.type else None
        runs = as_secret(filled(shape, deployed.properties, there), then.effective)
        made = settled(then.effective, runs)
        lists = then.type.lists if then.type else NO_LISTS
        return changed_at(self._snapshot.hidden(runs), self._snapshot.hidden(made), lists, pointer)

    def _is_other_here(self, then: EvaluatedResource, now: EvaluatedResource, pointer: Pointer) -> bool:
        if pointer == TYPE:
            return then.type_text != now.type_text
        lists = now.type.lists if now.type else NO_LISTS
        made = with_names(then.effective, self._newest)
        return changed_at(self._snapshot.hidden(made), self._snapshot.hidden(now.effective), lists, pointer)


def _line(span: Span) -> str:
    return f"{span.file}:{span.line}"


def _another(now: Reason, then: Reason) -> Reason:
    """The innermost step of an explanation that is not as it was, and is not so because of one below it."""
    while now.written == then.written:
        before: dict[tuple[str, str], Reason] = {_key(each): each for each in then.reasons}
        inner = [(each, before.get(_key(each))) for each in now.reasons if each.note != AGAIN]
        others = [(each, was) for each, was in inner if was is None or not _is_same(each, was)]
        if not others:
            break
        # Another row, or what was not read then, may only have been chosen by what is another beside it.
        now, was = min(others, key=lambda found: (found[1] is None, found[0].kind == "row"))
        if was is None:
            break
        then = was
    return now


def _key(reason: Reason) -> tuple[str, str]:
    """What a step is called; rows of a table may have moved."""
    return reason.kind, "" if reason.kind == "row" else reason.name


def _is_same(reason: Reason, was: Reason) -> bool:
    if reason.kind == "function":  # which has no value of its own
        return reason.written == was.written and len(reason.reasons) == len(was.reasons) and all(map(_is_same, reason.reasons, was.reasons))
    try:
        return same(reason.value, was.value)
    except (MarkCompared, TypeError):  # a record, or what has no value
        return reason.value is was.value


def settled(made: Any, runs: Any) -> Any:
    """What was made, as what runs says where only that can know: what was pending, and secrets that nobody gives back."""
    if isinstance(made, Pending):
        return runs if isinstance(runs, Secret) or (not any(deep_marks(runs)) and could_be(made, runs)) else made
    if isinstance(made, Secret):
        return runs if isinstance(runs, Secret) else made  # what it was then, nobody records
    if isinstance(made, dict) and isinstance(runs, dict):
        return {key: settled(item, runs.get(key)) for key, item in made.items() if key in runs or not isinstance(item, Secret)}
    if isinstance(made, list) and isinstance(runs, list) and len(made) == len(runs):
        return [settled(item, other) for item, other in zip(made, runs, strict=True)]
    return made
