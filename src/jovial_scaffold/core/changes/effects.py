"""What a deployment would do to what runs now: an effect for each resource, and the reasons for it."""

from collections.abc import Callable, Iterator, Mapping
from typing import Any

from jovial_scaffold.core.changes.aligning import leaves, same
from jovial_scaffold.core.changes.beside import beside
from jovial_scaffold.core.changes.causing import Causes, Reason
from jovial_scaffold.core.changes.changing import TYPE, change_effect, holds_data, surely_differs, type_effect
from jovial_scaffold.core.changes.dragging import drag
from jovial_scaffold.core.changes.drift import AsDeployed
from jovial_scaffold.core.changes.driving import RUN, Drivers
from jovial_scaffold.core.changes.edges import Origin, origins_of
from jovial_scaffold.core.changes.effect_records import MISSING, Change, Effect, Effects, effect_of
from jovial_scaffold.core.changes.likely_renames import likely_renames
from jovial_scaffold.core.changes.matrix import with_names
from jovial_scaffold.core.changes.objections import unknown_secrets, untried, violations
from jovial_scaffold.core.changes.secrecy import as_secret, covered, unseen_left_out
from jovial_scaffold.core.changes.sequencing import order_of
from jovial_scaffold.core.changes.snapshots import Deployed, Snapshot
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rules import evaluation as judging
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.schemas.shapes import filled
from jovial_scaffold.core.text.source import pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN


def known_values(rendering: Evaluated, snapshot: Snapshot) -> dict[str, dict[str, Any]]:
    """What the cloud has set on resources that run, under the addresses that they have in the rendering."""
    names = _names(rendering, snapshot)
    return {address: snapshot.resources[there].set_by_cloud for address, there in names.items() if snapshot.resources[there].set_by_cloud}


def _names(rendering: Evaluated, snapshot: Snapshot) -> dict[str, str]:
    """For each address of the rendering that runs already, its address in the snapshot: another where it was renamed."""
    names = {address: address for address in rendering.resources if address in snapshot.resources}
    renames = rendering.renames
    for there in sorted(snapshot.resources) if renames else ():
        address = renames.followed(there, rendering.resources)
        if address is not None:
            names.setdefault(address, there)
    return names


