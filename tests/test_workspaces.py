"""Workspaces: what projects share, where reading ends, and what is said over all of them."""

import json
import random
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold import Project
from jovial_scaffold.core.folders import MemoryFolder, Refusal, Within
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.machine.opening import Project as DiskProject
from jovial_scaffold.machine.workspaces import OpenWorkspace, workspace_here
from jovial_scaffold.reports.machine import render_document
from jovial_scaffold.reports.words import said
from tests.fuzz import drivers
from tests.support import Write, edit, jovial, load_cases, valid_json
from tests.support_git import commit, repository

_LINE = "resources:\n  tickets (pair): {purpose: PROJECT}\n"
_PROJECT = "project: PROJECT\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {sandbox: {parameters: []}, live: {parameters: []}}\n"
SHARED = {
    "workspace.yaml": 'workspace: railways\nprojects: ["lines/*"]\nmodules: {pair: shared/pair.yaml}\n',
    "shared/pair.yaml": "parameters: {purpose: {type: string, description: d}}\nresources:\n"
    '  main (fulmar.queue): {name: "${purpose}-main"}\n  failed (fulmar.queue): {name: "${purpose}-failed", wait_hours: 24}\n',
}


def files_of(*projects: str, **more: str) -> dict[str, str]:
    """A workspace with some lines that are alike."""
    found = dict(SHARED)
    for name in projects:
        found[f"lines/{name}/jovial.yaml"] = _PROJECT.replace("PROJECT", name)
        found[f"lines/{name}/line.yaml"] = _LINE.replace("PROJECT", name)
    return {**found, **{name.replace("__", "/"): text for name, text in more.items()}}


@pytest.mark.parametrize("case", load_cases("workspaces.yaml"))
def test_what_a_project_takes(write: Write, case: dict[str, Any]) -> None:
    root = write({**files_of(*case.get("lines", ["alp"])), **case["files"]})
    try:
        project = DiskProject.load(root / case.get("at", "lines/alp"))
    except ProjectError as error:
        assert [[each.id, each.span.file if each.span else ""] for each in error.findings] == case["unusable"]
        return
    found = project.check().findings
    assert [[each.id, each.level, each.span.file if each.span else ""] for each in found] == case.get("findings", [])
    for address, properties in case.get("gives", {}).items():
        assert project.render("live").resources[address].properties == properties


def test_one_mistake_in_what_is_shared_is_one_finding(write: Write) -> None:
    root = write(files_of("alp", "bri", "fal"))
    edit(root / "shared" / "pair.yaml", "wait_hours: 24", "wait_hours: 2400")
    edit(root / "lines" / "fal" / "line.yaml", "tickets", "tickts")
    document = valid_json("workspace-check", jovial("check", "--format", "json", cwd=root).stdout)
    (finding,) = document["findings"]
    assert (finding["id"], finding["file"], finding["line"]) == ("property-range", "shared/pair.yaml", 4)
    assert finding["environments"] == [f"{name}:{each}" for name in ("alp", "bri", "fal") for each in ("sandbox", "live")]
    assert {each["file"] for each in finding["related"]} == {f"lines/{name}/line.yaml" for name in ("alp", "bri", "fal")}
    assert [each["environments"][0]["errors"] for each in document["projects"]] == [1, 1, 1]
    assert "repair" not in finding
    text = jovial("check", cwd=root)
    assert (
        text.returncode == 1
        and text.stdout.count("property-range") == 1
        and "3 projects, 6 environments, 12 resources: 1 error." in text.stdout
    )
    below = jovial("check", "--workspace", cwd=root / "lines" / "alp")
    assert "../../shared/pair.yaml:4:" in below.stdout and "3 projects" in below.stdout


