"""Rules over resources against the same conditions written by hand: `python -m benchmarks.rules`.

A hundred rules of five kinds over a thousand resources in three environments that are rendered already.
"""

import gc
import statistics
import sys
import time
from collections.abc import Callable
from typing import Any

from benchmarks.measuring import report
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.rules.evaluation import judge

_RESOURCES, _RULES, _ROUNDS = 1_000, 100, 5
_WORLDS = ("sandbox", "rehearsal", "live")
#: a condition with a number in it, and the same by hand, over the effective properties and the environment
KINDS: tuple[tuple[str, Callable[[dict[str, Any], str, int], bool]], ...] = (
    ("self.wait_hours < {0}", lambda own, world, number: own["wait_hours"] < number),
    ("self.name != 'x{0}' && self.wait_hours > 0", lambda own, world, number: own["name"] != f"x{number}" and own["wait_hours"] > 0),
    ("self.tags.all(k, self.tags[k] != 'x{0}')", lambda own, world, number: all(own["tags"][key] != f"x{number}" for key in own["tags"])),
    ("environment != 'live' || self.wait_hours <= {0}", lambda own, world, number: world != "live" or own["wait_hours"] <= number),
    (
        "size(self.name) < {0} && self.name.startsWith('q')",
        lambda own, world, number: len(own["name"]) < number and own["name"].startswith("q"),
    ),
)


def project(hold: bool) -> Project:
    """The project; where its rules do not `hold`, one in ten of them is broken by every resource."""
    entries = "".join(
        f'  rule{number}: {{because: x, applies: [fulmar.queue], require: "{KINDS[number % 5][0].format(100 + number)}"}}\n'
        if hold or number % 10
        else f'  rule{number}: {{because: x, applies: [fulmar.queue], require: "self.wait_hours > {100 + number}"}}\n'
        for number in range(_RULES)
    )
    resources = "".join(
        f'  q{number} (fulmar.queue): {{name: queue-{number}, wait_hours: "${{hours}}", tags: {{a: x, b: "y{number}"}}}}\n'
        for number in range(_RESOURCES)
    )
    files = {
        "jovial.yaml": f"project: bench\ntemplate: t.yaml\ncatalogs: [fulmar]\nrulesets: [r.yaml]\nenvironments: {{{', '.join(f'{world}: {{}}' for world in _WORLDS)}}}\n",
        "t.yaml": f"parameters:\n  hours: {{type: integer, minimum: 1, maximum: 9, description: How long}}\nresources:\n{resources}",
        "r.yaml": f"ruleset: bench\nrules:\n{entries}",
        "parameters/common.yaml": "hours: 3\n",
    }
    return Project(MemoryFolder({name: text.encode() for name, text in files.items()}))


def main() -> int:
    """Exit code 1 where an aim is missed."""
    met = []
    for hold in (True, False):
        made = project(hold)
        renderings = made.views(list(_WORLDS))
        rulesets = made._sound_rulesets
        effective = [(each.environment, [resource.effective for resource in each.resources.values()]) for each in renderings]
        ours: list[float] = []
        by_hand: list[float] = []
        for _ in range(_ROUNDS + 1):
            gc.collect()
            began = time.perf_counter()
            findings = sum(len(judge(each, rulesets)[0]) for each in renderings)
            ours.append(time.perf_counter() - began)
            began = time.perf_counter()
            checks = [(KINDS[number % 5][1], 100 + number) for number in range(_RULES)]
            broken = sum(not check(own, world, number) for world, found in effective for check, number in checks for own in found)
            by_hand.append(time.perf_counter() - began)
        assert broken == 0 and findings == (0 if hold else _RESOURCES * len(_WORLDS) * _RULES // 10)
        what = "rules that hold" if hold else "rules of which a tenth is broken"
        measured, reference = statistics.median(ours[1:]), statistics.median(by_hand[1:])
        met.append(report(f"{what} / by hand", measured, reference, 6 if hold else 30))
    return 0 if all(met) else 1


if __name__ == "__main__":
    sys.exit(main())
