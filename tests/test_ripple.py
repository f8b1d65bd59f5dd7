"""What a commit touches, in real git repositories with several projects."""

import json
import os
import re
import shutil
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.ripple import ripple
from jovial_scaffold.machine.opening import DiskTree
from tests.support import Write, edit, jovial, valid_json
from tests.support_git import commit, git, repository


@pytest.fixture
def lines(demo_folder: Path, tmp_path: Path) -> Path:
    """A repository with two lines, each a project."""
    for name in ("alp", "fjord"):
        shutil.copytree(demo_folder, tmp_path / "lines" / name)
    return repository(tmp_path / "lines")


def reached(folder: Path, *arguments: str) -> dict[str, Any]:
    document = valid_json("ripple", jovial("ripple", "--format", "json", *arguments, cwd=folder).stdout)
    return {
        f"{project['folder']}/{each['environment']}": [
            *(f"{one['address']}:{pointer}" for one in each["effects"] for pointer in one["touched"] or [""]),
            *(one["name"] for one in each["beside"]),
        ]
        for project in document["projects"]
        for each in project["environments"]
    }


def test_nothing_changed(lines: Path) -> None:
    result = jovial("ripple", "--exit-code", cwd=lines)
    assert result.returncode == 0 and "Nothing changed. 2 projects looked at, 0 renderings made." in result.stdout
    (lines / "alp" / "notes.txt").write_text("A file that no project reads.")
    assert reached(lines) == {} or not any(reached(lines).values())
    assert jovial("ripple", "--exit-code", cwd=lines).returncode == 0


def test_a_parameter_file_reaches_its_environment_only(lines: Path) -> None:
    edit(lines / "alp" / "parameters" / "live.yaml", "telemetry_gigabytes: 800", "telemetry_gigabytes: 900")
    assert reached(lines) == {"alp/live": ["readings:gigabytes"]}
    result = jovial("ripple", "--exit-code", cwd=lines)
    assert (
        result.returncode == 3
        and "through parameters/live.yaml" in result.stdout
        and "sandbox and rehearsal: made from files that" in result.stdout
    )
    found = ripple("HEAD", DiskTree([lines]), [""], Overrides(dict(os.environ)))
    assert found.looked_at == 2 and found.rendered <= 4 and [project.folder for project in found.projects] == ["alp"]


def test_a_comment_in_a_parameter_file_changes_nothing(lines: Path) -> None:
    path = lines / "alp" / "parameters" / "live.yaml"
    path.write_text(f"# A remark.\n{path.read_text()}")
    assert reached(lines) == {"alp/live": []}


SHARED = [
    ("parameters/common.yaml", "line: alp", "line: elp", {"sandbox", "rehearsal", "live"}, True),
    ("shared/queue_pair.yaml", "wait_hours: 240", "wait_hours: 200", {"sandbox", "rehearsal", "live"}, True),
    ("facts/images.csv", "gate,live,gate-2026-10", "gate,live,gate-2026-12", {"live"}, False),
    ("files/gate-start.sh", "exec gate", "exec  gate", {"sandbox", "rehearsal", "live"}, True),
    ("line.yaml", "timetable_copies: 4", "timetable_copies: 5", {"live"}, False),
    ("secrets/desk-password.txt", "edelweiss", "gentian", {"sandbox", "rehearsal", "live"}, True),
]


@pytest.mark.parametrize(("file", "old", "new", "touched", "everywhere"), SHARED)
def test_what_all_environments_share(lines: Path, file: str, old: str, new: str, touched: set[str], everywhere: bool) -> None:
    edit(lines / "alp" / file, old, new)
    found = reached(lines)
    assert {name for name, rows in found.items() if rows} == {f"alp/{name}" for name in touched}
    assert "edelweiss" not in json.dumps(found)


def test_findings_that_are_new_and_cured(lines: Path) -> None:
    edit(lines / "fjord" / "parameters" / "sandbox.yaml", "archive_days: 7", "archive_days: 0")
    broken = jovial("ripple", cwd=lines)
    assert broken.returncode == 1 and "new error parameter-range parameters/sandbox.yaml:7" in broken.stdout
    commit(lines, "Broken")
    edit(lines / "fjord" / "parameters" / "sandbox.yaml", "archive_days: 0", "archive_days: 9")
    mended = jovial("ripple", cwd=lines)
    assert mended.returncode == 0 and "cured error parameter-range" in mended.stdout and "1 cured" in mended.stdout
    edit(lines / "fjord" / "rules" / "house.yaml", "[xs, s]", "[s]")
    rules = jovial("ripple", "--since", "HEAD~1", cwd=lines)
    assert (
        rules.returncode == 1
        and "sizes_from_the_list" in rules.stdout
        and "through parameters/sandbox.yaml and rules/house.yaml" in rules.stdout
    )


