"""One model of a change: what two columns of a comparison say that deploying one over the other would do, against what effects say of a
snapshot of the other; and that against a naive look at all properties."""

import json
import random
from itertools import permutations
from typing import Any

from jovial_scaffold.core.changes.edges import Edges, between
from jovial_scaffold.core.changes.effect_records import MISSING, Effect
from jovial_scaffold.core.changes.matrix import compare
from jovial_scaffold.core.changes.snapshots import snapshot_document
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.core.text.source import Pointer, pointer_text
from tests.fuzz.drivers import CATALOG, loaded, project, shown

_EFFECTS = ("in_place", "restart", "rebuild", "locked")


def attempt(chance: random.Random) -> str:
    """One project, whose properties do different things when they change: what runs has one environment's values, and gets another's."""
    files = project(chance)
    properties = json.loads(json.dumps(CATALOG["properties"]))
    for name in ("name", "n", "tags", "order", "disks"):
        properties[name]["changeEffect"] = chance.choice(_EFFECTS)
    files["catalog/thing.yaml"] = json.dumps({**CATALOG, "properties": properties}).encode()
    now, then = json.loads(files["live.json"]), json.loads(files["sandbox.json"])
    now["password"] = then["password"]  # which nobody records
    files |= {"live.json": json.dumps(now).encode()}
    old = loaded({**files, "live.json": json.dumps(then).encode()}).views(["live"])[0]
    content = json.loads(files["jovial.yaml"])
    content["environments"]["live"]["deployed"] = "now.json"
    runs = snapshot_document("yard", old.finished(), {}, "")
    files |= {"jovial.yaml": json.dumps(content).encode(), "now.json": json.dumps(runs).encode()}
    whole = loaded(files)
    new = whole.views(["live"])[0]
    if any(each.level == "error" for rendering in (old, new) for each in rendering.finished().findings):
        return "unusable"
    comparison = compare([replace(old, label="was"), replace(new, label="becomes")])
    edges = between(comparison, "was", "becomes")
    result = whole.effects("live")
    told = {each.address: _told(each) for each in edges.effects}
    true = {each.address: _told(each) for each in result.effects if each.effect != "unchanged"}
    assert told == true, {name: (told.get(name), true.get(name)) for name in told.keys() | true.keys() if told.get(name) != true.get(name)}
    _judge(edges, *comparison.renderings)
    third = replace(whole.views(["rehearsal"])[0], label="third")
    beside = compare([replace(old, label="was"), third, replace(new, label="becomes")])
    for one, other in permutations(("was", "third", "becomes"), 2):
        columns = dict(zip(beside.environments, (old, third, new), strict=True))
        alone = compare([replace(columns[one], label=one), replace(columns[other], label=other)])
        found, true = (between(each, one, other) for each in (beside, alone))
        assert [(each.address, _told(each)) for each in found.effects] == [(each.address, _told(each)) for each in true.effects], (
            one,
            other,
        )
        assert {(each.kind, each.name.partition(":")[0]) for each in found.beside} == {
            (each.kind, each.name.partition(":")[0]) for each in true.beside
        }, (one, other)
    return "clean"


def _told(each: Effect) -> tuple[str, str, list[tuple[str, str, str]], tuple[str, ...]]:
    changes = sorted((pointer_text(change.pointer), change.effect, change.because) for change in each.changes if change.counted)
    return each.effect, each.formerly, changes, tuple(sorted(each.dragged))


def _judge(edges: Edges, old: Rendering, new: Rendering) -> None:
    """No resource is forgotten, and no property of one, and none is told that is the same."""
    found = {each.address: each for each in edges.effects}
    for address in old.resources.keys() | new.resources.keys():
        each = found.get(address)
        sides = [rendering.resources.get(address) for rendering in (old, new)]
        if None in sides:
            assert each is not None and each.effect == ("add" if sides[0] is None else "remove"), address
            continue
        was, becomes = (_unordered(json.loads(shown(side.properties))) for side in sides if side is not None)
        if each is None:
            assert was == becomes, address
            continue
        for change in each.changes:
            if not change.because:
                assert change.was is MISSING or change.becomes is MISSING or shown(change.was) != shown(change.becomes), (address, change)
        own = {_top(change.pointer) for change in each.changes if not change.because}
        differing = {name for name in was.keys() | becomes.keys() if was.get(name) != becomes.get(name)}
        dragged = {_top(change.pointer) for change in each.changes if change.because}
        assert own <= differing <= own | dragged, (address, differing, own, dragged)


def _unordered(properties: dict[str, Any]) -> dict[str, Any]:
    """With the items that have keys in one order: theirs means nothing."""
    disks = properties.get("disks")
    return {**properties, "disks": sorted(disks, key=lambda each: str(each["key"]))} if isinstance(disks, list) else properties


def _top(pointer: Pointer) -> str:
    return str(pointer[0])
