"""What is called unused, always or never: without it, or with that in its place, every environment renders the same."""

import copy
import itertools
import json
import random
import re
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.reports.machine import render_document
from jovial_scaffold.reports.words import said
from tests.fuzz import static

_WORLDS = {"live": {"tier": "high", "place": "valley"}, "rehearsal": {"tier": "low"}}
_SECTIONS = {
    "parameter": "parameters",
    "value": "let",
    "function": "functions",
    "lookup": "lookups",
    "document": "documents",
    "type": "types",
}
_UNUSED = re.compile(r"The (\w+) `(\w+)` is used nowhere")


def made(chance: random.Random) -> tuple[dict[str, Any], dict[str, Any]]:
    """A template with things that may be used or not, and values for its parameters."""
    template = copy.deepcopy(static.template(chance))
    names = ("alp", "bri", "fal", "hut")
    reads = {name: chance.choice(("setting", "size", *names)) for name in names}
    for name, read in reads.items():
        forms = (f"${{{read}}}", f"x-${{string({read})}}", {"a": f"${{{read}}}"}, "plain")
        template["let"][name] = chance.choice(forms) if name != read else "plain"
    if chance.random() < 0.5:
        template["parameters"]["spare"] = {"type": "string", "description": "May be spare"}
    if chance.random() < 0.5:
        template["parameters"]["other"] = {"$ref": "#/types/code", "default": "${setting}", "description": "Another"}
        template["types"] = {"code": {"type": "string"}, "more": {"type": "string"}}
    if chance.random() < 0.6:
        body = chance.choice(("word + '!'", "other_one(word)", "word"))
        template["functions"] = {
            "shout": {"takes": {"word": {"type": "string"}}, "is": body},
            "other_one": {"takes": {"w": {"type": "string"}}, "is": "w"},
        }
    if chance.random() < 0.6:
        template["lookups"] = {"row_of": {"in": "images", "where": "row.use == setting", "newest": "row.at"}}
    if chance.random() < 0.6:
        template["documents"] = {"note": {"from": "note.txt", **({"to": "note.txt"} if chance.random() < 0.5 else {})}}
    readable = [*template["let"], *(name for name in ("spare", "other") if name in template["parameters"])]
    template["outputs"] = {
        f"o{number}": chance.choice(
            (
                *(f"${{as_json({chance.choice(readable)})}}", f"${{[{chance.choice(readable)}].map(x, as_json(x))[0]}}"),
                *(["${shout(setting)}"] if "functions" in template else []),
                *(["${row_of.image}"] if "lookups" in template else []),
                *(["${note}"] if "documents" in template else []),
            )
        )
        for number in range(chance.randint(0, 3))
    }
    return template, {name: "text" for name in ("spare",) if name in template["parameters"]}


def project_of(template: dict[str, Any], values: dict[str, Any]) -> Project:
    """The project that a template is of."""
    entries = {name: {"parameters": ["p.json"], "labels": labels} for name, labels in _WORLDS.items()}
    rows = [{"use": use, "image": f"{use}-{at}", "at": at} for use in ("sandbox", "rehearsal", "live") for at in (1, 2)]
    files = {
        "jovial.yaml": json.dumps(
            {"project": "p", "template": "t.json", "catalogs": ["fulmar"], "lookups": {"images": "i.json"}, "environments": entries}
        ),
        "t.json": json.dumps(template),
        "p.json": json.dumps(values),
        "i.json": json.dumps(rows),
        "note.txt": "Of ${setting}: ${alp:-none}\n",
    }
    return Project(MemoryFolder({name: text.encode() for name, text in files.items()}))


_CONSTANT = re.compile("is always (true|false)")


def without(template: dict[str, Any], finding: Finding, indent: int | None = None) -> dict[str, Any] | None:
    """The template without what a finding calls unused, or with what it calls constant; None where it is about something else. `indent` is
    that of the file."""
    changed = copy.deepcopy(template)
    if finding.id in ("condition-always", "condition-never"):
        resource = next(name for name in changed["resources"] if name.startswith(f"{finding.address} "))
        changed["resources"][resource]["$when"] = finding.id == "condition-always"
        return changed
    constant, span = _CONSTANT.search(said(finding.message)), finding.span
    if finding.id == "comparison-constant" and constant and span is not None and span.line == span.end_line:
        lines = json.dumps(template, indent=indent).splitlines()
        line = lines[span.line - 1]
        lines[span.line - 1] = f"{line[: span.column - 1]}({constant[1]}){line[span.end_column - 1 :]}"
        constantly: dict[str, Any] = json.loads("\n".join(lines))
        return constantly
    if not finding.id.endswith("-unused"):
        return None
    kind, name = _UNUSED.match(said(finding.message)).groups()  # type: ignore[union-attr]  # it says so
    del changed[_SECTIONS[kind]][name]
    return changed


def without_order(document: dict[str, Any]) -> dict[str, Any]:
    """A rendering as a machine reads it, without what comes after what."""
    return {**document, "resources": {address: {**each, "after": []} for address, each in document["resources"].items()}}


def rendered(template: dict[str, Any], values: dict[str, Any], ordered: bool = True) -> list[Any]:
    """All environments as a machine reads them, without places."""
    project = project_of(template, {name: value for name, value in values.items() if name in template["parameters"]})
    found = []
    for name in project.environments:
        rendering = project.render(name)
        if any(each.id == "must-failed" for each in rendering.findings):
            continue  # what `must` does not accept is no environment
        document = render_document("p", rendering) if ordered else without_order(render_document("p", rendering))
        documents = {name: each for name, each in (document.get("documents") or {}).items() if each.get("to")}  # which are written
        found.append((document["resources"], document["outputs"], documents))
    return found


def attempt(chance: random.Random) -> str:
    """One template; what is said of it is tried in some of its environments."""
    template, more = made(chance)
    findings = project_of(template, more).check(template_only=True).findings
    changes = [(each, changed) for each in findings if (changed := without(template, each)) is not None]
    combinations = list(itertools.product(("sandbox", "rehearsal", "live"), ("xs", "s", "huge"), (1, 2, 3), (False, True)))
    for values in chance.sample(combinations, 5) if changes else ():
        given = {**dict(zip(static.PARAMETERS, values, strict=True)), **more}
        before = {ordered: rendered(template, given, ordered) for ordered in (True, False)}
        for finding, changed in changes:
            ordered = not finding.id.startswith(("comparison-", "condition-"))
            assert rendered(changed, given, ordered) == before[ordered], (said(finding.message), finding.span, template, given)
    return "errors" if changes else "clean"
