"""What is shown of rules and schemas for all accepted parameters (`core/proof`), case by case, and how a check tells of it; `tests/fuzz/proofs` has
the oracle."""

import json
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold.core.outcomes import CheckResult
from jovial_scaffold.reports.words import said
from tests.fuzz.proofs import CATALOG
from tests.support import Write, in_memory, jovial, load_cases, valid_json

OWN = {"own/catalog.yaml": "name: house", "own/thing.v1.json": json.dumps(CATALOG)}


def files_of(case: dict[str, Any]) -> dict[str, str]:
    parameters = {name: {**schema, "description": "d"} for name, schema in case.get("parameters", {}).items()}
    pool = {"name": "pool", **case["pool"]}
    template = {"parameters": parameters, "resources": {"pool (house.thing)": pool}}
    template |= {key: case[key] for key in ("must", "let") if key in case}
    rule = {"applies": ["house.*"], "because": "It is so.", **case.get("rule", {"require": case.get("require", "true")})}
    project = {
        "project": "line",
        "template": "t.json",
        "catalogs": ["own/"],
        "rulesets": ["r.json"],
        "environments": {"live": {"parameters": ["p.json"]}},
    }
    return {
        **OWN,
        "jovial.yaml": json.dumps(project),
        "t.json": json.dumps(template),
        "r.json": json.dumps({"ruleset": "house", "rules": {"it": rule}}),
        "p.json": json.dumps(case["given"]),
    }


def outcome_of(result: CheckResult, what: str) -> str:
    return next(outcome for label, _, outcome in result.proofs["live"] if label == what)


@pytest.mark.parametrize("case", load_cases("proofs.yaml"))
def test_what_is_shown(case: dict[str, Any]) -> None:
    result = in_memory(files_of(case)).check(proofs="warning")
    is_rule = "require" in case or "rule" in case
    assert outcome_of(result, "house/it" if is_rule else "schema of house.thing.v1") == case["outcome"], [
        said(each.message) for each in result.findings
    ]
    told = [each for each in result.findings if each.id == "rule-breakable" and bool(each.rule) == is_rule]
    assert [said(each.message).split(", which is accepted: ")[0].split(": with ")[1] for each in told] == (
        [case["with"]] if "with" in case else []
    )
    assert all(each.level == "warning" and each.span is not None and each.span.file == "t.json" for each in told)


BREAKABLE = {
    "parameters": {"copies": {"type": "integer", "minimum": 1, "maximum": 40}, "word": {"type": "string", "maxLength": 9}},
    "given": {"copies": 3, "word": "a"},
    "pool": {"count": "${copies}", "label": "${word}"},
    "require": "self.count < 14",
}


def in_passing(files: dict[str, str]) -> dict[str, str]:
    """The same project, which asks that every check looks."""
    return {**files, "jovial.yaml": json.dumps({**json.loads(files["jovial.yaml"]), "defaults": {"check": {"proofs": "note"}}})}


def test_a_check_counts_what_could_break_and_tells_of_it_when_asked(write: Write) -> None:
    folder = write(in_passing(files_of(BREAKABLE)))
    plain = jovial("check", cwd=folder)
    assert plain.stdout.endswith("Values that are accepted would break 1 rule: see --proofs.\n") and "rule-breakable" not in plain.stdout
    assert "see --proofs" not in jovial("check", "--no-defaults", cwd=folder).stdout
    asked = jovial("check", "--proofs", cwd=folder)
    assert "warning  rule-breakable" in asked.stdout and "it: with `copies` as 14, which is accepted:" in asked.stdout
    assert "house/it                  1 breakable" in asked.stdout and "schema of house.thing.v1  1 proven" in asked.stdout
    assert plain.returncode == asked.returncode == 0
    assert jovial("check", "--proofs", "--strict", cwd=folder).returncode == 1
    assert jovial("check", "-q", cwd=folder).stdout == ""


