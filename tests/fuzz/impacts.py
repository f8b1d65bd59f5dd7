"""What parameters reach: whatever changes with another value of one, in whole renderings, is among it."""

import random

from jovial_scaffold.core.changes.impact import Asked, Impact
from jovial_scaffold.core.rendering.results import Rendering
from tests.fuzz.drivers import differing, edited, loaded, project


def attempt(chance: random.Random) -> str:
    """One project, of whose live one parameter at a time is what it is in sandbox."""
    files = project(chance)
    whole = loaded(files)
    rendering, sandbox = whole.views(["live"])[0], whole.render("sandbox")
    before = whole.render("live")
    if any(each.level == "error" for each in (*before.findings, *sandbox.findings)):
        return "unusable"
    impact = Impact()
    for name, value in differing(before, sandbox).items():
        touched = impact.of(rendering, Asked({rendering.scope.template: frozenset((name,))}))
        told = {(each.address, each.property) for each in touched}
        other = edited(files, "live", {name: value})
        if any(each.level == "error" for each in other.findings):
            continue
        for address, property in changed(before, other):
            assert (address, property) in told or (address, "") in told, (name, address, property, sorted(told), files["line.yaml"])
    return "clean"


def changed(before: Rendering, other: Rendering) -> set[tuple[str, str]]:
    """What differs: properties of resources that are in both, and what runs of the first only."""
    found: set[tuple[str, str]] = set()
    for address, resource in before.resources.items():
        then = other.resources.get(address)
        if then is None:
            found.add((address, ""))
            continue
        names = resource.properties.keys() | then.properties.keys()
        missing = object()
        found |= {
            (address, name)
            for name in names & resource.properties.keys()
            if repr(resource.properties[name]) != repr(then.properties.get(name, missing))
        }
    template = before.outputs.keys() & other.outputs.keys()
    found |= {
        (f"outputs.{name}" if name in before.resources else name, "")
        for name in template
        if repr(before.outputs[name]) != repr(other.outputs[name])
    }
    for name in before.documents.keys() & other.documents.keys():
        if before.documents[name].compared != other.documents[name].compared:
            found.add((name, ""))
    return found
