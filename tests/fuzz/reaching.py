"""A literal that reaches a secret property by any way, and does not fit there: nothing that is said of it shows it."""

import json
import random
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.machine import json_text
from jovial_scaffold.reports.terminal import Style
from tests.fuzz.ways import WORLDS, Ways
from tests.support import checked_document

CANARY = "canary-7"  # too short for the property that it reaches
_LITERAL = f"'{CANARY}'"


class _Made(Ways):
    """Each way leads from a name to the next."""

    def __init__(self, chance: random.Random) -> None:
        super().__init__(chance)
        self.template["resources"]["net (fulmar.network)"] = {"name": "net-a", "range": "10.0.0.0/8"}

    def origin(self) -> str:
        """An expression that gives the literal, which is written somewhere."""
        way = self.chance.randrange(6)
        if way == 5:
            return _LITERAL
        if way < 3:
            return self.kept(way, lambda: CANARY, "plain-enough-for-it")
        name = self.name("a")
        if way == 3:
            self.template["parameters"][name] = {"type": "string", "description": "Plain", **self.unfit()}
            self.parameters[name] = CANARY
            return name
        self.template["parameters"][name] = {"type": "string", "default": CANARY, "description": "Plain", **self.unfit()}
        return name

    def unfit(self) -> dict[str, Any]:
        """What a declaration may say against the literal."""
        return self.chance.choice(
            ({}, {}, {"minLength": 30}, {"enum": ["canary-8", "plain-enough-for-it"]}, {"pattern": "^[a-z]+$"}, {"type": "integer"})
        )

    def further(self, expression: str) -> str:
        """An expression over another that gives the same, or holds it."""
        way = self.chance.randrange(6)
        if way < 2:
            return self.read_again(way, expression)
        name = self.name("b")
        if way == 2:
            return f"(world == 'live' || world == 'sandbox' ? {expression} : 'plain-enough-for-it')"
        if way == 3:
            return f"optional.of({expression}).orValue('plain-enough-for-it')"
        if way == 4:
            self.template["functions"][name] = {"takes": {"word": {"type": "string"}}, "is": "word"}
            return f"{name}({expression})"
        self.template["let"][name] = f"x${{{expression}}}"
        return name

    def placed(self, expression: str) -> None:
        """The expression at the property, directly or through a module."""
        way = self.chance.randrange(4)
        own = {"name": "pool-a", "image": "i", "size": "s", "copies": 1}
        if way == 0:
            self.template["everywhere"] = {"fulmar.machine_group": {"operator_password": f"${{{expression}}}"}}
            self.template["resources"]["pool (fulmar.machine_group)"] = own
        elif way == 1:
            self.template["resources"]["pool (./m.json)"] = {"secret": CANARY if expression == _LITERAL else f"${{{expression}}}"}
        else:
            self.template["resources"]["pool (fulmar.machine_group)"] = {**own, "operator_password": f"${{{expression}}}"}


_MODULE = {
    "parameters": {"secret": {"type": "string", "description": "Plain"}},
    "resources": {
        "pool (fulmar.machine_group)": {"name": "pool-b", "image": "i", "size": "s", "copies": 1, "operator_password": "${secret}"}
    },
}


def attempt(chance: random.Random) -> str:
    """One way, and all that a check prints of it."""
    made = _Made(chance)
    expression = made.origin()
    for _ in range(chance.randrange(4)):
        expression = made.further(expression)
    made.placed(expression)
    indent = chance.choice((None, 1))
    files = {
        "jovial.yaml": "project: p\ntemplate: t.json\ncatalogs: [fulmar]\nenvironments: {sandbox: {}, live: {}}\n",
        "t.json": json.dumps(made.template, indent=indent),
        "m.json": json.dumps(_MODULE, indent=indent),
        **{f"parameters/{world}.json": json.dumps({"world": world, **made.parameters}, indent=indent) for world in WORLDS},
    }
    project = Project(MemoryFolder({name: text.encode() for name, text in files.items()}))
    said: list[Finding] = []
    for early in (True, False):
        result = project.check(template_only=early)
        said += result.findings
        printed = findings_text(list(result.findings), project.source, Style(colours=False, width=200), project.environments)
        for text in (printed, json_text(checked_document(project, template_only=early))):
            assert CANARY not in text, (files, text)
    assert any(each.id.partition("-")[0] in ("property", "parameter", "default") for each in said), files
    return "errors"
