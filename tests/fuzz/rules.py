"""Rules before any environment against the same rules judged: what is called wrong never passes nor fails by its own merit, and what is not
called wrong is never a mistake of the rule."""

import json
import random
from typing import Any

from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rules.checking import check_rules
from jovial_scaffold.core.rules.evaluation import judge
from jovial_scaffold.core.rules.reading import Ruleset

_LEFT = (
    *("self.name", "self.size", "self.copies", "self.encrypted", "self.tags.owner", "self.diks", "self.wait_hours", "type", "address"),
    *("environment", "labels.tier", "labels.teir", "parameters.world", "parameters.copies", "parameters.none", "size(resources)"),
    *(
        "self.?size.orValue('s')",
        "self.?nothing.orValue(1)",
        "outputs.told",
        "outputs.none",
        "resources['pool'].properties.copies",
        "small",
    ),
)
_RIGHT = ("'s'", "'xxxl'", "'live'", "'prod'", "'low'", "3", "true", "'fulmar.queue.v1'", "small", "parameters.copies", "self.name")
_SIGNS = ("==", "!=", "<", "in", "+ 1 ==", "&&")
#: what depends on values and not on types alone, so that only judging can tell
_OF_VALUES = frozenset(("index-range", "integer-overflow", "conversion-fails", "pattern-invalid", "range-invalid", "division-by-zero"))
_TEMPLATE = {
    "parameters": {
        "world": {"enum": ["sandbox", "live"], "description": "Which"},
        "copies": {"type": "integer", "minimum": 1, "maximum": 9, "description": "How many"},
    },
    "resources": {
        "pool (fulmar.machine_group)": {
            "name": "pool-a",
            "image": "i",
            "size": "${world == 'live' ? 'l' : 's'}",
            "copies": "${copies}",
            "subnets": ["s-1"],
        },
        "queue (fulmar.queue)": {"name": "queue-a", "encrypted": True, "tags": {"owner": "desk"}},
        "other (fulmar.queue)": {"name": "queue-b"},
    },
    "outputs": {"told": "${pool.copies}"},
}


def _rule(chance: random.Random) -> dict[str, Any]:
    left, sign, right = chance.choice(_LEFT), chance.choice(_SIGNS), chance.choice(_RIGHT)
    require = f"[{left}, {right}].size() == 2" if chance.random() < 0.05 else f"{left} {sign} {right}"
    made: dict[str, Any] = {"because": "b", "require": require, "applies": [chance.choice(("fulmar.*", "fulmar.queue", "fulmar.machine*"))]}
    if chance.random() < 0.3:
        made["where"] = f"{chance.choice(_LEFT)} {chance.choice(('==', '!=', 'in'))} {chance.choice(_RIGHT)}"
    if chance.random() < 0.3:
        made["absent"] = "pass"
    return made


def attempt(chance: random.Random) -> str:
    """One ruleset over one project."""
    rules = {f"rule{number}": _rule(chance) for number in range(6)}
    entries = {name: {"parameters": [f"{name}.json"], "labels": {"tier": tier}} for name, tier in (("sandbox", "low"), ("live", "high"))}
    project = {"project": "p", "template": "t.json", "catalogs": ["fulmar"], "rulesets": ["r.json"], "environments": entries}
    files: dict[str, Any] = {
        "jovial.yaml": project,
        "t.json": _TEMPLATE,
        "r.json": {"ruleset": "R", "let": {"small": ["xs", "s"]}, "rules": rules},
    }
    for name, copies in (("sandbox", 1), ("live", 3)):
        files[f"{name}.json"] = {"world": name, "copies": copies}
    loaded = Project(MemoryFolder({name: json.dumps(content).encode() for name, content in files.items()}))
    (ruleset,) = loaded._rulesets
    renderings = loaded.views(loaded.environments)
    wrong = False
    for rule, findings in check_rules(ruleset, loaded._world):
        errors = {each.id for each in findings if each.level == "error"}
        partly = any(each.message.template.startswith("{} This is so for") or each.id == "rule-invalid" for each in findings)
        wrong = wrong or bool(errors)
        for absent_fails in (True, False):
            require = rules[rule.name]["require"]
            alone = Ruleset(ruleset.title, ruleset.values, (replace(rule, absent_fails=absent_fails),))
            verdicts = [judge(each, [alone]) for each in renderings]
            outcomes = {outcome for _, counted in verdicts for _, outcome in counted}
            broken = [each for said, _ in verdicts for each in said if each.id == "rule-fails"]
            shown = (rules[rule.name], findings, outcomes)
            # Ill-typed, it holds by nothing but by what absence means; `false && …` and `true || …` hold all the same.
            if "type-mismatch" in errors and not partly and not {"&&", "||"} & {*require.split()}:
                assert ("passed" if absent_fails else "failed") not in outcomes, shown
            if errors == {"comparison-constant"} and "where" not in rules[rule.name]:
                assert len(outcomes - {"undetermined"}) <= 1, shown
            # what a `where` leaves out is not looked at
            if not errors and "where" not in rules[rule.name]:
                assert all(str(each.group).split()[-1] in _OF_VALUES for each in broken), shown
    return "errors" if wrong else "clean"
