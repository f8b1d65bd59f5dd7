"""A secret that is a part of what is handed on as a whole, by any way: nothing that is shown has it, and what is beside it stays public."""

import json
import random
from typing import Any

from jovial_scaffold.core.authoring.inventory import inventory
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.rendering.explaining import Unexplained
from jovial_scaffold.core.templates.surveying import survey
from jovial_scaffold.reports.board import board_of, board_page
from jovial_scaffold.reports.explaining import explanation_document, explanation_text
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.machine import compare_document, json_text
from jovial_scaffold.reports.parameters import parameters_text
from jovial_scaffold.reports.surveying import survey_document
from jovial_scaffold.reports.terminal import Style
from tests.fuzz.ways import WORLDS, Ways

CANARY = "canary-seven"
_PUBLIC = "porter"
_LOGIN = {"type": "object", "properties": {"user": {"type": "string"}, "token": {"type": "string", "writeOnly": True}}}
_CATALOG = {
    "$id": "yard.desk.v1",
    "description": "A desk",
    "type": "object",
    "properties": {
        "name": {"type": "string"},
        "login": _LOGIN,
        "logins": {"type": "array", "items": _LOGIN},
        "by_name": {"type": "object", "additionalProperties": _LOGIN},
        "deep": {"type": "object", "properties": {"inner": _LOGIN}},
    },
    "additionalProperties": False,
}
_STYLE = Style(colours=False, width=200)


class _Made(Ways):
    """Each way leads from an expression that gives the map to the next."""

    def held(self) -> dict[str, Any]:
        """The map as it is written."""
        token = self.chance.choice((CANARY, f"{CANARY}-${{world}}", f"${{'{CANARY}'}}", f"${{world + '{CANARY}'}}"))
        return {"user": _PUBLIC, "token": token}

    def origin(self) -> str:
        way = self.chance.randrange(9)
        if way < 3:
            return self.kept(way, self.held, {"user": "nobody", "token": "other"})
        name, plain = self.name("a"), {"user": _PUBLIC, "token": CANARY}
        if way == 8:
            self.template["lookups"] = {name: {"in": "facts", "where": "row.world == world"}}
            return f"{name}.login" if self.chance.random() < 0.5 else f"{{'user': {name}.login.user, 'token': {name}.login.token}}"
        if way == 3:
            self.template["parameters"][name] = {"type": "object", "description": "Plain"}
            self.parameters[name] = plain
            return name
        if way == 4:
            schema = self.chance.choice(({"type": "object"}, {**_LOGIN, "required": ["user", "token"]}))
            self.template["parameters"][name] = {**schema, "default": plain, "description": "Plain"}
            return name
        made = f"{{'user': '{_PUBLIC}', 'token': '{CANARY}'}}"
        if way == 5:
            self.template["functions"][name] = {"takes": {"word": {"type": "string"}}, "is": made.replace(f"'{_PUBLIC}'", "word")}
            return f"{name}('{_PUBLIC}')"
        if way == 6:
            body = made.replace(f"'{CANARY}'", "word")
            self.template["functions"][name] = {"takes": {"word": {"type": "string"}}, "is": body}
            return f"{name}('{CANARY}')"
        return made

    def named(self, expression: str) -> str:
        """A name for it: what is written twice and read once is no secret where it is not read."""
        name = self.name("n")
        self.template["let"][name] = f"${{{expression}}}"
        return name

    def further(self, expression: str) -> str:
        """An expression over another that gives the same."""
        way = self.chance.randrange(13)
        if way < 2:
            return self.read_again(way, expression)
        name = self.name("b")
        if way == 2:
            expression = self.named(expression)
            self.template["let"][name] = {"user": f"${{{expression}.user}}", "token": f"${{{expression}.token}}"}
            return name
        if way == 3:
            self.template["functions"][name] = {
                "takes": {"all": {}},
                "is": self.chance.choice(("all", "{'user': all.user, 'token': all.token}")),
            }
            return f"{name}({expression})"
        return (
            f"(world == 'live' || world == 'sandbox' ? {expression} : {{'user': 'x'}})",
            f"optional.of({expression}).orValue({{'user': 'x'}})",
            f"patched({expression}, {{'user': '{_PUBLIC}'}})",
            f"patched({{'user': 'x'}}, {expression})",
            f"[{expression}].map(e, e)[0]",
            f"[{expression}].filter(e, e.user != 'x')[0]",
            f"cel.bind(e, {expression}, {{'user': e.user, 'token': e.token}})",
            f"{{'k': {expression}}}.transformMap(k, v, {{'user': v.user, 'token': v.token}}).k",
            f"{{'k': {expression}}}['k']",
        )[way - 4]

    def placed(self, expression: str) -> str:
        """The expression at a property of which a part is secret, directly, through a loop or a module; where the public part stands."""
        way, own = self.chance.randrange(9), {"name": "desk"}
        resources, address, at = self.template["resources"], "desk", "login"
        if way == 0:
            self.template["everywhere"] = {"yard.desk": {"login": f"${{{expression}}}"}}
            resources["desk (yard.desk)"] = own
        elif way == 1:
            resources["use (./m.json)"] = {"all": f"${{{expression}}}"}
            address = "use/desk"
        elif way == 2:
            expression = self.named(expression)
            resources["desk (yard.desk)"] = {**own, "login": {"user": f"${{{expression}.user}}", "token": f"${{{expression}.token}}"}}
        elif way == 3:
            resources["desk (yard.desk)"] = {**own, "logins": f"${{[{expression}]}}"}
            at = "logins/0"
        elif way == 4:
            resources["desk (yard.desk)"] = {**own, "by_name": f"${{{{'x': {expression}}}}}"}
            at = "by_name/x"
        elif way == 5:
            resources["desk (yard.desk)"] = {**own, "deep": {"inner": f"${{{expression}}}"}}
            at = "deep/inner"
        elif way == 6:
            expression = self.named(expression)
            resources["desk (yard.desk)"] = {"$per": {"s": f"{{'x': {expression}}}"}, "name": "${s}", "login": f"${{{expression}}}"}
            address = "desk/x"
        elif way == 7:
            resources["desk (yard.desk)"] = {"$per": {"k, s": f"{{'x': {expression}}}"}, "name": "${k}", "login": "${s}"}
            address = "desk/x"
        else:
            resources["desk (yard.desk)"] = {**own, "login": f"${{{expression}}}"}
        return f"{address}:{at}/user"