@pytest.mark.parametrize("written", ["${purpose * 2}", "${int(purpose)}", "${[1][size(purpose)]}", "${purpose}", "${purpose.x}"])
def test_it_is_one_whatever_values_each_project_shows(write: Write, written: str) -> None:
    root = write(files_of("alp", "bri", "falk"))
    edit(root / "shared" / "pair.yaml", "wait_hours: 24", f'wait_hours: "{written}"')
    (finding,) = valid_json("workspace-check", jovial("check", "--format", "json", cwd=root).stdout)["findings"]
    assert len(finding["environments"]) == 6 and (finding["file"], finding["line"]) == ("shared/pair.yaml", 4)


def test_a_finding_has_its_repair_with_files_as_the_workspace_names_them(write: Write) -> None:
    root = write(files_of("alp", "bri"))
    edit(root / "shared" / "pair.yaml", "wait_hours", "wait_huors")
    document = valid_json("workspace-check", jovial("check", "--format", "json", cwd=root).stdout)
    (finding,) = [each for each in document["findings"] if each["id"] == "property-unknown"]
    (change,) = finding["repair"]["edits"]
    text = (root / change["file"]).read_text()
    assert (change["file"], text[change["start"] : change["end"]], change["text"]) == ("shared/pair.yaml", "wait_huors", "wait_hours")


def test_a_project_that_cannot_be_used_leaves_the_others(write: Write) -> None:
    root = write(files_of("alp", "bri", lines__bri__jovial_yaml="") | {"lines/bri/jovial.yaml": "project: bri\ntemplate: [\n"})
    document = valid_json("workspace-check", jovial("check", "--format", "json", cwd=root).stdout)
    assert [(each["project"], each["usable"]) for each in document["projects"]] == [("alp", True), ("bri", False)]
    assert {each["file"] for each in document["findings"]} == {"lines/bri/jovial.yaml"}
    assert "cannot be used" in jovial("check", cwd=root).stdout


def test_environments_by_project(write: Write) -> None:
    root = write(files_of("alp", "bri"))
    for folder in (root, root / "shared", root / "lines" / "bri"):
        assert "tickets/main" in jovial("render", "alp:live", cwd=folder).stdout
    reason = jovial("why", "tickets/main:name", "alp:live", cwd=root / "lines" / "bri").stdout
    assert "is alp-main" in reason and "../../shared/pair.yaml:3" in reason.splitlines()[1]
    only = jovial("check", "live", "--format", "json", cwd=root).stdout
    assert [[one["environment"] for one in each["environments"]] for each in json.loads(only)["projects"]] == [["live"], ["live"]]
    single = json.loads(jovial("check", "bri:live", "--format", "json", cwd=root).stdout)
    assert [each["project"] for each in single["projects"]] == ["bri"]
    for command, told in (
        (("render", "brr:live"), "has no project `brr`. Its projects are alp and bri."),
        (("check", "brr:live"), "has no project `brr`"),
        (("check", "life"), "No project of the workspace has an environment `life`"),
        (("board", "alp:live", "bri:live"), "One command looks at the environments of one project"),
        (("check", "alp:life"), "no environment `life`"),
    ):
        result = jovial(*command, cwd=root / "shared" if command[0] != "board" else root / "lines" / "alp")
        assert result.returncode == 2 and told in " ".join(result.stderr.split()), (command, result.stderr)


def test_names_that_must_be_unique_in_the_workspace(write: Write) -> None:
    kind = "$id: yard.lift.v1\ntitle: Lift\ndescription: d\ntype: object\nproperties: {name: {type: string, description: d}}\n"
    more = {
        "shared/catalog/catalog.yaml": "name: yard\ndescription: d\n",
        "shared/catalog/lift.yaml": f"{kind}additionalProperties: false\nidentity: [name]\nidentityReach: workspace\n",
    }
    files = files_of("alp", "bri") | more
    files["workspace.yaml"] += "catalogs: {yard: shared/catalog/}\n"
    for name in ("alp", "bri"):
        files[f"lines/{name}/jovial.yaml"] = files[f"lines/{name}/jovial.yaml"].replace("[fulmar]", "[fulmar, yard]")
        files[f"lines/{name}/line.yaml"] += '  lift (yard.lift): {name: "upper-${context.environment}"}\n'
    document = json.loads(jovial("check", "--format", "json", cwd=write(files)).stdout)
    assert [(each["id"], each["file"], each["environments"]) for each in document["findings"]] == [
        ("identity-clash", "lines/bri/line.yaml", ["bri:live"]),
        ("identity-clash", "lines/bri/line.yaml", ["bri:sandbox"]),
    ]