def test_what_is_shown_is_valid_json_and_a_note_unless_asked(write: Write) -> None:
    folder = write(in_passing(files_of(BREAKABLE)))
    plain, asked = (valid_json("check", jovial("check", *how, "--format", "json", cwd=folder).stdout) for how in ((), ("--proofs",)))
    assert [(each["id"], each["level"]) for each in plain["findings"]] == [("rule-breakable", "note")]
    assert [(each["id"], each["level"]) for each in asked["findings"]] == [("rule-breakable", "warning")]
    assert {"what": "house/it", "about": "pool", "outcome": "breakable"} in asked["proofs"]["live"]
    assert plain["findings"][0]["fingerprint"] == asked["findings"][0]["fingerprint"]


def test_what_is_known_to_be_breakable_is_known(write: Write) -> None:
    folder = write(files_of(BREAKABLE))
    (folder / "known.json").write_text(jovial("check", "--proofs", "--format", "json", cwd=folder).stdout, "utf-8")
    assert "nothing new, 1 known" in jovial("check", "--proofs", "--known", "known.json", cwd=folder).stdout


def test_that_a_rule_can_fail_is_another_thing_than_that_it_does(write: Write) -> None:
    folder = write(in_passing(files_of(BREAKABLE)))
    (folder / "known.json").write_text(jovial("check", "--format", "json", cwd=folder).stdout, "utf-8")
    assert "rule-breakable" in (folder / "known.json").read_text("utf-8")
    (folder / "p.json").write_text(json.dumps({"copies": 20, "word": "a"}), "utf-8")
    assert jovial("check", "--known", "known.json", cwd=folder).returncode == 1


def test_an_environment_with_errors_is_left_out_and_named(write: Write) -> None:
    folder = write(files_of({**BREAKABLE, "given": {"copies": 300, "word": "a"}}))
    told = jovial("check", "--proofs", cwd=folder)
    assert "Nothing was shown in live, which has errors.\n" in told.stdout


def test_no_secret_is_in_what_breaks_it(tmp_path: Path) -> None:
    case = next(each.values[0] for each in load_cases("proofs.yaml") if "token" in each.values[0].get("parameters", {}))  # type: ignore[attr-defined]
    result = in_memory(files_of({**case, "given": {"token": "edelweiss"}})).check(proofs="warning")
    assert all("edelweiss" not in said(each.message) + said(each.hint) for each in result.findings)


def test_the_environment_of_a_rule_over_parameters() -> None:
    case = {**BREAKABLE, "rule": {"over": "parameters", "require": "self.copies <= 40", "applies": []}}
    del case["rule"]["applies"]
    files = files_of(case)
    files["r.json"] = json.dumps(
        {"ruleset": "house", "rules": {"it": {"over": "parameters", "require": "self.copies <= 40", "because": "b"}}}
    )
    assert outcome_of(in_memory(files).check(proofs="warning"), "house/it") == "proven"
    files["r.json"] = files["r.json"].replace("<= 40", "<= 39")
    result = in_memory(files).check(proofs="warning")
    assert outcome_of(result, "house/it") == "breakable" and "`copies` as 40" in said(result.findings[0].message)


def test_nothing_is_looked_for_unless_somebody_asks() -> None:
    assert in_memory(files_of(BREAKABLE)).check().findings == ()


def test_many_environments_fit_the_terminal(write: Write) -> None:
    files = files_of(BREAKABLE)
    project = json.loads(files["jovial.yaml"])
    project["environments"] = {f"valley-{number}": {"parameters": ["p.json"]} for number in range(12)}
    project["environments"]["summit"] = {"parameters": ["s.json"]}
    files |= {"jovial.yaml": json.dumps(project), "s.json": json.dumps({"copies": 30, "word": "a"})}
    folder = write(files)
    for option in ("--proofs", "--rules"):
        lines = jovial("check", option, cwd=folder, env={"COLUMNS": "80"}).stdout.splitlines()
        table = [line for line in lines if line.startswith(("house/it", "  1 ", "  valley", "schema of"))]
        assert table and max(map(len, table)) <= 80 and any(line.endswith("in summit") for line in table)
    assert "  1 proven everywhere" in jovial("check", "--proofs", cwd=folder).stdout


