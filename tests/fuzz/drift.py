"""By whom a deployment's effects are, against brute force: parameters, the template, and what runs are each changed, and every cause has to be
of one that made a difference, with whole renderings of the other three corners."""

import json
import random
from types import SimpleNamespace
from typing import Any

from jovial_scaffold.core.changes.effect_records import Effect, Effects
from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.core.changes.snapshots import snapshot_document
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.core.text.source import Pointer, pointer_text
from tests.fuzz.drivers import differing, edited, held, loaded, project, shown

_HIDDEN = ("$pending", "$secret", "$was")  # of these, nobody can tell from outside what they were


def attempt(chance: random.Random) -> str:
    """One project: what was deployed, what runs now, and what is to be deployed."""
    files = project(chance)
    now, then = json.loads(files["live.json"]), json.loads(files["sandbox.json"])
    now["password"] = then["password"]  # which nobody records
    if chance.random() < 0.3:
        now = then
    files |= {"live.json": json.dumps(now).encode()}
    old = {**files, "live.json": json.dumps(then).encode()}
    runs = snapshot_document("yard", loaded(old).render("live"), {}, "")
    _meddle(chance, runs["resources"])
    template = json.loads(files["line.yaml"])
    _rewrite(chance, template["resources"])
    content = json.loads(files["jovial.yaml"])
    content["environments"]["live"]["deployed"] = "now.json"
    added = {"jovial.yaml": content, "now.json": runs, "line.yaml": template}
    files |= {name: json.dumps(each).encode() for name, each in added.items()}
    whole, deployed = loaded(files), loaded(old).views(["live"])[0]
    corners = [loaded(old).render("live"), loaded({**files, "live.json": json.dumps(then).encode()}).render("live"), whole.render("live")]
    if any(each.level == "error" for rendering in corners for each in rendering.findings):
        return "unusable"
    whole._as_deployed = lambda *_: deployed  # type: ignore[method-assign]  # what a repository would give
    result = whole.effects("live")
    alone = {name: edited(files, "live", {name: value}) for name, value in differing(corners[2], corners[1]).items()}
    for each in result.effects:
        if each.effect in ("add", "remove"):
            _judge_presence(each, result, corners)
        elif not each.formerly:
            for change in each.changes:
                if change.counted and change.certain and not change.because and change.pointer != ("$type",):
                    _judge(each, change.pointer, result, corners, alone)
    return "errors" if any(each.level == "error" for each in result.findings) else "clean"


def _meddle(chance: random.Random, resources: dict[str, Any]) -> None:
    """Somebody changes some of what runs, removes some of it, and makes something."""
    for address in chance.sample(sorted(resources), min(chance.randint(0, 3), len(resources))):
        properties = resources[address]["properties"]
        what = chance.random()
        if what < 0.2:
            del resources[address]
        elif what < 0.3:
            resources[f"{address.partition('/')[0]}/stray"] = {"type": "yard.thing.v1", "properties": {"name": "stray"}}
        elif isinstance(properties.get("name"), str) and what < 0.7:
            properties["name"] += "!"
        else:
            properties["n"] = 77


def _rewrite(chance: random.Random, resources: dict[str, Any]) -> None:
    """Somebody rewrites some of the template."""
    for key in chance.sample(sorted(resources), chance.randint(0, 4)):
        what = chance.random()
        if "use" in key:
            continue
        if what < 0.4:
            resources[key]["name"] = chance.choice(["written", "${line}-again", "${flag ? 'new' : line}"])
        elif what < 0.7:
            resources[key]["n"] = chance.choice([5, "${copies + 5}"])
        elif what < 0.85:
            resources[key].setdefault("tags", {})
            if isinstance(resources[key]["tags"], dict):
                resources[key]["tags"]["since"] = "now"
        elif "spot" in key or "two" in key:
            del resources[key]


def _told(result: Effects, address: str, pointer: str | None) -> set[str]:
    """The kinds of causes of what happens to a resource, or of one property of it; parameters by name."""
    return {
        f"{cause.kind} {cause.parameter}".strip()
        for cause in result.causes or ()
        for lead in cause.leads_to
        if address in lead.addresses and (pointer is None or pointer in lead.properties)
    }


def _judge_presence(each: Effect, result: Effects, corners: list[Rendering]) -> None:
    was_ours, would_be = (each.address in rendering.resources for rendering in corners[:2])
    kinds = {kind.partition(" ")[0] for kind in _told(result, each.address, None)}
    is_by_somebody = was_ours if each.effect == "add" else not was_ours
    is_by_template = was_ours != would_be
    true = "somebody" if is_by_somebody else "template" if is_by_template else "parameter"
    told = (each.address, each.effect, kinds)
    assert kinds, told
    assert true in kinds, told
    assert is_by_somebody or "somebody" not in kinds, told
    assert is_by_template or "template" not in kinds, told


def _judge(each: Effect, pointer: Pointer, result: Effects, corners: list[Rendering], alone: dict[str, Rendering]) -> None:
    row = Row("property", each.address, each.type, pointer, {}, (), True)
    there: Any = SimpleNamespace(resources={each.address: result.snapshot.resources[each.address]}, outputs={}, documents={})
    texts = [shown(held(rendering, row)) for rendering in (there, *corners)]
    if any(mark in text for text in texts for mark in _HIDDEN):
        return
    runs, old, rewritten, new = texts
    kinds = _told(result, each.address, pointer_text(pointer))
    told = (each.address, pointer, dict(zip(("runs", "old", "rewritten", "new"), texts, strict=True)), kinds)
    assert kinds, told
    assert ("somebody" in kinds) == (runs != old), told
    assert ("template" in kinds) == (rewritten != old), told
    assert new != rewritten or not any(kind.startswith("parameter") for kind in kinds), told
    assert "secret" not in kinds and "unknown" not in kinds, told
    for kind in kinds:
        name = kind.removeprefix("parameter ")
        if name != kind and "+" not in name:
            assert name in alone and shown(held(alone[name], row)) != new, told
    if rewritten == old != new:
        assert any(kind.startswith("parameter") for kind in kinds), told
