"""What a deployment would do: a table of snapshots and templates, and the laws that hold for all of them."""

import json
import re
from pathlib import Path
from typing import Any

import jsonpatch
import pytest
import yaml
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jovial_scaffold import Project
from jovial_scaffold.core.changes.effect_records import Effects
from jovial_scaffold.core.changes.patching import patch
from jovial_scaffold.core.changes.snapshots import dependencies, snapshot_document
from jovial_scaffold.core.findings import LEVELS
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.effects import beside_texts
from jovial_scaffold.reports.machine import deployed_document, target_document
from jovial_scaffold.reports.words import said
from tests.support import Write, jovial, load_cases, valid_json

KEY = "0123456789abcdef" * 2


def files_of(case: dict[str, Any]) -> dict[str, str]:
    resources = {
        address: {
            "type": kind,
            "properties": properties,
            **({"after": case["after"][address]} if address in case.get("after", {}) else {}),
            **({"keep": True} if address in case.get("keep", []) else {}),
        }
        for address, (kind, properties) in case["now"].items()
    }
    rules = "rulesets: [rules.yaml]\n" if "rules" in case else ""
    return {
        "jovial.yaml": f"project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\n{rules}environments: {{live: {{parameters: [p.yaml], deployed: now.json}}}}\n",
        "line.yaml": case["template"],
        "p.yaml": case.get("parameters", "{}\n"),
        "now.json": json.dumps(
            {
                "environment": "live",
                "resources": resources,
                **({"recorded": {"parameters": case["recorded"]}} if "recorded" in case else {}),
                **({"recorded": case["as_recorded"]} if "as_recorded" in case else {}),
            }
        ),
        **({"rules.yaml": case["rules"]} if "rules" in case else {}),
        **case.get("beside", {}),
    }


@pytest.mark.parametrize("case", load_cases("effects.yaml"))
def test_effects(write: Write, case: dict[str, Any]) -> None:
    project = Project.load(write(files_of(case)))
    assert [f for f in project.check().findings if f.level == "error"] == []
    result = project.effects("live")
    found = {
        each.address: [each.effect, *(f"{pointer_text(change.pointer)}: {change.effect}" for change in each.changes)]
        for each in result.effects
    }
    assert found == {address: list(map(str, effect)) for address, effect in case["effects"].items()}
    assert [[f.id, f.address] for f in sorted(result.findings, key=lambda f: (f.id, f.address))] == case.get("findings", [])
    assert case.get("says", "") in " ".join(f"{said(each.message)} {said(each.hint)}" for each in result.findings)
    for address, dragged in case.get("dragged", {}).items():
        assert [list(each.dragged) for each in result.effects if each.address == address] == [dragged]
    told = [[each.kind, each.name, *beside_texts(each), *(["anew", *each.because] if each.because else [])] for each in result.beside]
    assert told == case.get("told_beside", [])
    if "rounds" in case:
        assert [sorted(f"{step.deed} {step.address}" for step in steps) for steps in result.rounds] == case["rounds"]
    orderly(result, project)


def orderly(result: Effects, project: Project) -> None:
    """Nothing is made or changed before what it needs is made, nothing removed before what needs it is; the severest finding is told first."""
    levels = [LEVELS.index(each.level) for each in result.findings]
    assert levels == sorted(levels)
    at = {(step.deed, step.address): number for number, steps in enumerate(result.rounds) for step in steps}
    rendering = project.render(result.environment)
    for (deed, address), when in at.items():
        if deed in ("make", "change"):
            for first in rendering.resources[address].after:
                for before in ("make", "change"):
                    assert at.get((before, first), -1) < when
        if deed == "make" and ("remove", address) in at:
            assert at["remove", address] < when
    for address, needs in dependencies(result.snapshot).items():
        for first in needs:
            if ("remove", first) in at and ("remove", address) in at:
                assert at["remove", address] < at["remove", first]


