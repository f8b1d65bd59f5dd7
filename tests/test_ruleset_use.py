"""Rulesets as projects use them: values for what they take, levels, and rulesets that include others."""

import json
import random
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold import Project
from jovial_scaffold.core.authoring.renaming import rename
from jovial_scaffold.core.rules.shipped import shipped_source
from jovial_scaffold.core.schemas.describing import example
from jovial_scaffold.core.text.written_values import yaml_flow
from jovial_scaffold.reports.words import said
from tests.support import Write, in_memory, jovial, load_cases

FILES = {
    "line.yaml": "resources:\n  gates (fulmar.machine_group): {name: gates, image: gate-7, size: s, copies: 4}\n",
    "house.yaml": """ruleset: House
takes:
  largest: {type: integer, minimum: 1, description: How many gates}
  strict: {type: boolean, default: false}
let: {most: "${largest}"}
rules:
  few_gates: {because: The station is small., applies: [fulmar.machine_group], require: self.copies <= most, tags: [size]}
  never: {because: We are strict., applies: [fulmar.machine_group], where: strict, require: self.copies > largest}
""",
}


@pytest.mark.parametrize("case", load_cases("ruleset_use.yaml"))
def test_rulesets_as_a_project_uses_them(case: dict[str, Any]) -> None:
    environments = "{sandbox: {}, live: {}}"
    entry = f"project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nrulesets: {yaml_flow(case['rulesets'])}\nenvironments: {environments}\n"
    found = in_memory({**FILES, **case.get("files", {}), "jovial.yaml": entry}).check().findings
    failed = [each for each in found if each.id == "rule-failed"]
    told = [f"{each.rule.partition('/')[2]} {each.level} {' '.join(sorted(each.environments))}" for each in failed]
    others = [each for each in found if each not in failed and each.id != "rule-idle"]
    if "found" in case:
        assert sorted(told) == sorted(case["found"]) and others == []
    for text in case.get("said", ()):
        assert any(text in said(each.message) for each in others), [said(each.message) for each in others]
    assert len(others) == len(case.get("said", ())), [said(each.message) for each in others]
    assert all(each.span is not None for each in others)


DECLARING = {
    "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nrulesets: [r.yaml]\nenvironments: {sandbox: {}, live: {}}\n",
    "line.yaml": """parameters:
  copies: {type: integer, default: 3, description: How many gates}
  word: {type: string, default: a, description: A}
  code: {type: string, writeOnly: true, default: edelweiss-over-the-tunnel, description: What opens the gate}
resources:
  first (./pair.yaml): {count: "${copies}"}
  second (./pair.yaml): {count: 2}
outputs: {o: "${word + code}"}
""",
    "pair.yaml": "parameters: {count: {type: integer, description: How many}}\nresources: {q (fulmar.queue): {name: 'queue-${count}'}}\n",
}


@pytest.mark.parametrize("case", load_cases("declarations.yaml"))
def test_rules_over_declarations(case: dict[str, Any]) -> None:
    rule = {"because": "So we do.", "over": "declarations", **case["rule"]}
    project = in_memory({**DECLARING, "r.yaml": f"ruleset: R\nrules: {{r: {yaml_flow(rule)}}}\n"})
    found = project.check().findings
    assert all("edelweiss" not in said(each.message) for each in found)
    failed = [each for each in found if each.id == "rule-failed"]
    if "wrong" in case:
        assert case["wrong"] in [each.id for each in found] and not failed
        return
    assert sorted(each.address for each in failed) == sorted(case["at"]), [(each.id, said(each.message)) for each in found]
    assert all(each.span is not None and not each.environments for each in failed)
    for text in case.get("said", ()):
        assert any(text in said(each.message) for each in failed)
    outcomes = project.check().verdicts[""]
    assert outcomes["R/r", "failed"] == len(failed)
    assert not any(each.id == "rule-idle" for each in found)


BASELINE = "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nrulesets: [fulmar.baseline]\nenvironments: {sandbox: {}, live: {}}\n"


