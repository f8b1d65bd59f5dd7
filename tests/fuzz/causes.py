"""Causes of a deployment's effects: whatever single parameter, edited back in its file, changes what happens to a resource, and no other."""

import json
import random
from dataclasses import replace
from typing import Any

from jovial_scaffold.core.changes.causing import Causes, Reason
from jovial_scaffold.core.changes.effect_records import MISSING, CausePart
from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.core.changes.snapshots import snapshot_document
from jovial_scaffold.core.rendering.results import Rendering
from tests.fuzz.drivers import differing, edited, held, loaded, project, shown

_NOW = {"sandbox": {"parameters": ["sandbox.json"]}, "live": {"parameters": ["live.json"], "deployed": "now.json"}}


def attempt(chance: random.Random) -> str:
    """One project, whose sandbox runs where live is to be deployed."""
    files = project(chance)
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
        reason = Reason(each.address, each.effect, each.type, pointers, ())
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
    return "errors" if any(each.level == "error" for each in result.findings) else "clean"


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