def test_a_recording_of_itself_changes_nothing(demo: Path) -> None:
    project = Project.load(demo, Overrides(run_needed=True, snapshot_key=KEY))
    for name in project.environments:
        document = snapshot_document(project.name, project.render(name), project.run, KEY)
        path = demo / f"{name}.json"
        path.write_text(json.dumps(document))
        valid_json("snapshot", path.read_text())
        assert "edelweiss" not in path.read_text()
        result = project.effects(name, path)
        assert result.nothing and result.rounds == () and result.findings == [], [e for e in result.effects if e.effect != "unchanged"]


def test_another_secret_is_seen_and_never_shown(demo: Path) -> None:
    project = Project.load(demo)
    (demo / "now.json").write_text(json.dumps(snapshot_document(project.name, project.render("live"), {}, KEY)))
    (demo / "secrets" / "desk-password.txt").write_text("gentian-under-the-viaduct")
    silent = jovial("effects", "live", "--against", "now.json", cwd=demo)
    assert "nothing to do" in silent.stdout and re.search(r"Whether \d+ secrets\s+changed", silent.stdout)
    wrong = jovial("effects", "live", "--against", "now.json", cwd=demo, env={"JOVIAL_SNAPSHOT_KEY": "a-key-of-another-day"})
    assert "nothing to do" in wrong.stdout and "recorded with another key" in wrong.stdout
    result = jovial("effects", "live", "--against", "now.json", cwd=demo, env={"JOVIAL_SNAPSHOT_KEY": KEY})
    assert "ticket_safe" in result.stdout and "another secret" in result.stdout and result.stdout.count("becomes ‹another secret›") >= 2
    assert "edelweiss" not in result.stdout and "gentian" not in result.stdout + result.stderr


def test_the_run_alone_is_shown_and_not_counted(write: Write) -> None:
    template = 'resources:\n  q (fulmar.queue): {name: the-queue, tags: {by: "${context.run.author}"}}\n'
    folder = write(files_of({"template": template, "now": {"q": ["fulmar.queue", {"name": "the-queue", "tags": {"by": "Ada"}}]}}))
    project = Project.load(folder, Overrides(run=lambda: {"author": "Grace"}))
    (effect,) = project.effects("live").effects
    assert effect.effect == "unchanged" and [change.counted for change in effect.changes] == [False]
    recorded = json.loads((folder / "now.json").read_text())
    recorded["run"] = {"author": "Ada"}
    (folder / "now.json").write_text(json.dumps(recorded))
    (effect,) = Project.load(folder, Overrides(run=lambda: {"author": "Grace"})).effects("live").effects
    assert effect.effect == "unchanged"
    shown = jovial("effects", "live", cwd=folder, env={"SOURCE_DATE_EPOCH": "0"}).stdout
    assert "context.run" in shown and "nothing to do" in shown


def test_the_patch_leads_from_what_runs_to_what_would(demo: Path) -> None:
    project = Project.load(demo)
    result = project.effects("live")
    now, then = deployed_document(result.snapshot), {"resources": target_document(project.render("live"))["resources"]}
    assert jsonpatch.apply_patch(now, patch(now, then)) == then
    printed = json.loads(jovial("effects", "live", "--format", "patch", cwd=demo).stdout)
    assert jsonpatch.apply_patch(now, printed) == then


_JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-3, 3) | st.sampled_from(["", "a", "b/c", "d~e", "ä"]) | st.sampled_from([0.5, 1.0]),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.sampled_from(["", "a", "b/c", "d~e", "0", "-"]), inner, max_size=4),
    max_leaves=12,
)


@given(_JSON, _JSON)
@settings(max_examples=300)
def test_a_patch_gives_the_target(before: Any, after: Any) -> None:
    operations = patch(before, after)
    found = jsonpatch.apply_patch(before, operations)
    assert json.dumps(found, sort_keys=True) == json.dumps(after, sort_keys=True)
    assert (operations == []) == (json.dumps(before, sort_keys=True) == json.dumps(after, sort_keys=True))