def test_a_ripple_through_what_is_shared(write: Write) -> None:
    root = repository(write(files_of("alp", "bri")))
    edit(root / "shared" / "pair.yaml", "-main", "-all")
    edit(root / "shared" / "pair.yaml", "wait_hours: 24", "wait_hours: 2400")
    document = valid_json("ripple", jovial("ripple", "--format", "json", cwd=root).stdout)
    assert [(each["project"], each["changed"]) for each in document["projects"]] == [
        (name, ["../../shared/pair.yaml"]) for name in ("alp", "bri")
    ]
    effects = document["projects"][0]["environments"][0]["effects"]
    assert {each["address"]: each["effect"] for each in effects} == {"tickets/failed": "in_place", "tickets/main": "rebuild"}
    assert effects[0]["causes"] == [{"kind": "file", "parameter": None, "place": "../../shared/pair.yaml"}] and effects[0]["round"] is None
    text = jovial("ripple", cwd=root).stdout
    assert "2 projects, 4 environments: alp:sandbox, alp:live, bri:sandbox and bri:live" in text
    assert (
        "…/main:name          …-main becomes …-all  (×4)  rebuilds it" in text
        and "new error property-range in 2 projects shared/pair.yaml:4" in text
    )
    assert jovial("ripple", cwd=root / "shared").stdout == text
    one = json.loads(jovial("ripple", "--format", "json", cwd=root / "lines" / "bri").stdout)
    assert [each["project"] for each in one["projects"]] == ["bri"]
    commit(root, "All")
    edit(root / "lines" / "bri" / "line.yaml", "purpose: bri", "purpose: bro")
    assert [each["project"] for each in json.loads(jovial("ripple", "--format", "json", cwd=root).stdout)["projects"]] == ["bri"]
    then = jovial("render", "alp:live@HEAD~1", cwd=root).stdout
    assert (
        "alp-main" in then
        and "alp-all"
        in jovial("render", "alp:live@HEAD", cwd=root, env={}).stderr
        + jovial("compare", "alp:live@HEAD~1", "alp:live@HEAD", cwd=root).stdout
    )


def test_a_ripple_names_the_files_that_changed_and_what_each_value_was(write: Write) -> None:
    files = files_of("alp", "bri")
    files["workspace.yaml"] += "labels: {owner: sky}\n"
    files["shared/pair.yaml"] = files["shared/pair.yaml"].replace("wait_hours: 24", "wait_hours: '${size(purpose) * 4}'")
    for name, purpose in (("alp", "alp"), ("bri", "bri-and-more")):
        line = f"lines/{name}/line.yaml"
        files[line] = files[line].replace(f"purpose: {name}", f"purpose: {purpose}")
        files[line] += '  gate (fulmar.queue): {name: gate, tags: {owner: "${context.labels.owner}"}}\n'
    root = repository(write(files))
    edit(root / "shared" / "pair.yaml", " * 4", " * 5")
    edit(root / "shared" / "pair.yaml", "-main", "-primary-and-only-one-of-them-all")
    edit(root / "workspace.yaml", "owner: sky", "owner: stars")
    document = json.loads(jovial("ripple", "--format", "json", cwd=root).stdout)
    for project in document["projects"]:
        for each in project["environments"]:
            assert each["causes"] == ["../../shared/pair.yaml", "../../workspace.yaml"]
    text = jovial("ripple", cwd=root).stdout
    assert "through shared/pair.yaml and workspace.yaml" in text
    assert "12 becomes 15, 48 becomes 60" in text, "those of all places are named where there is room"
    told = next(line for line in text.splitlines() if "/main:name" in line).split("  ")[-3]
    was, becomes = told.split(" becomes ")
    assert was.strip("…") != becomes.strip("…") and "-main" in was and "-pri" in becomes, "cut around what differs"


