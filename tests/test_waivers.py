"""Waivers: what they take away, what is left, and what is said of the waivers themselves."""

import json
import random
from collections import Counter
from pathlib import Path
from typing import Any

import jsonschema
import pytest
import yaml

from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.authoring.waiving import waive
from jovial_scaffold.core.outcomes import CheckResult
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.waivers import UNREADABLE
from jovial_scaffold.reports.machine import check_document
from jovial_scaffold.reports.words import said
from tests.fuzz import drivers
from tests.fuzz.styles import mistyped, restyled
from tests.support import in_memory, load_cases

FILES = {
    "jovial.yaml": """project: ferry
template: t.yaml
catalogs: [fulmar]
rulesets: [rules.yaml]
waivers: waivers.yaml
environments: {sandbox: {parameters: [sandbox.yaml]}, live: {parameters: [live.yaml]}}
""",
    "sandbox.yaml": "size: huge\nmail: a@ridgeline.example\n",
    "live.yaml": "size: giant\nmail: a@ridgeline.example\n",
    "t.yaml": """parameters:
  size: {type: string, description: How large}
  mail: {type: string, format: telegram, description: Whom to tell}
resources:
  net (fulmar.network): {name: dock-net, range: 10.0.0.0/16}
  sub (fulmar.subnet): {name: dock-sub, network: "${net.id}", range: 10.0.1.0/24, zone: valley}
  gate (fulmar.machine): {name: gate-one, image: base, size: "${size}", zone: valley, subnet: "${sub.id}"}
  pier (fulmar.machine): {name: pier-one, image: base, size: "${size}", zone: valley, subnet: "${sub.id}"}
  queue (fulmar.queue): {name: "queue-${mail == '' ? 'a' : 'b'}"}
""",
    "rules.yaml": """ruleset: House
rules: {encrypted: {because: Data is at rest., applies: [fulmar.queue], require: self.encrypted}}
""",
}


def checked(waivers: Any) -> CheckResult:
    files = {**FILES, "waivers.yaml": yaml.safe_dump(waivers)}
    run = {"date": "2026-11-26", "revision": "", "author": ""}
    return in_memory(files, Overrides(run=lambda: run)).check()


@pytest.mark.parametrize("case", load_cases("waivers.yaml"))
def test_what_is_waived_is_gone(case: dict[str, Any]) -> None:
    found = checked(case["waivers"])
    ours = [each for each in found.findings if each.id.startswith("waiver-")]
    left = [f"{each.id} {each.address or '-'} {','.join(each.environments)}".strip() for each in found.findings if each not in ours]
    assert sorted(left) == case["left"]
    assert sorted(each.id for each in ours) == case.get("said", [])
    assert all(each.span is not None and each.span.file == "waivers.yaml" for each in ours)


def test_waived_findings_are_kept_with_their_reason() -> None:
    found = checked([{"finding": "property-value", "because": "Ordered.", "until": "2027-01-01"}])
    assert [(each.where, waiver.because, waiver.until) for each, waiver in found.waived_findings] == [
        ("gate:size", "Ordered.", "2027-01-01")
    ] * 2
    assert all(each.places == ("gate:size", "pier:size") for each, _ in found.waived_findings)


@pytest.mark.parametrize(
    ("waivers", "left"),
    [([], ["rule-failed"]), ([{"rule": "R/stay", "because": "b"}], []), ([{"rule": "R/stay", "at": "x", "because": "b"}], ["rule-failed"])],
)
def test_rules_over_effects_are_waived_where_they_are_judged(waivers: Any, left: list[str]) -> None:
    deployed = {
        "environment": "live",
        "resources": {"net": {"type": "fulmar.network.v1", "properties": {"name": "net-a", "range": "10.0.0.0/16"}}},
    }
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nrulesets: [r.yaml]\nwaivers: w.yaml\n"
        "environments: {live: {parameters: [], deployed: d.json}}\n",
        "t.yaml": "resources: {net (fulmar.network): {name: net-a, range: 10.1.0.0/16}}\n",
        "r.yaml": "ruleset: R\nrules: {stay: {because: b, over: effect, require: effect != 'rebuild'}}\n",
        "w.yaml": yaml.safe_dump(waivers),
        "d.json": json.dumps(deployed),
    }
    project = in_memory(files)
    assert [each.id for each in project.effects("live").findings] == left
    assert project.check().findings == ()