def test_what_is_still_wrong_with_another_value_is_not_new(lines: Path) -> None:
    edit(lines / "fjord" / "parameters" / "sandbox.yaml", "archive_days: 7", "archive_days: 0")
    commit(lines, "Broken")
    edit(lines / "fjord" / "parameters" / "sandbox.yaml", "archive_days: 0", "archive_days: -5")
    still = jovial("ripple", cwd=lines)
    assert still.returncode == 0 and "new error" not in still.stdout and "cured" not in still.stdout.replace("0 cured", "")


def test_a_rule_over_pairs_is_judged_with_the_partner(lines: Path) -> None:
    edit(lines / "alp" / "parameters" / "rehearsal.toml", "archive_days = 30", "archive_days = 30\ntelemetry = false")
    result = jovial("ripple", cwd=lines)
    assert result.returncode == 1 and "rehearsed_types" in result.stdout and "live: made from files that did not change" in result.stdout


def test_lines_that_moved_make_no_new_finding(lines: Path) -> None:
    path = lines / "alp" / "line.yaml"
    edit(
        path,
        "  owner: {type: string, maxLength: 40, default: line-operations, description: Who answers for the line}",
        "  owner: {type: string, default: line-operations}",
    )
    commit(lines, "A warning")
    path.write_text(f"# A remark.\n\n{path.read_text()}")
    result = jovial("ripple", cwd=lines)
    assert "0 new findings, 0 cured" in result.stdout or "Nothing that is deployed changes." in result.stdout


def test_projects_and_environments_that_come_and_go(lines: Path, demo_folder: Path) -> None:
    edit(
        lines / "alp" / "jovial.yaml",
        "  sandbox:\n    parameters: [parameters/common.yaml, parameters/sandbox.yaml]\n    labels: {tier: trial}\n",
        "",
    )
    shutil.rmtree(lines / "fjord")
    shutil.copytree(demo_folder, lines / "moor")
    document = valid_json("ripple", jovial("ripple", "--format", "json", cwd=lines).stdout)
    states = {f"{p['folder']}/{e['environment']}": e["state"] for p in document["projects"] for e in p["environments"]}
    assert states["alp/sandbox"] == "removed" and states["fjord/live"] == "removed" and states["moor/live"] == "added"
    (lines / "alp" / "jovial.yaml").write_text("project: [")
    broken = jovial("ripple", cwd=lines)
    assert broken.returncode == 1 and "cannot be read" in broken.stdout and "Traceback" not in broken.stderr


def test_folders_and_revisions(lines: Path) -> None:
    for name in ("alp", "fjord"):
        edit(lines / name / "parameters" / "live.yaml", "archive_days: 365", "archive_days: 366")
    assert set(reached(lines, "alp")) == {"alp/live"} and set(reached(lines)) == {"alp/live", "fjord/live"}
    assert set(reached(lines / "alp")) == {"alp/live"}
    commit(lines, "More")
    assert reached(lines) == {} and set(reached(lines, "--since", "HEAD~1")) == {"alp/live", "fjord/live"}
    for arguments in (("--since", "nowhere"), ("--since", "--all"), ("missing",), ("--since", "")):
        result = jovial("ripple", *arguments, cwd=lines)
        assert result.returncode == 2 and "Traceback" not in result.stderr, arguments


def test_one_repository_at_a_time(lines: Path, demo: Path) -> None:
    result = jovial("ripple", "alp", str(demo), cwd=lines)
    assert result.returncode == 2 and "lies outside of the repository" in " ".join(result.stderr.split())


def test_no_checkout_is_disturbed(lines: Path) -> None:
    edit(lines / "alp" / "line.yaml", "timetable_copies: 4", "timetable_copies: 5")
    git(lines, "add", "-A")
    edit(lines / "alp" / "line.yaml", "timetable_copies: 5", "timetable_copies: 6")
    before = (git(lines, "status", "--porcelain"), (lines / ".git" / "index").read_bytes(), git(lines, "stash", "list"))
    assert jovial("ripple", "--since", "HEAD", cwd=lines).returncode == 0
    assert before == (git(lines, "status", "--porcelain"), (lines / ".git" / "index").read_bytes(), git(lines, "stash", "list"))


def test_without_a_repository(demo: Path) -> None:
    result = jovial("ripple", cwd=demo)
    assert result.returncode == 2 and "belongs to no git repository" in " ".join(result.stderr.split())