def test_find_and_compare_over_all_projects(write: Write) -> None:
    files = files_of("alp", "bri")
    for name in ("alp", "bri"):
        files[f"lines/{name}/line.yaml"] += '  gate (fulmar.queue): {name: "gate-${context.environment}"}\n'
    root = write(files)
    hits = valid_json("find", jovial("find", "24", "--format", "json", cwd=root).stdout)["hits"]
    shared = [each for each in hits if each["file"] == "shared/pair.yaml" and each["how"] == "equal"]
    assert [each["environments"] for each in shared] == [["alp:sandbox", "alp:live", "bri:sandbox", "bri:live"]]
    text = jovial("find", "alp-main", "--workspace", cwd=root / "lines" / "bri").stdout
    assert "tickets/main:name in alp:sandbox and alp:live" in text and "../../shared/pair.yaml:3" in text
    document = valid_json("workspace-compare", jovial("compare", "--format", "json", cwd=root).stdout)
    assert [(each["project"], len(each["comparison"]["rows"])) for each in document["projects"]] == [("alp", 1), ("bri", 1)]
    compared = jovial("compare", cwd=root)
    assert compared.returncode == 0 and "alp  lines/alp" in compared.stdout and compared.stdout.count("gate-sandbox") == 2
    assert jovial("compare", "--exit-code", cwd=root).returncode == 3
    assert jovial("compare", "--only", "tickets/*", cwd=root).stdout.count("no difference") == 2
    assert jovial("compare", "--by", "aspect", cwd=root).stdout.count("── naming · 1 row ") == 2
    assert jovial("compare", "--baseline", "live", cwd=root).stdout.count("gate-live  gate-sandbox") == 2
    assert "no project of the workspace has" in jovial("compare", "--baseline", "lvie", cwd=root).stderr
    assert jovial("compare", "--accept", cwd=root).returncode == 2
    (root / "lines" / "bri" / "line.yaml").write_text("resources: 3\n")
    broken = jovial("compare", cwd=root)
    assert broken.returncode == 1 and "gate-sandbox" in broken.stdout


def unwrapped(text: str) -> str:
    """What was said, in one line."""
    return " ".join(text.split())


def test_a_label_comes_with_the_line_that_sets_it(write: Write) -> None:
    files = {
        "workspace.yaml": "workspace: docks\nprojects: [quay]\nlabels:\n  owner: sky\n  depth: low\n",
        "quay/jovial.yaml": (
            "project: quay\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:\n"
            "  dusk: {parameters: []}\n  dawn:\n    parameters: []\n    labels:\n      owner: sea\n      depth: high\n"
        ),
        "quay/t.yaml": (
            "resources:\n  one (fulmar.queue): {name: 'q-${context.labels.owner}'}\n  two (fulmar.queue): {name: '${context.labels.depth}-q'}\n"
        ),
    }
    quay = write(files) / "quay"
    rows = Project.load(quay).compare().rows
    assert {row.address: [(each.parameter, each.sources) for each in row.drivers] for row in rows} == {
        "one": [("context.labels", {"dusk": "../workspace.yaml:4", "dawn": "jovial.yaml:9"})],
        "two": [("context.labels", {"dusk": "../workspace.yaml:5", "dawn": "jovial.yaml:10"})],
    }
    told = jovial("why", "two:name", "dawn", cwd=quay).stdout
    assert "└─ context.labels.depth = high\n   jovial.yaml:10\n" in told