_POOLS = st.dictionaries(
    st.sampled_from("abcdef"),
    st.tuples(st.sampled_from(["i", "j"]), st.integers(1, 2), st.sets(st.sampled_from("abcdef"), max_size=2)),
    max_size=6,
)


@given(_POOLS, _POOLS)
@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_the_order_respects_what_needs_what(tmp_path_factory: pytest.TempPathFactory, before: Any, after: Any) -> None:
    """Machine groups that hold each other's ids, some added, some gone, some rebuilt by their image."""
    folder = tmp_path_factory.mktemp("order")

    def ids(name: str, needs: set[str], there: Any) -> list[str]:
        return sorted(each for each in needs if each in there and each < name)

    resources = {}
    for name, (image, copies, needs) in after.items():
        subnets = {"subnets": [f"${{{each}.id}}" for each in ids(name, needs, after)]} if ids(name, needs, after) else {}
        resources[f"{name} (fulmar.machine_group)"] = {"name": f"pool-{name}", "image": image, "size": "s", "copies": copies, **subnets}
    now = {}
    for name, (image, copies, needs) in before.items():
        subnets = {"subnets": [f"pool-id-{each}" for each in ids(name, needs, before)]} if ids(name, needs, before) else {}
        now[name] = [
            "fulmar.machine_group",
            {"name": f"pool-{name}", "image": image, "size": "s", "copies": copies, "id": f"pool-id-{name}", **subnets},
        ]
    for name, text in files_of({"template": yaml.safe_dump({"resources": resources}), "now": now}).items():
        (folder / name).write_text(text)
    project = Project.load(folder)
    result = project.effects("live")
    orderly(result, project)
    removed = project.effects("live", teardown=True)
    assert {each.effect for each in removed.effects} <= {"remove"} and len(removed.effects) == len(now)
    orderly(removed, project)


BROKEN = [
    ("[]", "snapshot-shape", 2),
    ("{}", "snapshot-shape", 2),
    ("", "file-empty", 2),
    ("{", "json-syntax", 2),
    ('{"resources": {"a": {"typ": "x"}}}', "snapshot-shape", 2),
    ('{"resources": {"a": {"type": "fulmar.queue", "properties": []}}}', "snapshot-shape", 2),
    ('{"resources": {"a": {"type": "fulmar.qeue"}}}', "snapshot-shape", 0),
    ('{"resources": {}, "extra": 1}', "snapshot-shape", 0),
    ('{"environment": "rehearsal", "resources": {}}', "snapshot-environment", 0),
    ('{"resources": {}, "others": 3}', "snapshot-shape", 2),
    *[
        (f'{{"resources": {{}}, "recorded": {{"{key}": {value}}}}}', f"now.json:1:{len(key) + 36}", 2)
        for key, value in [
            ("parameters", "[]"),
            ("revision", '"--output=x"'),
            ("run", '{"by": 3}'),
            ("keep", '"lagoon"'),
            ("after", '{"lagoon": "pool"}'),
            ("outputs", "null"),
            ("documents", '{"plan": "text"}'),
        ]
    ],
    ('{"resources": {}, "recorded": {"keep": ["lagoon"]}}', "snapshot-shape", 0),
    ('{"resources": {"a": {"type": "fulmar.queue", "keep": "yes"}}}', "snapshot-shape", 2),
    ('{"resources": {"a": {"type": "fulmar.queue", "after": {}}}}', "snapshot-shape", 2),
    ('{"resources": {}, "key": "0123456789abcdef0123456789abcdef"}', "snapshot-key", 0),
]


