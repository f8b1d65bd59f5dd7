"""Causes of a deployment's effects: whatever single parameter, edited back in its file, changes what happens to a resource, and no other."""

import json
import random
from dataclasses import replace
from typing import Any

from jovial_scaffold.core.changes.causing import Causes, Reason
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
        told = {cause.parameter for cause in causes.found([reason]) if cause.parameter and "+" not in cause.parameter}
        true = {name for name, other in tried.items() if _is_other(rendering, other, reason)}
        # One that is not set now may have been set to just what its default gave: nobody records that.
        true -= {name for name in rendering.parameters.defaulted if name not in told}
        assert told == true, (reason, sorted(told), sorted(true), files["line.yaml"])
    return "errors" if any(each.level == "error" for each in result.findings) else "clean"


def _is_other(rendering: Rendering, other: Rendering, reason: Reason) -> bool:
    if reason.effect in ("add", "remove"):
        return (reason.address in rendering.resources) != (reason.address in other.resources)
    if reason.address not in other.resources:
        return False  # it runs: one value of then does not take it away
    return any(_shown(rendering, reason, pointer) != _shown(other, reason, pointer) for pointer in reason.pointers)


def _shown(rendering: Rendering, reason: Reason, pointer: Any) -> str:
    return shown(held(rendering, Row("property", reason.address, reason.type, pointer, {}, (), True)))
