"""What a deployment would do to what runs now: an effect for each resource, the reason for it, what it drags along, and the order.

It is long because each kind of effect, and what follows from one, is decided here from the same pair of values.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import field
from typing import Any

from jovial_scaffold.core.comparing.aligning import leaves, likely_pairs, likeness, same
from jovial_scaffold.core.comparing.causing import Cause, Causes, Reason
from jovial_scaffold.core.comparing.changing import change_effect
from jovial_scaffold.core.comparing.driving import RUN, Drivers
from jovial_scaffold.core.comparing.matrix import with_names
from jovial_scaffold.core.comparing.snapshots import Deployed, Snapshot, dependencies
from jovial_scaffold.core.expressions.pending import Pending, could_be, holds_secret
from jovial_scaffold.core.expressions.values import UNSEEN, Secret, deep_marks
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.graph.ordering import rounds
from jovial_scaffold.core.limits import TRIAL_ROUNDS
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.rules import evaluation as judging
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.schemas.shapes import filled
from jovial_scaffold.core.text.source import Pointer, pointer_text, value_at
from jovial_scaffold.core.words import Counted, listed, say

EFFECTS = ("add", "change", "restart", "rebuild", "rename", "remove", "unchanged")
_RANK = {"in_place": 1, "locked": 1, "restart": 2, "rebuild": 3}
_EFFECTS = {0: "unchanged", 1: "change", 2: "restart", 3: "rebuild"}
_MISSING = object()
_NEARLY_EQUAL = 0.75


@value_record
class Change:
    """A property that would change. `effect` is its `changeEffect`; `because` the address whose rebuilding changes it, if that is why.

    `certain` is False where only the deployment can know whether it changes; `counted` is False where only `context.run` makes it.
    """

    pointer: Pointer
    was: Any
    becomes: Any
    effect: str
    because: str = ""
    certain: bool = True
    counted: bool = True

    @property
    def was_set(self) -> bool:
        """Whether the property is set now."""
        return self.was is not _MISSING

    @property
    def will_be_set(self) -> bool:
        """Whether it would be."""
        return self.becomes is not _MISSING


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


@value_record
class Step:
    """One thing that the deployment does: make, change or remove a resource. A rebuild is a removal and a making."""

    deed: str
    address: str


@value_record
class Effects:
    """All effects, by address; the steps in rounds; what was found wrong; what is not ours. `causes` are None where the snapshot does not say
    what parameters were."""

    environment: str
    snapshot: Snapshot
    effects: tuple[Effect, ...]
    rounds: tuple[tuple[Step, ...], ...]
    findings: list[Finding] = field(default_factory=list)
    teardown: bool = False
    causes: tuple[Cause, ...] | None = None

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
        return all(each.effect == "unchanged" for each in self.effects)


def known_values(rendering: Evaluated, snapshot: Snapshot) -> dict[str, dict[str, Any]]:
    """What the cloud has set on resources that run, under the addresses that they have in the rendering."""
    names = _names(rendering, snapshot)
    return {address: snapshot.resources[there].set_by_cloud for address, there in names.items() if snapshot.resources[there].set_by_cloud}


def _names(rendering: Evaluated, snapshot: Snapshot) -> dict[str, str]:
    """For each address of the rendering that runs already, its address in the snapshot: another where it was renamed."""
    names = {address: address for address in rendering.resources if address in snapshot.resources}
    for address, each in rendering.resources.items():
        if address not in names and each.formerly in snapshot.resources and each.formerly not in rendering.resources:
            names[address] = each.formerly
    return names


def effects(rendering: Evaluated, known: Evaluated, as_recorded: Evaluated, snapshot: Snapshot) -> Effects:
    """What deploying `rendering` would do.

    `known` is the same with the cloud's values filled in where they are known; `as_recorded` is `known` under the snapshot's own
    `context.run`: what differs only between these two comes from the run alone.
    """
    names = _names(rendering, snapshot)
    older = {there: address for address, there in names.items()}
    found: dict[str, Effect] = {}
    drivers = Drivers([rendering])
    for address, resource in rendering.resources.items():
        there = names.get(address)
        if there is None:
            found[address] = Effect(address, "add", resource.type_text, keep=resource.keep)
            continue
        deployed = snapshot.resources[there]
        changes = tuple(
            _changes(resource, known.resources[address], as_recorded.resources.get(address), deployed, older, snapshot, drivers)
        )
        formerly = there if there != address else ""
        holds = _holds_data(resource.type)
        found[address] = Effect(address, _effect(changes, formerly), resource.type_text, changes, formerly, (), resource.keep, holds)
    _drag(found, rendering, snapshot)
    for address, deployed in snapshot.resources.items():
        if address not in older:
            found[address] = Effect(address, "remove", deployed.type_text, keep=deployed.keep, holds_data=_holds_data(deployed.type))
    every = tuple(found[address] for address in sorted(found))
    order = _order(every, {address: each.after for address, each in rendering.resources.items()}, dependencies(snapshot), older)
    causing = Causes(rendering, snapshot.parameters)
    causes = causing.found([_reason(each) for each in every if each.effect != "unchanged"]) if snapshot.parameters else None
    result = Effects(rendering.label, snapshot, every, order, causes=causes)
    result.findings.extend(_untried(causing, result.environment))
    result.findings.extend(_violations(result, rendering))
    result.findings.extend(_likely_renames(result, rendering))
    result.findings.extend(_unknown_secrets(result, known, older))
    return result


def teardown(rendering: Evaluated, snapshot: Snapshot) -> Effects:
    """Removing all that runs and is ours."""
    older = {there: address for address, there in _names(rendering, snapshot).items()}
    kept = {there for there, address in older.items() if rendering.resources[address].keep}
    every = tuple(
        Effect(address, "remove", each.type_text, keep=each.keep or address in kept, holds_data=_holds_data(each.type))
        for address, each in sorted(snapshot.resources.items())
    )
    result = Effects(rendering.label, snapshot, every, _order(every, {}, dependencies(snapshot), {}), teardown=True)
    result.findings.extend(_violations(result, rendering))
    return result


def _untried(causing: Causes, environment: str) -> Iterator[Finding]:
    if causing.untried:
        message = say("What causes {} was not tried to the end: that takes too long.", Counted(causing.untried, "effect"))
        hint = say("Give some parameters their recorded values, with --with, and look again.")
        yield Finding(TRIAL_ROUNDS.finding, "note", message, None, hint, environments=(environment,))


def _holds_data(kind: ResourceType | None) -> bool:
    return kind is not None and kind.schema.get("holdsData") is True


def _reason(each: Effect) -> Reason:
    """What is to be explained of a resource."""
    own = tuple(change.pointer for change in each.changes if change.counted and change.certain and not change.because)
    return Reason(each.address, each.effect, each.type, own, each.dragged)


# -- one resource


def _changes(
    resource: EvaluatedResource,
    known: EvaluatedResource,
    as_recorded: EvaluatedResource | None,
    deployed: Deployed,
    older: Mapping[str, str],
    snapshot: Snapshot,
    drivers: Drivers,
) -> Iterator[Change]:
    kind = resource.type
    shape = kind.shape if kind else None
    if deployed.type_text != resource.type_text:
        name, _, version = resource.type_text.rpartition(".v")
        other = deployed.type_text.rpartition(".v")[0] != name or not version.isdigit()
        yield Change(("$type",), deployed.type_text, resource.type_text, "rebuild" if other else "in_place")
        if other:
            return
    was = with_names(filled(shape, deployed.properties, resource.address), older)
    becomes = snapshot.hidden(known.effective)
    recorded = snapshot.hidden(as_recorded.effective) if as_recorded is not None and as_recorded is not known else becomes
    was = snapshot.hidden(_as_secret(was, known.effective))
    if not snapshot.recorded:
        becomes, recorded = _unseen_left_out(becomes, was), _unseen_left_out(recorded, was)
    unfilled: Any = None
    for leaf in leaves({0: was, 1: becomes}, kind.lists if kind else NO_LISTS, 2, whole=True):
        old, new = leaf.values.get(0, _MISSING), leaf.values.get(1, _MISSING)
        at = leaf.at.get(1) or leaf.at[0]
        if isinstance(old, Pending):
            unfilled = snapshot.hidden(resource.effective) if unfilled is None else unfilled
            if same(value_at(unfilled, at, _MISSING), old):
                continue  # as it was recorded, before the cloud's values were known
        # What hangs on a resource that runs, and of which the snapshot does not say the value, may be as it is; on a new one, it is not.
        running = {origin.partition(":")[0] for origin in deep_marks(new)[0]} <= set(older.values())
        certain = old is _MISSING or not (running and _may_equal(old, new))
        effect = change_effect(kind, at, old, new, _MISSING)
        counted = recorded is becomes or not same(value_at(recorded, at, _MISSING), old)
        if counted and not snapshot.run and 1 in leaf.at:
            behind = drivers.tracer(resource.instance.scope).sources(resource.instance, leaf.at[1])
            counted = not (behind and all(name == RUN for name, _ in behind))
        yield Change(leaf.label, _covered(old, new), _covered(new, old), effect, "", certain, counted)


def _as_secret(was: Any, becomes: Any) -> Any:
    """What runs, secret where the rendering is: then both are compared by what stands for them, and neither shows."""
    if isinstance(becomes, Secret) or (isinstance(becomes, Pending) and holds_secret(becomes)):
        return was if isinstance(was, Secret | Pending) else Secret(was)
    if isinstance(was, dict) and isinstance(becomes, dict):
        return {key: _as_secret(item, becomes.get(key)) for key, item in was.items()}
    if isinstance(was, list) and isinstance(becomes, list) and len(was) == len(becomes):
        return [_as_secret(item, other) for item, other in zip(was, becomes, strict=True)]
    return was


def _covered(value: Any, other: Any) -> Any:
    """The value, secret where what stands in its place on the other side is."""
    if isinstance(value, Secret) or value is _MISSING:
        return value
    if isinstance(other, Secret):
        return Secret(value)
    if isinstance(value, dict) and isinstance(other, dict):
        return {key: _covered(item, other.get(key)) for key, item in value.items()}
    return value


def _may_equal(old: Any, new: Any) -> bool:
    """Whether two different values would be equal if what is pending in the new one turned out so."""
    if isinstance(new, Pending):
        return isinstance(old, Secret) or (not isinstance(old, Pending) and could_be(new, old))
    if isinstance(new, dict) and isinstance(old, dict):
        return new.keys() == old.keys() and all(_may_equal(old[key], new[key]) for key in new)
    if isinstance(new, list) and isinstance(old, list):
        return len(new) == len(old) and all(map(_may_equal, old, new))
    return same(old, new)


def _unseen_left_out(then: Any, now: Any) -> Any:
    """The value without secrets that the snapshot does not have: a cloud never gives them back, so nothing is said about them."""
    if not isinstance(then, dict) or not isinstance(now, dict):
        return then
    found = {}
    for key, item in then.items():
        if key in now:
            found[key] = _unseen_left_out(item, now[key])
        elif isinstance(item, dict) and item:
            rest = _unseen_left_out(item, {})
            if rest:
                found[key] = rest
        elif not isinstance(item, Secret):
            found[key] = item
    return found


def _effect(changes: Iterable[Change], formerly: str) -> str:
    rank = max((_RANK.get(each.effect, 1) for each in changes if each.counted and each.certain), default=0)
    return "rename" if rank == 0 and formerly else _EFFECTS[rank]


# -- what a rebuild drags along


def _drag(found: dict[str, Effect], rendering: Evaluated, snapshot: Snapshot) -> None:
    """A rebuilt resource gets new values from the cloud: what holds such a value changes, and may be rebuilt for it, and so on."""
    holders: dict[str, list[tuple[str, Pointer, Pending]]] = {}
    for address, each in rendering.resources.items():
        if found[address].effect != "add":
            for pointer, value in _pending(each.properties, ()):
                for origin in {origin.partition(":")[0] for origin in value.origins}:
                    holders.setdefault(origin, []).append((address, pointer, value))
    waiting = sorted(address for address, each in found.items() if each.effect == "rebuild")
    done: set[str] = set()
    while waiting:
        rebuilt = waiting.pop(0)
        if rebuilt in done:
            continue
        done.add(rebuilt)
        for address, pointer, value in holders.get(rebuilt, ()):
            effect = found[address]
            resource = rendering.resources[address]
            label = _label(resource, pointer)
            there = snapshot.resources.get(effect.formerly or address)
            was = value_at(there.properties, pointer, _MISSING) if there else _MISSING
            if was is not _MISSING:
                was = _as_secret(was, value_at(resource.properties, pointer, None))
            new = Change(label, was, value, change_effect(resource.type, pointer, was, value, _MISSING), rebuilt)
            others = tuple(each for each in effect.changes if each.pointer != label)
            dragged = tuple(dict.fromkeys((*effect.dragged, rebuilt)))
            changes = tuple(sorted((*others, new), key=lambda each: pointer_text(each.pointer)))
            found[address] = replace(effect, changes=changes, dragged=dragged, effect=_effect(changes, effect.formerly))
            if found[address].effect == "rebuild":
                waiting.append(address)


def _label(resource: EvaluatedResource, pointer: Pointer) -> Pointer:
    """A pointer with the items of lists by their key, where they have one."""
    label: list[str | int] = []
    value: Any = resource.properties
    for depth, step in enumerate(pointer):
        key = resource.type.lists.key(pointer[:depth]) if isinstance(step, int) and resource.type else None
        value = (value.value if isinstance(value, Secret) else value)[step]
        label.append(str(value[key]) if key and isinstance(value, dict) and key in value else step)
    return tuple(label)


def _pending(value: Any, pointer: Pointer) -> Iterator[tuple[Pointer, Pending]]:
    if isinstance(value, Pending):
        yield pointer, value
    elif isinstance(value, Secret):
        yield from _pending(value.value, pointer)
    elif isinstance(value, dict):
        for key in sorted(value):
            yield from _pending(value[key], (*pointer, key))
    elif isinstance(value, list):
        for index, item in enumerate(value):
            yield from _pending(item, (*pointer, index))


# -- order


def _order(
    found: Sequence[Effect], after: Mapping[str, Sequence[str]], before: Mapping[str, set[str]], older: Mapping[str, str]
) -> tuple[tuple[Step, ...], ...]:
    """Steps in rounds. What is made comes after what it needs; what is removed goes before what it needed; what stops using a resource
    changes before that is removed."""
    made = {each.address for each in found if each.effect in ("add", "rebuild")}
    changed = {each.address for each in found if each.effect in ("change", "restart", "rename")}
    gone = {each.formerly or each.address for each in found if each.effect in ("remove", "rebuild")}
    removed = {each.address for each in found if each.effect == "remove"}
    hard: dict[Step, set[Step]] = {Step("make", address): set() for address in made}
    hard |= {Step("change", address): set() for address in changed}
    hard |= {Step("remove", address): set() for address in gone}
    soft: list[tuple[Step, Step]] = []

    def deed(address: str) -> Step | None:
        return Step("make", address) if address in made else Step("change", address) if address in changed else None

    for address in (*made, *changed):
        own = deed(address)
        assert own is not None
        for first in after.get(address, ()):
            needed = deed(first)
            if needed is not None:
                hard[own].add(needed)
    for each in found:
        if each.effect == "rebuild":
            hard[Step("make", each.address)].add(Step("remove", each.formerly or each.address))
    for address, needs in before.items():
        now = older.get(address, address)
        for first in needs & gone:
            if address in gone:
                hard[Step("remove", first)].add(Step("remove", address))
            elif first in removed and now in changed:
                soft.append((Step("remove", first), Step("change", now)))
    steps: dict[Step, set[Step]] = {step: set(firsts) for step, firsts in hard.items()}
    for later, sooner in soft:
        steps[later].add(sooner)
    ordered, circling = _waves(steps)
    if circling:
        # Two wishes that no order meets: then what must hold does, and a removal does not wait for what stops using it.
        ordered, circling = _waves(hard)
    return (*ordered, *((each,) for each in circling))


def _waves(steps: Mapping[Step, set[Step]]) -> tuple[list[tuple[Step, ...]], list[Step]]:
    texts = {f"{step.address}\0{step.deed}": step for step in steps}
    ordered, circling = rounds(
        {f"{step.address}\0{step.deed}": [f"{each.address}\0{each.deed}" for each in firsts] for step, firsts in steps.items()}
    )
    return [tuple(texts[text] for text in each) for each in ordered], [texts[text] for text in circling]


# -- what must not happen, and what was probably meant


def _violations(result: Effects, rendering: Evaluated) -> Iterator[Finding]:
    environments = (rendering.label,)
    for each in result.effects:
        resource = rendering.resources.get(each.address)
        deployed = result.snapshot.resources.get(each.formerly or each.address)
        place = resource.instance.resource.origin.key_span() if resource else deployed.origin.key_span() if deployed else None
        if each.keep and each.effect in ("remove", "rebuild"):
            verb = "removed" if each.effect == "remove" else "rebuilt"
            reasons = listed(say("`{}`", pointer_text(change.pointer)) for change in each.rebuilt_for)
            why = say(", because {} would change", reasons) if reasons else ""
            hint = (
                say("Undo the change, or take `$keep` away first.")
                if resource
                else say("Bring it back into the template, or name its new address with `$formerly`.")
            )
            yield Finding(
                "keep-violated",
                "error",
                say("{} is to be kept, and would be {}{}.", each.address, verb, why),
                place,
                hint,
                each.address,
                "",
                environments,
            )
        for change in each.changes:
            if change.effect == "locked" and change.counted and change.certain:
                pointer = pointer_text(change.pointer)
                message = say("`{}` of {} is locked: {} cannot change it once it is there.", pointer, each.address, each.type)
                span = place
                related: tuple[Related, ...] = ()
                if resource is not None:
                    tracer = tracer_of(resource.instance.scope)
                    span = tracer.place(resource.instance, change.pointer)
                    related = tracer.related(tracer.sources(resource.instance, change.pointer))
                hint = say("Give it its old value, or make another resource and move over.")
                yield Finding("property-locked", "error", message, span, hint, each.address, pointer, environments, related)


def _likely_renames(result: Effects, rendering: Evaluated) -> Iterator[Finding]:
    """One removed and one added of the same type whose properties are nearly equal: probably the same thing under another name."""
    if result.teardown:
        return
    scored = []
    added: dict[str, list[Effect]] = {}
    for each in result.effects:
        if each.effect == "add":
            added.setdefault(each.type.rpartition(".v")[0], []).append(each)
    removed: dict[str, list[Effect]] = {}
    for each in result.effects:
        if each.effect == "remove":
            removed.setdefault(each.type.rpartition(".v")[0], []).append(each)
    for kind in removed.keys() & added.keys():
        before = {each.address: result.snapshot.resources[each.address].properties for each in removed[kind]}
        after = {each.address: result.snapshot.hidden(rendering.resources[each.address].properties) for each in added[kind]}
        for old, new in likely_pairs(_with_keys(before), _with_keys(after)):
            score = likeness(before[old], after[new])
            if score >= _NEARLY_EQUAL:
                scored.append((-score, old, new))
    used: set[str] = set()
    for _, old, new in sorted(scored):
        if old in used or new in used:
            continue
        used |= {old, new}
        resource = rendering.resources[new]
        related = (Related(result.snapshot.resources[old].origin.key_span(), say("`{}` runs now.", old)),)
        former = _former(resource, new, old)
        message = say("{} would be removed and {} added, and they are nearly the same.", old, new)
        hint = (
            say("If it was renamed, write `$formerly: {}`: then it stays.", former)
            if former
            else say("If it was renamed, name its old address with `$formerly`.")
        )
        yield Finding(
            "rename-likely",
            "note",
            message,
            resource.instance.resource.origin.key_span(),
            hint,
            new,
            "",
            (rendering.label,),
            related,
            f"{resource.instance.resource.name} {former}",
        )


def _with_keys(properties: Mapping[str, Any]) -> list[tuple[str, Any]]:
    """Properties by address, each with the last part of the address as something to be found by."""
    return [(address, {**own, "": address.rpartition("/")[2]}) for address, own in properties.items()]


def _unknown_secrets(result: Effects, known: Evaluated, older: Mapping[str, str]) -> Iterator[Finding]:
    """Secrets of which the snapshot says only that they are there."""
    snapshot = result.snapshot
    unseen = 0
    for there, deployed in snapshot.resources.items():
        if there in older and older[there] in known.resources:
            unseen += _unseen(snapshot.hidden(deployed.properties))
    if unseen:
        message = say("Whether {} changed is not known: the snapshot does not say what they were.", Counted(unseen, "secret"))
        hint = say("With a key, in JOVIAL_SNAPSHOT_KEY or --key-file, `jovial record` writes hashes of them.")
        yield Finding("secrets-unseen", "note", message, None, hint, environments=(result.environment,))


def _unseen(value: Any) -> int:
    """How many secrets inside of a value nobody knows."""
    if isinstance(value, Secret):
        return int(value.value is UNSEEN)
    if isinstance(value, dict | list):
        return sum(map(_unseen, value.values() if isinstance(value, dict) else value))
    return 0


def _former(resource: EvaluatedResource, new: str, old: str) -> str:
    """What `$formerly` has to say: of an item of a loop, the old name before the key."""
    name = resource.instance.resource.name
    prefix = resource.instance.scope.prefix
    key = new.removeprefix(f"{prefix}{name}")
    return old.removesuffix(key).removeprefix(prefix) if old.endswith(key) else ""


def judged_effects(result: Effects, rendering: Evaluated) -> list[judging.JudgedEffect]:
    """The effects as rules over them see them; what stays as it is has none."""
    found = []
    for each in result.effects:
        if each.effect == "unchanged":
            continue
        resource = rendering.resources.get(each.address) if each.effect != "remove" else None
        deployed = result.snapshot.resources.get(each.formerly or each.address) if each.effect != "add" else None
        kind = resource.type if resource else deployed.type if deployed else None
        was = filled(kind.shape if kind else None, {**deployed.properties, **deployed.set_by_cloud}, each.address) if deployed else None
        touched = [pointer_text(change.pointer) for change in each.changes if change.counted and change.certain]
        becomes = resource.effective if resource else None
        span = deployed.origin.key_span() if deployed and resource is None else None
        found.append(
            judging.JudgedEffect(each.address, kind.id if kind else each.type, kind, each.effect, was, becomes, touched, resource, span)
        )
    return found