def test_formats(lines: Path) -> None:
    edit(lines / "alp" / "shared" / "queue_pair.yaml", "wait_hours: 240", "wait_hours: 200")
    markdown = jovial("ripple", "--format", "markdown", cwd=lines).stdout
    assert markdown.startswith("## What changes since HEAD\n") and "| `alp` | `live` | `2` | `shared/queue_pair.yaml` |" in markdown
    assert (
        "alp,live,in_place,tickets/failed,fulmar.queue.v1,wait_hours,240,200,in_place,shared/queue_pair.yaml"
        in jovial("ripple", "--format", "csv", cwd=lines).stdout
    )
    assert jovial("ripple", "--format", "html", "--out", "r.html", cwd=lines).returncode == 0
    assert "wait_hours" in (lines / "r.html").read_text()


def test_what_it_would_do_to_what_runs(lines: Path) -> None:
    edit(lines / "alp" / "parameters" / "live.yaml", "archive_days: 365", "archive_days: 300")
    plain = jovial("ripple", cwd=lines)
    assert plain.returncode == 0 and "over what runs" not in plain.stdout
    told = jovial("ripple", "--effects", cwd=lines)
    assert told.returncode == 0 and "over what runs (deployed/live.json): rebuilds gates/bri" in told.stdout
    edit(lines / "alp" / "parameters" / "live.yaml", "range: 10.20.0.0/16", "range: 10.99.0.0/16")
    blocked = jovial("ripple", "--effects", cwd=lines)
    assert blocked.returncode == 1 and "BLOCKED by 3 errors" in blocked.stdout and "timetable_store is to be kept" in blocked.stdout
    document = valid_json("ripple", jovial("ripple", "--effects", "--format", "json", cwd=lines).stdout)
    (environment,) = document["projects"][0]["environments"]
    straight = valid_json("effects", jovial("effects", "live", "--format", "json", cwd=lines / "alp").stdout)
    changing = [{**each, "round": None} for each in straight["effects"] if each["effect"] != "unchanged"]
    assert environment["deployment"]["effects"] == changing and environment["deployment"]["against"] == "deployed/live.json"
    edit(lines / "alp" / "parameters" / "live.yaml", "archive_days: 300", "archive_days: many")
    assert "not known before 1 error is mended" in jovial("ripple", "--effects", cwd=lines).stdout


def test_what_a_rebuild_drags_along_is_told(lines: Path) -> None:
    edit(lines / "alp" / "parameters" / "live.yaml", "range: 10.20.0.0/16", "range: 10.99.0.0/16")
    document = valid_json("ripple", jovial("ripple", "--format", "json", cwd=lines).stdout)
    effects = {each["address"]: each for each in document["projects"][0]["environments"][0]["effects"]}
    assert effects["timetable_store"]["effect"] == "rebuild" and effects["timetable_store"]["dragged"]
    assert effects["track_net"]["dragged"] == [] and effects["track_net"]["touched"] == ["range"]


@pytest.mark.parametrize("projects", [1, 2])
def test_what_changes_in_many_items_of_a_loop_is_one_line(write: Write, projects: int) -> None:
    module = "parameters: {name: {type: string, description: d}}\nresources:\n  q (fulmar.queue): {name: 'q-${name}', wait_hours: 1}\n"
    module += "  r (fulmar.queue): {$per: {n: '[1, 2, 3]'}, name: 'r-${name}-${n}', wait_hours: '${n}'}\n"
    files = {"workspace.yaml": "workspace: lines\nprojects: ['p*']\nmodules: {pair: shared/pair.yaml}\n", "shared/pair.yaml": module}
    for number in range(projects):
        files[f"p{number}/jovial.yaml"] = (
            f"project: p{number}\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {{one: {{}}, two: {{}}}}\n"
        )
        files[f"p{number}/t.yaml"] = "resources:\n  use (pair): {$per: {k: \"['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h']\"}, name: '${k}'}\n"
    root = repository(write(files))
    edit(root / "shared" / "pair.yaml", "wait_hours: 1}", "wait_hours: 2}")
    edit(root / "shared" / "pair.yaml", "name: 'r-${name}", "name: 's-${name}")
    text = jovial("ripple", cwd=root).stdout
    told = [int(each) for each in re.findall(r"becomes .*\(×(\d+)\)", text)]
    assert len(text.splitlines()) <= 12 and sum(told) == (8 + 24) * (1 if projects == 1 else 4), text
    assert ("use/…/q:wait_hours" in text) == (projects == 1) and "1 becomes 2" in text
    each = jovial("ripple", "--max", "0", cwd=root).stdout
    assert "…/r/3:name" in each if projects == 2 else "use/c/r/3:name" in each
    left = jovial("ripple", "--max", "1", cwd=root).stdout
    assert re.search(r"\d+ more; --max 0 shows all", left)
