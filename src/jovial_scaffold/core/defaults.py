"""How commands are called where a command line says nothing else: `defaults` of a project file (docs/project.md, "Defaults").

Only what chooses what is shown, and how strictly: nothing that a repository of somebody else may set writes, reads or reveals anything.
"""

from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.findings import LEVELS
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Described, Sentence, listed, nearest, say

FLAG, WORD, WORDS, NUMBER = "true or false", "a text", "a list of texts", "an integer of 0 or more"
Takes = str | tuple[str, ...]
"""What an option takes: one of these kinds, or one of some words."""

TAKEN: Mapping[str, Mapping[str, Takes]] = {
    "check": {
        "draft": FLAG,
        "level": LEVELS,
        "max-findings": NUMBER,
        "only": WORDS,
        "proofs": LEVELS,
        "rules": WORDS,
        "strict": FLAG,
        "waived": FLAG,
    },
    "compare": {
        "all": FLAG,
        "baseline": WORD,
        "by": ("resource", "type", "module", "parameter", "aspect"),
        "drivers": FLAG,
        "echoes": FLAG,
        "families": FLAG,
        "ignore": WORDS,
        "max": NUMBER,
        "only": WORDS,
        "totals": FLAG,
    },
    "effects": {"by": ("cause", "effect", "resource", "round"), "details": FLAG, "others": FLAG},
    "map": {"by": ("module", "file"), "steps": NUMBER, "unfold": FLAG},
    "plot": {"baseline": WORD, "ignore": WORDS, "only": WORDS},
    "survey": {"all": FLAG},
    "why": {"max": NUMBER},
}
"""The options of each command that a project may give another default, with what they take. `proofs` of `check` is the level at which what
can be broken is told."""

_FITS: Mapping[str, Callable[[Any], bool]] = {
    FLAG: lambda value: type(value) is bool,
    WORD: lambda value: isinstance(value, str),
    WORDS: lambda value: isinstance(value, list) and all(isinstance(each, str) for each in value),
    NUMBER: lambda value: type(value) is int and value >= 0,
}
Defaults = Mapping[str, Mapping[str, Any]]
"""Values of options, by command and option, without dashes."""
Report = Callable[[str, Sentence, Origin, Sentence, bool], None]
"""Takes an id, what is said, where, what to do, and whether it is about the key."""


def read_defaults(content: Any, origin: Origin, report: Report) -> Defaults:
    """What stands under `defaults`; what is wrong is reported and left out."""
    if content is None or content is UNKNOWN:
        return {}
    if not isinstance(content, dict):
        example = say("For example: defaults: {compare: {totals: true}}")
        report(
            "project-shape", say("`defaults` is a map from command to options, and this is {}.", Described(content)), origin, example, False
        )
        return {}
    found: dict[str, dict[str, Any]] = {}
    for command, options in content.items():
        place = origin.child(command)
        if command not in TAKEN:
            known = nearest(command, TAKEN, say("There are some for {}.", ", ".join(TAKEN)))
            report("key-unknown", say("There are no defaults for a command `{}`.", command), place, known, True)
        elif options is not None and not isinstance(options, dict):
            message = say("The defaults of `{}` are a map from option to value, and this is {}.", command, Described(options))
            report("project-shape", message, place, say("Write options without dashes."), False)
        else:
            found[command] = _options(command, options or {}, place, report)
    return found


def _options(command: str, options: dict[str, Any], origin: Origin, report: Report) -> dict[str, Any]:
    found = {}
    for name, value in options.items():
        takes = TAKEN[command].get(name)
        place = origin.child(name)
        if takes is None:
            known = nearest(name, TAKEN[command], say("Its options are {}.", ", ".join(TAKEN[command])))
            report("key-unknown", say("There is no default for `{}` of `{}`.", name, command), place, known, True)
        elif value is UNKNOWN:
            continue
        elif value not in takes if isinstance(takes, tuple) else not _FITS[takes](value):
            words = takes if isinstance(takes, str) else listed(takes, "or")
            message = say("`{}` of `{}` takes {}, and this is {}.", name, command, words, Described(value))
            report("project-shape", message, place, say("Write it as `jovial {} --{}` would take it.", command, name), False)
        else:
            found[name] = value
    return found