def test_environments_of_several_projects_side_by_side(write: Write) -> None:
    files = files_of("alp", "bri")
    for name in ("alp", "bri"):
        files[f"lines/{name}/line.yaml"] += '  gate (fulmar.queue): {name: "gate-${context.project}-${context.environment}"}\n'
    root = write(files)
    inside = root / "lines" / "alp"
    document = valid_json("compare", jovial("compare", "alp:live", "bri:live", "--format", "json", cwd=root).stdout)
    assert document["environments"] == ["alp:live", "bri:live"]
    rows = {(each["address"], each["pointer"]): each for each in document["rows"]}
    assert rows["gate", "name"]["values"] == {"alp:live": "gate-alp-live", "bri:live": "gate-bri-live"}
    assert rows["gate", "name"]["drivers"][0]["parameter"] == "context.project"
    # What a parameter drives between two columns, the template drives between others.
    for name in ("alp", "bri"):
        edit(
            root / "lines" / name / "line.yaml",
            "resources:\n",
            f'resources:\n  own (fulmar.queue): {{name: "{name}-own-${{context.environment}}"}}\n',
        )
        with (root / "lines" / name / "line.yaml").open("a") as stream:
            stream.write(f'outputs: {{where: "{name}-${{context.environment}}"}}\n')
    for environments, names in (
        (["alp:live", "bri:live", "alp:sandbox"], {"context.environment", "(template)"}),
        (["alp:live", "bri:live"], {"(template)"}),
        (["alp:live", "alp:sandbox", "bri:sandbox"], {"context.environment"}),
    ):
        found = json.loads(jovial("compare", *environments, "--format", "json", cwd=root).stdout)["rows"]
        for place in ("own", "where"):
            (row,) = (each for each in found if each["address"] == place)
            assert {each["parameter"] for each in row["drivers"]} == names, (environments, place)
    # One without its project is that of the project here, and never that of the other one.
    mixed = jovial("compare", "live", "bri:live", cwd=inside).stdout
    assert "gate-alp-live" in mixed and "gate-bri-live" in mixed
    assert jovial("compare", "bri:sandbox", "live", "--exit-code", cwd=inside).returncode == 3
    for arguments, told in (
        (["compare", "live", "bri:live"], "Of which project live is meant, is not said."),
        (["compare", "live"], "of two environments or more"),
        (["compare", "alp:live", "bri:lvie"], "Did you mean `live`?"),
        (["compare", "alp:live", "bri:live", "--expect", "x.yaml"], "--expect"),
        (["compare", "alp:live", "bri:live", "--baseline", "live"], "--baseline"),
        (["compare", "alp:live", "bri:live", "--workspace"], "--workspace"),
        (["render", "live"], "write PROJECT:ENVIRONMENT"),
    ):
        refused = jovial(*arguments, cwd=root)
        assert refused.returncode == 2 and refused.stdout == "" and told in unwrapped(refused.stderr), (arguments, refused.stderr)
    for arguments in (["check", "live", "bri:live"], ["board", "live", "bri:live"], ["find", "gate", "live", "bri:live"]):
        refused = jovial(*arguments, cwd=inside)
        assert refused.returncode == 2 and "This is the project alp, and bri:live is asked for." in unwrapped(refused.stderr), arguments
    for arguments in (["alp:live", "live"], ["alp:live", "live", "bri:live"], ["bri:live?x=1", "alp:live", "bri:live?x=1"]):
        twice = jovial("compare", *arguments, cwd=inside)
        assert twice.returncode == 2 and "live is named twice" in twice.stderr, arguments


def test_an_address_is_no_environment_of_another_project(write: Write) -> None:
    root = write(files_of("alp", "bri"))
    inside = root / "lines" / "alp"
    straight = jovial("why", "tickets/main:name", "live", cwd=inside)
    assert straight.returncode == 0 and straight.stdout.startswith("tickets/main:name in live is alp-main")
    assert jovial("why", "live", "tickets/main:name", cwd=inside).stdout == straight.stdout
    other = jovial("why", "bri:live", "tickets/main:name", cwd=inside).stdout
    assert (
        other.startswith("tickets/main:name in live is bri-main")
        and jovial("why", "tickets/main:name", "bri:live", cwd=inside).stdout == other
    )