def test_the_rules_that_ship_are_whole_and_tested() -> None:
    project = in_memory({"jovial.yaml": BASELINE, "line.yaml": FILES["line.yaml"]})
    (ruleset,) = project.rulesets
    assert len(ruleset.rules) >= 40
    assert all(rule.because and rule.message and rule.fix and rule.tags and rule.fails for rule in ruleset.rules)
    assert [said(each.message) for each in project.test_rules(coverage=True)] == []
    topics = {tag for rule in ruleset.rules for tag in rule.tags}
    assert topics >= {
        "encryption",
        "exposure",
        "backups",
        "retention",
        "names",
        "tags",
        "sizes",
        "grants",
        "keys",
        "releases",
        "single_point",
    }


def test_the_rules_that_ship_judge_every_type_that_they_name() -> None:
    """Each failing example as a resource: no rule breaks on what another one is about."""
    source = shipped_source("fulmar.baseline")
    assert source is not None
    catalogs = in_memory({"jovial.yaml": BASELINE, "line.yaml": FILES["line.yaml"]}).catalogs
    resources = {f"{kind.name.rpartition('.')[2]}_{kind.version} ({kind.id})": example(kind.schema) for kind in catalogs}
    project = in_memory({"jovial.yaml": BASELINE, "line.yaml": yaml_flow({"resources": resources})})
    found = project.check().findings
    assert not [each for each in found if each.id in ("rule-fails", "rule-invalid")]
    judged = {label for verdicts in project.check().verdicts.values() for label, _ in verdicts}
    assert judged == {rule.label for ruleset in project.rulesets for rule in ruleset.rules}


def test_where_reads_other_names_than_what_is_not_set() -> None:
    rule = "{because: b, applies: [fulmar.queue], where: environment in some, require: has(self.failed_to) && self.failed_to != 'x', absent: fail}"
    other = "{because: b, applies: [fulmar.queue], where: environment in some, require: self.failed_to != 'x'}"
    rules = f"ruleset: R\nlet: {{some: [sandbox, live]}}\nrules:\n  one: {rule}\n  two: {other}\n"
    files = {"line.yaml": "resources: {q (fulmar.queue): {name: queue-main}}\n", "r.yaml": rules}
    found = in_memory({**files, "jovial.yaml": BASELINE.replace("fulmar.baseline", "r.yaml")}).check().findings
    assert [each.id for each in found] == ["rule-failed", "rule-failed"]


def test_levels_follow_an_environment_that_is_renamed() -> None:
    entry = """project: p
template: line.yaml
catalogs: [fulmar]
rulesets:
  - use: house.yaml
    with: {largest: 3}
    levels:
      - {rule: few_gates, level: note, environments: [live, sandbox], because: Ours.}
      - {rule: never, level: note, environments: live, because: Ours.}
environments: {sandbox: {}, live: {}}
"""
    change, _ = rename(in_memory({**FILES, "jovial.yaml": entry}), "environments.live", "summit")
    (file,) = change.files()
    assert file.after is not None and "environments: [summit, sandbox]" in file.after.decode()
    assert "environments: summit," in file.after.decode()


def test_a_ruleset_includes_one_that_the_workspace_offers(write: Write) -> None:
    folder = write(
        {
            "workspace.yaml": "workspace: w\nprojects: [a]\nrulesets: {house: shared/house.yaml}\n",
            "shared/house.yaml": FILES["house.yaml"],
            "a/line.yaml": FILES["line.yaml"],
            "a/own.yaml": "ruleset: Own\ninclude: [{use: house, with: {largest: 3}}]\n",
            "a/jovial.yaml": BASELINE.replace("fulmar.baseline", "own.yaml"),
        }
    )
    found = Project.load(folder / "a").check().findings
    assert [each.rule for each in found] == ["House/few_gates"]


def test_examples_are_judged_with_the_defaults_of_their_ruleset() -> None:
    given = BASELINE.replace(
        "[fulmar.baseline]", "[{use: fulmar.baseline, with: {required_tags: [team], most_copies: 2, longest_name: 8, live: []}}]"
    )
    project = in_memory({"jovial.yaml": given, "line.yaml": FILES["line.yaml"]})
    assert [said(each.message) for each in project.test_rules(coverage=True)] == []
    assert "rule-example-wrong" not in [each.id for each in project.check().findings]


