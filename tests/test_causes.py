"""One wrong value is one finding at the line that a person would mend, however many resources it reaches."""

import random
from typing import Any

import pytest

from tests.support import in_memory, load_cases

HEAD = """parameters:
  line: {type: string, description: Short name of the line}
  setting: {enum: [sandbox, live], description: Which}
  stations: {type: array, items: {type: object, additionalProperties: {type: string}}, description: Where}
  hours: {type: integer, description: How long}
  plan: {type: object, description: All of it}
let:
  all: ${plan}
  prefix: ${line}-x
  both: ${line}-${setting}
  owner: {name: "${line}"}
  sizes: {sandbox: small, live: large}
  times: {sandbox: [5, 0], live: [0, 70000]}
  names: {sandbox: "${line}", live: "${owner.name}"}
  here: ${times[setting]}
  tier: ${context.labels.tier}
resources:
"""
FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {sandbox: {parameters: [sandbox.yaml], labels: {tier: low}}, live: {parameters: [live.yaml], labels: {tier: High}}}",
    "sandbox.yaml": "line: alp\nsetting: sandbox\nstations: [{code: kes, name: kes-one}]\nhours: 4\nplan: {line: alp, deep: {line: alp}}\n",
    "live.yaml": "line: Alp\nsetting: live\nstations: [{code: kes, name: Kes}, {code: olt, name: olt-one}]\nhours: 99999\nplan: {line: Alp, deep: {line: Bri}}\n",
}


@pytest.mark.parametrize("case", load_cases("causes.yaml"))
def test_findings_stand_at_their_cause(case: dict[str, Any]) -> None:
    template = HEAD.replace("resources:\n", "") + "resources:\n" + "".join(f"  {line}\n" for line in case["resources"].splitlines())
    files = {**FILES, "t.yaml": template}
    found = []
    for finding in in_memory(files).check().findings:
        if finding.level == "error" and finding.span is not None:
            place = f"{finding.span.file}:{finding.span.line}:{finding.span.column}"
            found.append(f"{place} {finding.id} {len(finding.places)}")
    assert found == case["findings"]


def _through(chance: random.Random, depth: int, at: str) -> tuple[list[str], str]:
    """Named values that hand on what stands at a name, joined, copied, or as a part of a map, and the expression that reads the last of them."""
    lines = []
    for number in range(depth):
        form = chance.choice(("copied", "joined", "part", "chosen"))
        name = f"step{number}"
        if form == "part":
            lines.append(f"  {name}: {{deep: {{own: '${{{at}}}'}}, other: x}}")
            at = f"{name}.deep.own"
        else:
            text = {"copied": f"${{{at}}}", "joined": f"${{{at}}}-x", "chosen": f"${{true ? {at} : 'none'}}"}[form]
            lines.append(f'  {name}: "{text}"')
            at = name
    return lines, at


@pytest.mark.parametrize("seed", range(40))
def test_one_wrong_value_is_one_finding_however_far_it_goes(seed: int) -> None:
    chance = random.Random(seed)
    is_label = chance.random() < 0.4
    lines, at = _through(chance, chance.randint(0, 5), "context.labels.line" if is_label else "line")
    count = chance.randint(1, 6)
    queues = [f"  q{number} (fulmar.queue): {{name: '${{{at}}}-q{number}'}}" for number in range(count)]
    module = chance.random() < 0.4
    if module:
        queues.append(f"  use (./module.yaml): {{word: '${{{at}}}'}}")
    let = ["let:", *lines] if lines else []
    parameters = [] if is_label else ["parameters:", "  line: {type: string, description: Short name}"]
    template = [*parameters, *let, "resources:", *queues]
    live = "labels: {line: Alp}" if is_label else "parameters: [live.yaml]"
    calm = "labels: {line: alp}" if is_label else "parameters: [calm.yaml]"
    head = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:"
    place = ("jovial.yaml", 5) if is_label else ("live.yaml", 1)
    files = {
        "jovial.yaml": f"{head}\n  live: {{{live}}}\n  calm: {{{calm}}}\n",
        **({} if is_label else {"live.yaml": "line: Alp\n", "calm.yaml": "line: alp\n"}),
        "t.yaml": "\n".join(template) + "\n",
        "module.yaml": "parameters: {word: {type: string, description: w}}\nresources: {inner (fulmar.queue): {name: '${word}-inner'}}\n",
    }
    (finding,) = in_memory(files).check().findings
    assert finding.span is not None and (finding.id, finding.span.file, finding.span.line) == ("property-pattern", *place)
    assert (len(finding.places), finding.environments) == (count + module, ("live",))
    assert in_memory({**files, place[0]: files[place[0]].replace("Alp", "alp")}).check().findings == ()