def test_where_a_project_file_is_nearer_or_nothing_is_there(write: Write, tmp_path: Path) -> None:
    root = write(files_of("alp"))
    assert workspace_here(root / "lines" / "alp") is None
    found = workspace_here(root / "shared")
    assert found is not None and found.folders == {"alp": "lines/alp"}
    outside = jovial("check", "--workspace", cwd=tmp_path.parent)
    assert outside.returncode == 2 and "No workspace.yaml" in outside.stderr


@pytest.mark.parametrize(
    ("projects", "told"),
    [
        ('["lines/x*"]', ["file-missing"]),
        ("[lines/none]", ["file-missing"]),
        ("[../elsewhere]", ["file-missing"]),
        ('["lines/*", lines/alp]', []),
        ('["lines/*", other]', ["name-declared-twice"]),
    ],
)
def test_what_is_listed(write: Write, projects: str, told: list[str]) -> None:
    files = files_of("alp") | {"other/jovial.yaml": _PROJECT.replace("PROJECT", "alp"), "other/line.yaml": _LINE}
    files["workspace.yaml"] = files["workspace.yaml"].replace('["lines/*"]', projects)
    opened = OpenWorkspace(write(files))
    assert [each.id for each in opened.findings] == told


def test_a_link_out_of_the_workspace_is_not_followed(write: Write, tmp_path: Path) -> None:
    root = write(files_of("alp"))
    (tmp_path / "elsewhere.yaml").write_text("resources:\n  main (fulmar.queue): {name: stolen-main}\n")
    (root / "shared" / "pair.yaml").unlink()
    (root / "shared" / "pair.yaml").symlink_to(tmp_path / "elsewhere.yaml")
    if (tmp_path / "elsewhere.yaml").is_relative_to(root):
        pytest.skip("the workspace holds the whole folder")
    found = Project.load(root / "lines" / "alp").check().findings
    assert [each.id for each in found] == ["path-outside"]


@pytest.mark.parametrize(
    ("name", "expected"),
    [
        ("line.yaml", "line.yaml"),
        ("../bri/line.yaml", "../bri/line.yaml"),
        ("../../shared/../shared/pair.yaml", "../../shared/pair.yaml"),
        ("../alp/line.yaml", "line.yaml"),
        ("", ""),
        ("../..", "../.."),
        ("../../../x", None),
        ("/etc/passwd", None),
        ("../link.yaml", "line.yaml"),
    ],
)
def test_names_inside_of_a_whole(name: str, expected: str | None) -> None:
    files = {"lines/alp/line.yaml": b"", "lines/bri/line.yaml": b"", "shared/pair.yaml": b""}
    found = Within(MemoryFolder(files, {"lines/link.yaml": "alp/line.yaml"}), "lines/alp").find(name)
    if expected is None:
        assert isinstance(found, Refusal) and found.kind == "outside"
    else:
        assert not isinstance(found, Refusal) and found.name == expected


def test_a_survey_of_each_project(write: Write) -> None:
    root = write(files_of("alp", "bri"))
    text = jovial("survey", cwd=root).stdout
    assert text.startswith("alp  ") and "\nbri  " in text and "shared/pair.yaml (a module)" in text
    document = valid_json("workspace-survey", jovial("survey", "--format", "json", cwd=root).stdout)
    assert [each["project"] for each in document["projects"]] == ["alp", "bri"] and document["projects"][0]["survey"]["types"]
    (root / "lines" / "alp" / "jovial.yaml").write_text("project: [")
    broken = jovial("survey", "--workspace", cwd=root / "lines" / "bri")
    assert broken.returncode == 1 and "bri" in broken.stdout and "Traceback" not in broken.stderr