@pytest.mark.parametrize(("text", "identity", "code"), BROKEN)
def test_a_snapshot_that_is_none(demo: Path, text: str, identity: str, code: int) -> None:
    (demo / "now.json").write_text(text)
    result = jovial("effects", "live", "--against", "now.json", cwd=demo)
    assert result.returncode == code, result.stdout + result.stderr
    said = result.stdout + result.stderr
    assert "Traceback" not in said and (identity in said or "now.json" in said)


def test_effects_as_users_see_them(demo: Path) -> None:
    result = jovial("effects", "live", cwd=demo)
    assert result.returncode == 0 and result.stderr == ""
    assert re.search(
        r"rebuild +gates/bri, gates/fal, gates/hut, gates/kes +fulmar\.machine_group\.v2\n +image +gate-2026-08 becomes gate-2026-10 +rebuild",
        result.stdout,
    )
    assert "4 removed and made again, 1 removed" in result.stdout and "2 others not touched" in " ".join(result.stdout.split())
    assert "snow-plough-tracker" not in result.stdout
    assert "snow-plough-tracker" in jovial("effects", "live", "--others", cwd=demo).stdout
    assert jovial("effects", "live", "--exit-code", cwd=demo).returncode == 3
    document = valid_json("effects", jovial("effects", "live", "--format", "json", cwd=demo).stdout)
    assert document["summary"]["rebuild"] == 4 and document["summary"]["unchanged"] == 18
    markdown = jovial("effects", "live", "--format", "markdown", cwd=demo).stdout
    assert markdown.startswith("## Deploying live of ridgeline\n") and "| `rebuild` | `gates/kes` |" in markdown
    table = jovial("effects", "live", "--format", "csv", cwd=demo).stdout.splitlines()
    assert table[0] == "effect,resource,type,property,was,becomes,why" and len(table) > 12
    page = jovial("effects", "live", "--format", "html", cwd=demo).stdout
    assert page.startswith("<!doctype html>") and 'class="rebuild"' in page
    kept = jovial("effects", "live", "--with", "range=10.21.0.0/16", cwd=demo)
    assert kept.returncode == 1 and "keep-violated" in kept.stdout and "databases_stay" in kept.stdout
    teardown = jovial("effects", "live", "--teardown", cwd=demo)
    assert teardown.returncode == 1 and "27 removed" in teardown.stdout
    unknown = jovial("effects", "live", "--with", "archive_days=0", cwd=demo)
    assert unknown.returncode == 1 and "parameter-range" in unknown.stderr and unknown.stdout == ""
    nowhere = jovial("effects", "sandbox", cwd=demo)
    assert nowhere.returncode == 2 and "Nothing says what runs in sandbox" in nowhere.stderr


def test_recording(demo: Path) -> None:
    refused = jovial("record", "live", cwd=demo)
    assert refused.returncode == 2 and "did not write it" in refused.stderr
    assert jovial("record", "sandbox", cwd=demo).returncode == 2
    assert jovial("record", "sandbox", "--out", "now.json", cwd=demo).returncode == 0
    first = (demo / "now.json").read_text()
    document = valid_json("snapshot", first)
    assert "edelweiss" not in first and document["resources"]["ticket_safe"]["properties"]["entries"]["desk"].keys() == {"$secret"}
    document["others"] = [{"name": "not ours"}]
    (demo / "now.json").write_text(json.dumps(document))
    assert jovial("record", "sandbox", "--out", "now.json", cwd=demo).returncode == 0
    again = json.loads((demo / "now.json").read_text())
    assert again == document, "the key and what is not ours stay"
    same = jovial("effects", "sandbox", "--against", "now.json", "--exit-code", cwd=demo)
    assert same.returncode == 0 and "nothing to do, 14 resources are as they should be; 1 other not touched." in " ".join(
        same.stdout.split()
    )
    broken = jovial("record", "sandbox", "--out", "now.json", "--with", "archive_days=0", cwd=demo)
    assert broken.returncode == 1 and json.loads((demo / "now.json").read_text()) == document
