"""What a file is by its own look: a template, a project file, a ruleset, and so on; so that a file in the wrong role is recognised."""

from collections.abc import Callable
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.words import Sentence, say

_TYPE_ID = regex(r"[a-z][a-z0-9_]*\.[a-z][a-z0-9_]*\.v[1-9][0-9]*\Z")
_RESOURCE = regex(r"[a-z][a-z0-9_]*\s*\(\s*[^()]+\)\Z")


def _maps(value: Any, *names: str) -> bool:
    return all(isinstance(value.get(name), dict) for name in names)


def _is_template(value: dict[str, Any]) -> bool:
    resources = value.get("resources")
    if isinstance(resources, dict) and any(isinstance(key, str) and _RESOURCE.match(key) for key in resources):
        return True
    parameters = value.get("parameters")
    declared = isinstance(parameters, dict) and any(
        isinstance(each, dict) and {"type", "enum", "$ref", "const", "description"} & each.keys() for each in parameters.values()
    )
    return declared and not {"project", "environments"} <= value.keys()


# role -> how a file of that role is known; the first that fits is the one
_ROLES: dict[str, Callable[[dict[str, Any]], bool]] = {
    "a project file": lambda value: isinstance(value.get("project"), str) and _maps(value, "environments") and "format" not in value,
    "a workspace file": lambda value: isinstance(value.get("workspace"), str) and "projects" in value,
    "a report of this tool": lambda value: isinstance(value.get("format"), str) and value["format"].startswith("jovial-"),
    "a deployed snapshot": lambda value: (
        isinstance(value.get("environment"), str)
        and _maps(value, "resources")
        and all(isinstance(each, dict) and {"type", "properties"} <= each.keys() for each in value["resources"].values())
    ),
    "a template": _is_template,
    "a ruleset": lambda value: (
        _maps(value, "rules")
        and (
            isinstance(value.get("ruleset"), str)
            or any(isinstance(rule, dict) and {"require", "because"} & rule.keys() for rule in value["rules"].values())
        )
    ),
    "the schema of a resource type": lambda value: isinstance(value.get("$id"), str) and bool(_TYPE_ID.match(value["$id"])),
}


def role_of(value: Any) -> str:
    """`a template`, `a ruleset` and so on where a value surely is one, else nothing: most maps may be parameter files."""
    if not isinstance(value, dict):
        return ""
    return next((role for role, fits in _ROLES.items() if fits(value)), "")


def misplaced(source: Source, wanted: str, hint: Sentence) -> Finding | None:
    """The finding of a file that is something else than what it is used as."""
    role = role_of(source.value)
    if not role or role == wanted:
        return None
    key = next(iter(source.value))
    return Finding("file-role", "error", say("{} is used as {}, and is {}.", source.name, wanted, role), source.key_span((key,)), hint)