def effects(
    rendering: Evaluated, known: Evaluated, as_recorded: Evaluated, snapshot: Snapshot, then: Callable[[], Evaluated | None]
) -> Effects:
    """What deploying `rendering` would do.

    `known` is the same with the cloud's values filled in where they are known; `as_recorded` is `known` under the snapshot's own
    `context.run`: what differs only between these two comes from the run alone. `then` gives what was deployed last, where that can be
    known; it is asked for only where something changes.
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
            _changes(resource, known.resources[address], as_recorded.resources.get(address), deployed, names, older, snapshot, drivers)
        )
        formerly = there if there != address else ""
        keep, holds = resource.keep or deployed.keep, holds_data(resource.type)
        found[address] = Effect(address, effect_of(changes, formerly, address), resource.type_text, changes, formerly, (), keep, holds)
    drag(found, rendering, {address: snapshot.resources[there].properties for address, there in names.items()})
    for address, deployed in snapshot.resources.items():
        if address not in older:
            found[address] = Effect(address, "remove", deployed.type_text, keep=deployed.keep, holds_data=holds_data(deployed.type))
    every = tuple(found[address] for address in sorted(found))
    order = order_of(every, rendering, snapshot, older, rendering.label)
    reasons = [_reason(each) for each in every if each.effect != "unchanged"]
    last = then() if reasons else None
    causing = Causes(rendering, snapshot.parameters, AsDeployed(last, rendering, snapshot, names) if last is not None else None)
    knows = snapshot.parameters or last is not None or (snapshot.recorded and not rendering.scope.template.parameters)
    causes = causing.found(reasons) if knows else None
    rebuilt = frozenset(address for address, each in found.items() if each.effect == "rebuild")
    others = tuple(beside(rendering, known, snapshot, rebuilt))
    result = Effects(rendering.label, snapshot, every, order.rounds, [*order.findings], causes=causes, beside=others)
    result.findings.extend(untried(causing, result.environment))
    result.findings.extend(violations(result, rendering))
    result.findings.extend(likely_renames(result, rendering))
    result.findings.extend(unknown_secrets(result, known, older))
    return result


def teardown(rendering: Evaluated, snapshot: Snapshot) -> Effects:
    """Removing all that runs and is ours."""
    older = {there: address for address, there in _names(rendering, snapshot).items()}
    kept = {there for there, address in older.items() if rendering.resources[address].keep}
    every = tuple(
        Effect(address, "remove", each.type_text, keep=each.keep or address in kept, holds_data=holds_data(each.type))
        for address, each in sorted(snapshot.resources.items())
    )
    order = order_of(every, None, snapshot, {}, rendering.label)
    result = Effects(rendering.label, snapshot, every, order.rounds, [*order.findings], teardown=True)
    result.findings.extend(violations(result, rendering))
    return result


def _reason(each: Effect) -> Reason:
    """What is to be explained of a resource."""
    own = tuple(change.pointer for change in each.changes if change.counted and change.certain and not change.because)
    anew = tuple((change.pointer, change.because) for change in each.changes if change.because)
    weights = tuple((change.pointer, change.effect) for change in each.changes)
    return Reason(each.address, each.effect, each.type, own, anew, weights, each.formerly)


# -- one resource


def _changes(
    resource: EvaluatedResource,
    known: EvaluatedResource,
    as_recorded: EvaluatedResource | None,
    deployed: Deployed,
    names: Mapping[str, str],
    older: Mapping[str, str],
    snapshot: Snapshot,
    drivers: Drivers,
) -> Iterator[Change]:
    kind = resource.type
    shape = kind.shape if kind else None
    if deployed.type_text != resource.type_text:
        effect = type_effect(deployed.type_text, resource.type_text)
        yield Change(TYPE, deployed.type_text, resource.type_text, effect)
        if effect == "rebuild":
            return
    was = with_names(filled(shape, deployed.properties, resource.address), older)
    becomes = snapshot.hidden(known.effective)
    recorded = snapshot.hidden(as_recorded.effective) if as_recorded is not None and as_recorded is not known else becomes
    was = snapshot.hidden(as_secret(was, known.effective))
    if not snapshot.recorded:
        becomes, recorded = unseen_left_out(becomes, was), unseen_left_out(recorded, was)
    unfilled: Any = None
    for leaf in leaves({0: was, 1: becomes}, kind.lists if kind else NO_LISTS, 2, whole=True):
        old, new = leaf.values.get(0, MISSING), leaf.values.get(1, MISSING)
        if new is UNKNOWN:
            continue  # the source of a secret is not set here, which is said
        at = leaf.at.get(1) or leaf.at[0]
        if isinstance(old, Pending):
            unfilled = snapshot.hidden(resource.effective) if unfilled is None else unfilled
            if same(value_at(unfilled, at, MISSING), old):
                continue  # as it was recorded, before the cloud's values were known
        certain = old is MISSING or surely_differs(old, new, names)
        effect = change_effect(kind, at, old, new, MISSING)
        counted = recorded is becomes or not same(value_at(recorded, at, MISSING), old)
        if counted and not snapshot.run and 1 in leaf.at:
            behind = drivers.tracer(resource.instance.scope).sources(resource.instance, leaf.at[1])
            counted = not (behind and all(name == RUN for name, _ in behind))
        yield Change(leaf.label, covered(old, new), covered(new, old), effect, (), certain, counted)


def judged_effects(result: Effects, rendering: Evaluated) -> list[judging.JudgedEffect]:
    """The effects as rules over them see them; what stays as it is has none."""
    found = []
    causes = {address: [_cause(one) for one in each] for address, each in origins_of(result).items()}
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
            judging.JudgedEffect(
                each.address,
                kind.id if kind else each.type,
                kind,
                each.effect,
                was,
                becomes,
                touched,
                causes.get(each.address, []),
                resource,
                span,
            )
        )
    return found


def _cause(origin: Origin) -> dict[str, Any]:
    """A cause as rules see it."""
    file, _, line = origin.place.partition(",")[0].rpartition(":")
    return {"kind": origin.kind, "parameter": origin.parameter, "file": file, "line": int(line) if line.isdigit() else 0}