def test_waived_findings_and_rules_in_json() -> None:
    result = checked([{"rule": "House/encrypted", "because": "Ordered.", "environments": ["live"]}])
    document = check_document(result, ["0" * 32] * len(result.findings))
    schema = json.loads((Path(__file__).parents[1] / "docs" / "schemas" / "jovial-check-2.schema.json").read_text())
    jsonschema.validate(document, schema)
    (waived,) = document["waived"]
    assert waived["waiver"] == {"because": "Ordered.", "until": None} and waived["environments"] == ["live"]
    (left,) = [each for each in document["findings"] if each["id"] == "rule-failed"]
    assert (left["rule"], left["because"], left["fix"]) == ("House/encrypted", "Data is at rest.", "") and left["environments"] == [
        "sandbox"
    ]
    assert document["summary"]["waived"] == 1 and document["summary"]["failed"] == 2


@pytest.mark.parametrize("seed", range(25))
def test_a_waiver_takes_away_what_it_names_and_nothing_else(seed: int) -> None:
    chance = random.Random(seed)
    before = list(checked([]).findings)
    chosen = chance.sample(before, chance.randint(1, len(before)))
    waivers = []
    for each in chosen:
        entry = {"rule": each.rule} if each.rule else {"finding": each.id}
        waivers.append({**entry, "because": "Ordered.", **({"at": each.where} if each.where and each.pointer else {})})
        if each.environments and chance.random() < 0.5:
            waivers[-1]["environments"] = [chance.choice(each.environments)]
    after = checked(waivers)
    told = {(each.id, each.where, name) for each in after.findings for name in each.environments or ("",)}
    waived = {(each.finding.id, each.finding.where, name) for each in after.waived for name in each.finding.environments or ("",)}
    everything = {(each.id, where, name) for each in before for where in each.places or ("",) for name in each.environments or ("",)}
    left = {each for each in told if not each[0].startswith("waiver-")}  # the second of two that are about the same is not used
    assert {each[0] for each in left} <= {each[0] for each in everything}
    for identity, where, name in everything:
        named = any(
            each.get("finding", "rule-failed") == identity and each.get("at", where) == where and name in each.get("environments", [name])
            for each in waivers
        )
        assert ((identity, where, name) in waived) is named


@pytest.mark.parametrize(
    ("until", "said"),
    [("2026-12-10", ["waiver-ending"]), ("2026-11-26", ["waiver-ending"]), ("2026-12-11", []), ("2026-11-25", ["waiver-expired"])],
)
def test_a_waiver_that_ends_soon_is_noted(until: str, said: list[str]) -> None:
    found = checked([{"finding": "property-value", "because": "Ordered.", "until": until}]).findings
    assert [each.id for each in found if each.id.startswith("waiver-")] == said


def waived(files: dict[str, bytes], *arguments: Any, **named: Any) -> tuple[dict[str, bytes], list[Done]]:
    change, done = waive(drivers.loaded(files), *arguments, **named)
    return {**files, **{each.name: each.after or b"" for each in change.files()}}, done


@pytest.mark.parametrize("case", load_cases("waive.yaml"))
def test_entries_are_as_narrow_as_what_they_waive(case: dict[str, Any]) -> None:
    files = {name: text.encode() for name, text in {**FILES, **case.get("files", {})}.items() if text is not None}
    named = {key: case[key] for key in ("at", "environments", "until") if key in case}
    if "refused" in case:
        with pytest.raises(ProjectError) as refused:
            waived(files, case["waive"], case.get("because", "Ordered."), **named)
        assert case["refused"] in said(refused.value.findings[0].message)
        return
    after, _ = waived(files, case["waive"], case.get("because", "Ordered."), **named)
    assert after["waivers.yaml"].decode() == case["gives"]
    assert drivers.loaded(after).waivers


@pytest.mark.parametrize("seed", range(40))
def test_what_is_waived_by_a_command_is_gone_and_nothing_else(seed: int) -> None:
    chance = random.Random(seed)
    files = mistyped(chance, restyled(chance, drivers.project(chance)))
    try:
        before = drivers.loaded(files).check().findings
    except ProjectError:
        return
    for id in sorted({each.id for each in before}):
        try:
            after, done = waived(files, [id], "Seen.")
        except ProjectError as error:
            assert id.startswith(UNREADABLE) or error.findings[0].id == "promise-broken"
            continue
        left = drivers.loaded(after).check()
        also = sum(each.how == "waived by this, too" for each in done)
        assert not any(each.id == id for each in left.findings)
        kept = Counter((each.id, each.message, each.where) for each in before if each.id != id)
        kept.subtract((each.id, each.message, each.where) for each in left.findings)  # of which there may be more, once nothing is an error
        assert sum(count for count in kept.values() if count > 0) == also
        assert len(left.waived_findings) >= 1