def test_what_a_row_of_a_shared_table_reaches_through_a_module(write: Write) -> None:
    files = files_of("alp")
    files["workspace.yaml"] += "lookups: {waits: shared/waits.csv}\n"
    files["shared/waits.csv"] = "setting,hours\nsandbox,4\nlive,9\nnowhere,7\n"
    files["shared/timed.yaml"] = (
        "parameters: {setting: {type: string, description: d}}\n"
        "lookups: {wait: {in: waits, where: row.setting == setting}}\n"
        'resources: {belt (fulmar.queue): {name: belt, wait_hours: "${int(wait.hours)}"}}\n'
    )
    files["lines/alp/line.yaml"] += "  timed (../../shared/timed.yaml): {setting: live}\n"
    line = write(files) / "lines" / "alp"
    reached = jovial("why", "../../shared/waits.csv:3", "--impact", cwd=line)
    assert reached.returncode == 0 and "timed/belt (wait_hours)" in reached.stdout, reached
    unused = jovial("why", "../../shared/waits.csv:4", "--impact", cwd=line)
    assert unused.returncode == 1 and "nothing that stands at ../../shared/waits.csv:4 reaches anything" in unused.stderr


@pytest.mark.parametrize("seed", range(10))
def test_what_is_shared_does_what_an_own_copy_does(seed: int) -> None:
    own = drivers.project(random.Random(seed))
    shared = {name: f"shared/{name}" for name in ("module.yaml", "deeper.yaml", "images.json")}
    shared |= {name: f"shared/{name}" for name in own if name.startswith("catalog/")}
    whole = {shared.get(name, f"lines/alp/{name}"): text for name, text in own.items()}
    content = json.loads(own["jovial.yaml"])
    del content["lookups"]
    content["catalogs"] = ["yards"]
    whole["lines/alp/jovial.yaml"] = json.dumps(content).encode()
    whole["lines/alp/line.yaml"] = own["line.yaml"].replace(b"(./module.yaml)", b"(part)")
    offered = {
        "catalogs": {"yards": "shared/catalog"},
        "modules": {"part": "shared/module.yaml"},
        "lookups": {"images": "shared/images.json"},
    }
    whole["workspace.yaml"] = json.dumps({"workspace": "w", "projects": ["lines/*"], **offered}).encode()
    one, other = drivers.loaded(own), Project(Within(MemoryFolder(whole), "lines/alp"))
    for name in drivers.ENVIRONMENTS:
        renderings = one.render(name), other.render(name)
        assert render_document("yard", renderings[0]) == render_document("yard", renderings[1])
    said_of = [
        sorted(
            (
                each.id,
                said(each.message).replace("../../shared/", "./").replace("(part)", "(./module.yaml)"),
                each.address,
                each.environments,
            )
            for each in project.check().findings
        )
        for project in (one, other)
    ]
    assert said_of[0] == said_of[1]
    rows = [
        [
            (row.address, row.pointer, row.echo, [each.parameter for each in row.drivers])
            for row in project.compare(drivers.ENVIRONMENTS, echoes=True).rows
        ]
        for project in (one, other)
    ]
    assert rows[0] == rows[1]


def test_many_environments_are_broken_into_lines(write: Write) -> None:
    names = [f"valley-{number:02}" for number in range(25)]
    environments = "".join(f"  {name}: {{parameters: [{name}.yaml]}}\n" for name in names)
    root = write(
        {
            "jovial.yaml": f"project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:\n{environments}",
            "t.yaml": "parameters: {hours: {type: integer, description: d}}\nlet: {twice: '${hours * 2}'}\n"
            "resources:\n  q (fulmar.queue): {name: queue, wait_hours: '${twice}'}\n",
            **{f"{name}.yaml": "hours: 2\n" for name in names},
        }
    )
    repository(root)
    edit(root / "valley-03.yaml", "2", "3")
    one = jovial("ripple", cwd=root).stdout
    edit(root / "t.yaml", "hours * 2", "hours * 3")
    every = jovial("ripple", cwd=root).stdout
    impact = jovial("why", "--impact", "twice", cwd=root).stdout
    for text in (one, every, impact):
        assert all(name in text for name in names)
        assert max(map(len, text.splitlines())) <= 80
