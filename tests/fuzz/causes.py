"""Causes of a deployment's effects: whatever single parameter, edited back in its file, changes what happens to a resource, and no other.

What a rebuild drags along is caused by what makes a property that rebuilds be another, and by nothing that only changes in place.
"""

import json
import random
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from jovial_scaffold.core.changes.causing import Causes, Reason
from jovial_scaffold.core.changes.effect_records import MISSING, CausePart, Effects
from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.core.changes.snapshots import snapshot_document
from jovial_scaffold.core.rendering.results import Rendering
from tests.fuzz.drivers import CATALOG, differing, edited, held, loaded, project, shown

_EFFECTS = ("in_place", "restart", "rebuild", "rebuild")
_HELD = {"holds": {"type": "array", "items": {"type": "string"}}, "beside": {"type": "string"}}
_HOLDS = {
    "alike0": ["${base.id}", "${line}"],
    "alike1": ["${base.id}", "${alike0.id}", "${many.map(k, many[k].id).join('+')}"],
    "alike2": ["${alike1.id}", "${flag ? base.id : alike0.id}", "${use.greeting}"],
    "each": ["${alike2.id}", "${alike0.id}", "${item.zone}"],
}
"""What each holds of those before it that the cloud gives anew."""
_NOW = {"sandbox": {"parameters": ["sandbox.json"]}, "live": {"parameters": ["live.json"], "deployed": "now.json"}}


def attempt(chance: random.Random) -> str:
    """One project, whose sandbox runs where live is to be deployed."""
    files = project(chance)
    described: dict[str, Any] = {**CATALOG["properties"], **_HELD}
    properties = {name: {**each, "changeEffect": chance.choice(_EFFECTS)} for name, each in described.items()}
    template = json.loads(files["line.yaml"])
    for name, texts in _HOLDS.items():
        template["resources"][f"{name} (yard.thing)"]["holds"] = chance.sample(texts, chance.randint(0, len(texts)))
        template["resources"][f"{name} (yard.thing)"]["beside"] = "/".join(chance.sample(texts, chance.randint(1, len(texts))))
    files |= {"catalog/thing.yaml": json.dumps({**CATALOG, "properties": properties}).encode(), "line.yaml": json.dumps(template).encode()}
    then = loaded(files).render("sandbox")
    now = snapshot_document("p", replace(then, environment="live"), {}, "")
    content = json.loads(files["jovial.yaml"])
    content["environments"] = {name: {**content["environments"][name], **_NOW[name]} for name in _NOW}
    files = {**files, "jovial.yaml": json.dumps(content).encode(), "now.json": json.dumps(now).encode()}
    whole = loaded(files)
    rendering = whole.render("live")
    if any(each.level == "error" for each in (*then.findings, *rendering.findings)):
        return "unusable"
    result = whole.effects("live")
    values = {name: value for name, value in differing(rendering, then).items() if name != "password"}  # which nobody records
    tried = {name: edited(files, "live", {name: value}) for name, value in values.items()}
    causes = Causes(whole.views(["live"])[0], result.snapshot.parameters)
    for each in result.effects:
        pointers = tuple(change.pointer for change in each.changes if change.counted and not change.because)
        if each.effect == "unchanged" or not (pointers or each.effect in ("add", "remove")):
            continue
        reason = Reason(each.address, each.effect, each.type, pointers)
        found = causes.found([reason])
        told = {cause.parameter for cause in found if cause.parameter and "+" not in cause.parameter}
        true = {name for name, other in tried.items() if _is_other(rendering, other, reason)}
        # One that is not set now may have been set to just what its default gave: nobody records that.
        true -= {name for name in rendering.parameters.defaulted if name not in told}
        assert told == true, (reason, sorted(told), sorted(true), files["line.yaml"])
        for part in [each.parts[0] for each in found if len(each.parts) == 1 and each.parts[0].part]:
            value = _with_part(rendering.parameters.values[part.parameter], part)
            other = edited(files, "live", {part.parameter: value}) if value is not None else None
            assert other is None or _is_other(rendering, other, reason), (reason, part, files["line.yaml"])
    _judge_dragged(result, rendering, tried)
    return "errors" if any(each.level == "error" for each in result.findings) else "clean"


def _judge_dragged(result: Effects, rendering: Rendering, tried: Mapping[str, Rendering]) -> None:
    leads: dict[str, set[str]] = {}
    for cause in result.causes or ():
        leads.setdefault(cause.parameter, set()).update(address for lead in cause.leads_to for address in lead.addresses)
    for name in tried.keys() & leads.keys():
        rebuilt: set[str] = set()
        own: set[str] = set()
        for each in result.effects:
            counted = [change for change in each.changes if change.counted and change.certain and not change.because]
            for change in counted:
                reason = Reason(each.address, "in_place", each.type, (change.pointer,))
                if _is_other(rendering, tried[name], reason):
                    own.add(each.address)
                    rebuilt |= {each.address} if change.effect == "rebuild" else set()
        dragged: set[str] = set()
        for _ in result.effects:
            for each in result.effects:
                for change in each.changes:
                    if rebuilt & set(change.because):
                        dragged.add(each.address)
                        rebuilt |= {each.address} if change.effect == "rebuild" else set()
        along = {each.address for each in result.effects if any(change.because for change in each.changes)}
        assert (leads[name] & along) - own == dragged - own, (name, leads[name], sorted(dragged), sorted(own))


def _is_other(rendering: Rendering, other: Rendering, reason: Reason) -> bool:
    if reason.effect in ("add", "remove"):
        return (reason.address in rendering.resources) != (reason.address in other.resources)
    if reason.address not in other.resources:
        return False  # it runs: one value of then does not take it away
    return any(_shown(rendering, reason, pointer) != _shown(other, reason, pointer) for pointer in reason.pointers)


def _shown(rendering: Rendering, reason: Reason, pointer: Any) -> str:
    return shown(held(rendering, Row("property", reason.address, reason.type, pointer, {}, (), True)))


def _with_part(value: Any, part: CausePart) -> Any:
    """A value with what one part of it was, put together by hand; None where it is no longer there."""
    if not part.part:
        return part.was
    first, _, rest = part.part.partition("/")
    if isinstance(value, list):
        at = next((index for index, item in enumerate(value) if first in map(str, item.values())), None)
        at = int(first) if at is None and first.isdigit() and int(first) < len(value) else at
        if at is None:
            return None
        inner = _with_part(value[at], CausePart("", rest, part.was, part.becomes))
        return [*value[:at], *([] if inner is MISSING else [inner]), *value[at + 1 :]]
    if not isinstance(value, dict) or (rest and first not in value):
        return None
    inner = _with_part(value.get(first), CausePart("", rest, part.was, part.becomes))
    return {**{key: item for key, item in value.items() if key != first}, **({} if inner is MISSING else {first: inner})}
