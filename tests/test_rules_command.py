"""`jovial rules`: what is listed and shown is what a check judged, and what examples do not show is found."""

import random
from collections import Counter

import pytest

from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rules.evaluation import outcomes
from jovial_scaffold.core.text.written_values import yaml_flow
from jovial_scaffold.reports.words import said
from tests.fuzz import drivers
from tests.fuzz.projects import base_files, spoilt
from tests.support import Write, in_memory, jovial, valid_json

FILES = {
    "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nrulesets: [house.yaml]\nenvironments: {sandbox: {}, live: {}}\n",
    "line.yaml": "resources:\n  gates (fulmar.machine_group): {name: gates, image: gate-7, size: s, copies: 4}\n  q (fulmar.queue): {name: queue-main}\n",
    "house.yaml": """ruleset: House
rules:
  few_gates:
    because: The station is small.
    applies: [fulmar.machine_group]
    require: self.copies <= 3 || environment == "sandbox"
    tags: [size]
    examples: {passes: [{copies: 2}], fails: [{copies: 4}]}
  named:
    because: Names begin so.
    require: 'self.name.startsWith("queue-") && (size(self.name) < 9 ? true : size(self.name) < 12)'
    applies: [fulmar.queue]
    level: note
    examples: {passes: [{name: queue-a}]}
""",
}


def test_what_is_listed_is_what_was_judged(write: Write) -> None:
    folder = write(FILES)
    text = jovial("rules", cwd=folder).stdout
    assert "few_gates  error    fulmar.machine_group: 1 passed, 1 failed  #size" in text
    assert jovial("rules", "list", "--only", "size", cwd=folder).stdout.count("fulmar.") == 1
    assert "named" not in jovial("rules", "--only", "House/few*", cwd=folder).stdout
    document = valid_json("rules", jovial("rules", "show", "few_gates", "--format", "json", cwd=folder).stdout)
    (rule,) = document["rules"]
    assert rule["line"] == 3 and rule["examples"] == {"passes": 1, "fails": 1}
    assert [each["judged"] for each in rule["environments"]] == [{"passed": ["gates"]}, {"failed": ["gates"]}]
    shown = jovial("rules", "show", "House/few_gates", cwd=folder).stdout
    assert "failed: gates" in shown and 'require: self.copies <= 3 || environment == "sandbox"' in shown
    missing = jovial("rules", "show", "few_gats", cwd=folder)
    assert missing.returncode == 2 and "Did you mean `few_gates`?" in missing.stderr
    valid_json("rules", jovial("rules", "--format", "json", cwd=folder).stdout)
    (folder / "jovial.yaml").write_text(FILES["jovial.yaml"].replace("rulesets: [house.yaml]\n", ""))
    assert "has no rules" in jovial("rules", cwd=folder).stdout
    (folder / "jovial.yaml").write_text(FILES["jovial.yaml"])
    (folder / "house.yaml").write_text("ruleset: House\nrules: {few_gates: {}}\n")
    assert "can be read" in jovial("rules", cwd=folder).stdout


@pytest.mark.parametrize("seed", range(24))
def test_each_rule_turns_out_at_its_places_as_often_as_it_was_judged(seed: int) -> None:
    files = base_files(demo=True)
    files = spoilt(random.Random(seed), files) if seed else files
    try:
        project = drivers.loaded(files)
    except ProjectError:
        return
    result = project.check()
    sound = {label for each in result.verdicts.values() for label, _ in each}
    for rendering in project.views(project.environments):
        for ruleset in project.rulesets:
            for rule in ruleset.rules:
                if rule.over in ("resource", "parameters", "outputs", "environment") and rule.label in sound:
                    counted = Counter(outcome for _, outcome in outcomes(rendering, ruleset, rule))
                    judged = result.verdicts[rendering.label]
                    assert counted == {outcome: count for (label, outcome), count in judged.items() if label == rule.label}


def test_what_examples_do_not_show(write: Write) -> None:
    folder = write(FILES)
    done = jovial("rules", "test", cwd=folder)
    assert done.returncode == 0 and "rule-untested" in done.stdout and "2 rules, 3 examples: 1 finding." in done.stdout
    covered = jovial("rules", "test", "--coverage", "--strict", cwd=folder)
    assert covered.returncode == 1 and covered.stdout.count("error  rule-unreached") == 1 and "size(self.name) < 12" in covered.stdout
    (folder / "house.yaml").write_text(FILES["house.yaml"].replace("fails: [{copies: 4}]", "fails: [{copies: 3}]"))
    wrong = jovial("rules", "test", "--format", "json", cwd=folder)
    assert wrong.returncode == 1
    assert [each["id"] for each in valid_json("rules-test", wrong.stdout)["findings"]] == ["rule-example-wrong", "rule-untested"]


@pytest.mark.parametrize(
    ("require", "examples", "unreached"),
    [
        ("self.copies < 3", [], []),
        ("self.copies < 3 && self.size == 's'", [{"copies": 5}], ["self.size == 's'"]),
        ("self.copies < 3 && self.size == 's'", [{"copies": 2, "size": "s"}], []),
        ("self.copies < 3 || self.size == 's'", [{"copies": 2}], ["self.size == 's'"]),
        ("self.copies < 3 ? self.size == 's' : self.size == 'm'", [{"copies": 2, "size": "s"}], ["self.size == 'm'"]),
        ("self.disks.all(d, d.encrypted)", [{"disks": []}], ["d.encrypted"]),
        ("self.disks.all(d, d.encrypted && d.gigabytes > 5)", [{"disks": [{"name": "a", "encrypted": False}]}], ["d.gigabytes > 5"]),
        ("has(self.disks) && self.size == 's'", [{"size": "m"}, {"disks": [], "size": "s"}], []),
    ],
)
def test_conditions_that_no_example_reaches(require: str, examples: list[dict[str, object]], unreached: list[str]) -> None:
    rule = f"{{because: b, applies: [fulmar.machine_group], require: {yaml_flow(require)}, examples: {{passes: {yaml_flow(examples)}}}}}"
    project = in_memory({**FILES, "house.yaml": f"ruleset: H\nrules:\n  r: {rule}\n"})
    found = [each for each in project.test_rules(coverage=True) if each.id == "rule-unreached"]
    source = project.source("house.yaml")
    assert source is not None
    told = [source.line(each.span.line)[each.span.column - 1 : each.span.end_column - 1] for each in found if each.span is not None]
    assert told == unreached, [said(each.message) for each in found]