@settings(max_examples=60, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_levels_against_all_their_entries_looked_through(seed: int) -> None:
    chance = random.Random(seed)
    worlds = ["sandbox", "rehearsal", "live"]
    entries = []
    for _ in range(chance.randint(0, 4)):
        entry = {"rule": "few_gates", "level": chance.choice(("error", "warning", "note")), "because": "Ours."}
        entries.append(entry | ({"environments": chance.sample(worlds, chance.randint(1, 3))} if chance.random() < 0.7 else {}))
    use = {"use": "house.yaml", "with": {"largest": 3}, "levels": entries}
    entry_file = f"project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nrulesets: [{yaml_flow(use)}]\nenvironments: {{sandbox: {{}}, rehearsal: {{}}, live: {{}}}}\n"
    found = in_memory({**FILES, "jovial.yaml": entry_file}).check().findings
    expected = dict.fromkeys(worlds, "error")
    for each in entries:
        expected |= dict.fromkeys(each.get("environments", worlds), each["level"])
    assert {name: each.level for each in found if each.id == "rule-failed" for name in each.environments} == expected


@settings(max_examples=40)
@given(st.lists(st.sets(st.integers(0, 4)), min_size=1, max_size=5), st.sets(st.integers(0, 4), min_size=1))
def test_what_is_included_is_what_would_be_named(includes: list[set[int]], named: set[int]) -> None:
    """Rulesets that include others, in circles too: what is judged are the rules of all that is reached, each once."""
    count = len(includes)
    named = {each % count for each in named}
    files = {"t.yaml": "resources:\n  q (fulmar.queue): {name: queue-main}\n"}
    for number, included in enumerate(includes):
        body = {"ruleset": f"R{number}", "include": [f"r{each % count}.json" for each in sorted(included)]}
        body["rules"] = {f"rule{number}": {"because": "b", "applies": ["fulmar.queue"], "require": "false", "message": "No."}}
        files[f"r{number}.json"] = json.dumps(body)
    project = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n"
    files["jovial.yaml"] = project + f"rulesets: {json.dumps([f'r{each}.json' for each in sorted(named)])}\n"
    reached, waiting = set(), [*named]
    while waiting:
        here = waiting.pop()
        if here not in reached:
            reached.add(here)
            waiting += [each % count for each in includes[here]]
    found = [each for each in in_memory(files).check().findings if each.id == "rule-failed"]
    assert sorted(each.rule for each in found) == sorted(f"R{each}/rule{each}" for each in reached)


def test_rules_are_selected_by_name_tag_and_pattern(write: Write) -> None:
    rules = {
        "small": {"because": "b", "applies": ["fulmar.queue"], "require": "false", "message": "No.", "tags": ["size"]},
        "named": {"because": "b", "applies": ["fulmar.queue"], "require": "false", "message": "No.", "tags": ["naming"]},
    }
    folder = write(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nrulesets: [r.json]\nwaivers: w.yaml\nenvironments: {live: {}, small: {}}\n",
            "t.yaml": "resources:\n  q (fulmar.queue): {name: queue-main}\n",
            "r.json": json.dumps({"ruleset": "House", "rules": rules}),
            "w.yaml": "- {rule: House/named, because: b, environments: [small]}\n",
        }
    )

    def judged(*arguments: str) -> list[tuple[str, list[str]]]:
        found = json.loads(jovial("check", *arguments, "--format", "json", cwd=folder).stdout)["findings"]
        return sorted((each.get("rule", each["id"]), each["environments"]) for each in found)

    small, named = ("House/small", ["live", "small"]), ("House/named", ["live"])
    assert judged() == judged("--rules") == sorted([small, named])
    for patterns in (["size"], ["House/small"], ["small*"], ["*/sm*"]):
        assert judged("--rules", *patterns) == [small]
    assert judged("--rules", "naming") == [named]
    assert judged("--rules", "size", "--rules", "naming") == sorted([small, named])
    assert judged("--rules", "live") == sorted([("House/small", ["live"]), named])
    text = jovial("check", "--rules", "naming", cwd=folder).stdout
    assert "House/named  1 failed  1 failed" in text and "House/small" not in text
    slip = jovial("check", "--rules", "nameing", cwd=folder)
    assert slip.returncode == 2 and "no rule is called so: nameing" in slip.stderr