_MODULE = {
    "parameters": {"all": {"type": "object", "description": "Plain"}},
    "let": {"inner": "${all}"},
    "resources": {"desk (yard.desk)": {"name": "desk", "login": "${inner}"}},
}


def attempt(chance: random.Random) -> str:
    """One way, and all that is shown of it."""
    made = _Made(chance)
    expression = made.origin()
    for _ in range(chance.randrange(4)):
        expression = made.further(expression)
    public = made.placed(expression)
    files = {
        "jovial.yaml": "project: p\ntemplate: t.json\ncatalogs: [catalog/]\nlookups: {facts: facts.json}\nenvironments: {sandbox: {}, live: {}}\n",
        "catalog/catalog.json": json.dumps({"name": "yard", "description": "d"}),
        "catalog/desk.json": json.dumps(_CATALOG),
        "t.json": json.dumps(made.template, indent=chance.choice((None, 1))),
        "m.json": json.dumps(_MODULE),
        "facts.json": json.dumps([{"world": world, "login": {"user": _PUBLIC, "token": CANARY}} for world in WORLDS]),
        **{f"parameters/{world}.json": json.dumps({"world": world, **made.parameters}) for world in WORLDS},
    }
    project = Project(MemoryFolder({name: text.encode() for name, text in files.items()}))
    result = project.check()
    assert not [each for each in result.findings if each.level == "error"], ([each.id for each in result.findings], files["t.json"])
    views = project.views(WORLDS)
    reasons = []
    for what in _asked(project, public):
        try:
            reasons.append((what, project.why(what, "live")))
        except Unexplained:
            assert what != public, files["t.json"]
    assert reasons[0][1].value == _PUBLIC, (public, reasons[0], files["t.json"])
    told = [explanation_text(reason, "live", _STYLE) for _, reason in reasons]
    told.append(json_text(explanation_document("p", reasons, [])))
    told.append(findings_text(list(result.findings), project.source, _STYLE, project.environments))
    told.append(json_text(compare_document(project.compare(everything=True))))
    told.append(board_page("p", [board_of("p", views, lambda: ([], []), {}, "")]))
    told += parameters_text("p", inventory(list(project.template.parameters.values()), views), [*WORLDS], _STYLE)
    told.append(json_text(survey_document(survey([each.origin.source for each in project.templates], [*project.templates]))))
    for text in told:
        assert CANARY not in text, (text[max(0, text.index(CANARY) - 200) :][:300], files["t.json"])
    return "clean"


def _asked(project: Project, public: str) -> list[str]:
    """What is explained, the public part first."""
    address, _, pointer = public.partition(":")
    whole = pointer.removesuffix("/user")
    template = project.template
    names = [*template.values, *template.parameters, address, *([address.partition("/")[0]] if "/" in address else [])]
    return [public, f"{address}:{whole}", f"{address}:{whole}/token", f"{address}:{whole.partition('/')[0]}", *names]