STOPS = """types:
  stop: {type: object, properties: {code: {type: string}, gates: {type: integer, minimum: 1, maximum: 12}}, required: [code, gates], additionalProperties: false}
parameters:
  stops: {type: array, items: {$ref: "#/types/stop"}, description: d}
  spec:
    type: object
    description: d
    properties:
      count: {type: integer, minimum: 0, maximum: 9}
    required: [count]
    additionalProperties: false
resources:
  gates (house.thing): {$per: {stop: stops}, $key: stop.code, name: "g-${stop.code}", count: "${stop.gates}"}
  pool (house.thing): {name: pool, count: "${spec.count}"}
"""


def test_the_part_of_a_declaration_that_accepts_it_is_pointed_at() -> None:
    files = files_of(BREAKABLE)
    files["jovial.yaml"] = files["jovial.yaml"].replace("t.json", "t.yaml")
    files["r.json"] = files["r.json"].replace("self.count < 14", "self.count < 8")
    files |= {"t.yaml": STOPS, "p.json": json.dumps({"stops": [{"code": "a", "gates": 2}], "spec": {"count": 3}})}
    found = [each for each in in_memory(files).check(proofs="warning").findings if each.rule]
    assert [(each.span.line, each.span.column) for each in found if each.span is not None] == [(2, 59), (9, 7)]


def test_bounds_that_a_ruleset_takes_are_tried() -> None:
    files = files_of(
        {
            **BREAKABLE,
            "pool": {"name": "pool-${word}"},
            "parameters": {"word": {"type": "string", "pattern": "^[a-z]+$"}},
            "given": {"word": "a"},
        }
    )
    rule = {"applies": ["house.*"], "because": "b", "require": "size(self.name) <= longest"}
    files["r.json"] = json.dumps({"ruleset": "house", "takes": {"longest": {"type": "integer", "default": 20}}, "rules": {"it": rule}})
    result = in_memory(files).check(proofs="warning")
    assert outcome_of(result, "house/it") == "breakable" and '"xxxxxxxxxxxxxxxx"' in said(
        next(each for each in result.findings if each.rule).message
    )


def test_a_workspace_says_what_is_shown_in_each_project(write: Write) -> None:
    inside = {f"lines/a/{name}": text for name, text in files_of(BREAKABLE).items()}
    folder = write({"workspace.yaml": "workspace: valley\nprojects: [lines/*]\n", **inside})
    document = valid_json("workspace-check", jovial("check", "--proofs", "--format", "json", cwd=folder).stdout)
    assert {"what": "house/it", "about": "pool", "outcome": "breakable"} in document["projects"][0]["proofs"]["live"]
    assert "line\n\nfor all accepted values" in jovial("check", "--proofs", cwd=folder).stdout
    assert "proofs" not in valid_json("workspace-check", jovial("check", "--format", "json", cwd=folder).stdout)["projects"][0]


def test_that_a_rule_could_be_broken_is_no_failure_of_it_in_reports(write: Write) -> None:
    folder = write(files_of(BREAKABLE))
    jovial("check", "--proofs", "--strict", "--report", "sarif=o.sarif", "--report", "junit=o.xml", "--report", "lines=o.txt", cwd=folder)
    results = json.loads((folder / "o.sarif").read_text("utf-8"))["runs"][0]["results"]
    assert [each["ruleId"] for each in results] == ["rule-breakable"]
    suite = (folder / "o.xml").read_text("utf-8")
    assert 'name="it" classname="house"' in suite and "held once" in suite and 'name="rule-breakable' in suite
    assert (folder / "o.txt").read_text("utf-8").rstrip().endswith("[rule-breakable]")
