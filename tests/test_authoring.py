"""Commands that change files: what stands in the files then, what is said, and that nothing else has changed."""

import json
import random
import shutil
from pathlib import Path
from typing import Any
from urllib.parse import quote

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.cli import main
from jovial_scaffold.cli.gallery import SHIPPED
from jovial_scaffold.core.authoring import gallery
from jovial_scaffold.core.authoring.converting import convert
from jovial_scaffold.core.authoring.renaming import rename
from jovial_scaffold.core.authoring.resources import new_resource
from jovial_scaffold.core.authoring.settings import set_parameters
from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.schemas.catalog import shipped_catalog
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.machine.disk import DiskFolder
from tests import test_scripts as scripts
from tests.fuzz import drivers
from tests.support import in_memory, load_cases

PLAIN = {
    "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments:\n"
    "  sandbox: {parameters: [common.yaml, sandbox.yaml]}\n  live: {parameters: [common.yaml, live.yaml]}\n",
    "line.yaml": "parameters:\n  line: {type: string, default: tal, description: Which}\n"
    "  copies: {type: integer, default: 1, description: How many}\n"
    "  # nothing reads it\n  idle: {type: integer, default: 1, description: Nothing}\n"
    "  tags: {type: object, default: {}, additionalProperties: {type: string}, description: Tags}\n"
    "  password: {type: string, minLength: 3, default: none-yet-at-all, writeOnly: true, description: For the desk}\n"
    "resources:\n"
    '  gates (fulmar.machine_group): {name: "${line}", image: gate-7, size: s, copies: "${copies}", tags: "${tags}", operator_password: "${password}"}\n',
    "common.yaml": "line: alp\n",
    "sandbox.yaml": "{}\n",
    "live.yaml": "copies: 2  # gates\n",
}


def written(folder: Path) -> dict[str, str]:
    """All files below a folder."""
    return {path.relative_to(folder).as_posix(): path.read_text() for path in sorted(folder.rglob("*")) if path.is_file()}


@pytest.mark.parametrize("case", load_cases("authoring.yaml"))
def test_a_command_changes_what_it_says_and_nothing_else(
    case: dict[str, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    folder = tmp_path / "project"
    given = {**({} if case.get("bare") else PLAIN), **case.get("given", {})}
    for name, text in given.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    folder.mkdir(exist_ok=True)
    monkeypatch.chdir(folder)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    code = main.run([str(each) for each in case["run"]])
    out, err = capfd.readouterr()
    assert code == case.get("code", 0), (out, err)
    assert case.get("out", "") in out
    assert case.get("err", "") in err
    assert "silent" not in case or case["silent"] not in out + err
    now, lacks = written(folder), case.get("lacks", {})
    expected = {**given, **case.get("files", {})}
    for name, text in lacks.items():
        assert text not in now[name]
    left_out = {*lacks, *case.get("made", ())}
    assert {name: text for name, text in now.items() if name not in left_out} == {
        name: text for name, text in expected.items() if text is not None and name not in left_out
    }
    assert {*case.get("made", ())} <= now.keys()
    assert not any(case.get("silent", "\0") in now[name] for name in case.get("made", ()))
    assert not list((tmp_path / "state").rglob("*.json")), "a journal was left"


@pytest.mark.parametrize("every", [False, True])
def test_a_resource_of_every_type_can_be_written(every: bool) -> None:
    """What is written is whole but for what is left open, whatever the type; references that can be are proposed."""
    files = {
        "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n",
        "line.yaml": "resources:\n  net (fulmar.network): {name: net, range: 10.0.0.0/16}\n",
    }
    project = in_memory(files)
    for kind in (shipped_catalog("fulmar") or ([], {}))[0]:
        change, _ = new_resource(project, kind.id, "it", every=every)
        findings = project.edited(change.files()).check().findings
        assert {each.id for each in findings if each.level == "error"} <= {"value-open"}, (kind.id, findings)
        text = (change.files()[0].after or b"").decode()
        assert text.startswith(files["line.yaml"])
        if kind.name == "fulmar.subnet":
            assert "network: ${net.id}" in text


@settings(max_examples=60, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_what_is_set_is_what_the_environment_has_and_no_other_changes(seed: int) -> None:
    chance = random.Random(seed)
    files = drivers.project(chance)
    project = drivers.loaded(files)
    environment = chance.choice(project.environments)
    declared = [name for name, each in project.template.parameters.items() if not each.secret]
    held = {name: project.parameters_of(each).values.get(name) for each in project.environments for name in declared}
    name = chance.choice(declared)
    wanted = held[name]
    if wanted is UNKNOWN or wanted is None or isinstance(wanted, Secret):
        return
    text = wanted if isinstance(wanted, str) else json.dumps(wanted)
    try:
        change, _ = set_parameters(project, environment, [(name, text)])
    except ProjectError:
        return  # it says that it cannot be, and nothing is written
    then = project.edited(change.files())
    for each in project.environments:
        before, after = project.parameters_of(each).values, then.parameters_of(each).values
        for other in declared:
            if (each, other) != (environment, name):
                assert same(before.get(other), after.get(other)), (files, each, other)
    assert same(then.parameters_of(environment).values[name], project.parameters_of(f"{environment}?{name}={quote(text)}").values[name])
    for file in change.files():
        old, new = (file.before or b"").decode().splitlines(), (file.after or b"").decode().splitlines()
        assert len(set(old) - set(new)) <= 1 + str(wanted).count("\n") + 40 * isinstance(wanted, dict | list)


@settings(max_examples=60, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_a_renaming_and_its_way_back_leave_the_same_bytes(seed: int) -> None:
    chance = random.Random(seed)
    files = drivers.project(chance)
    template = drivers.loaded(files).template
    names = [*template.names, *template.functions, *(f"outputs.{name}" for name in template.outputs)]
    old = chance.choice(sorted(names))
    change, _ = rename(drivers.loaded(files), old, "new_name")
    renamed = {**files, **{each.name: each.after or b"" for each in change.files()}}
    assert renamed != files
    back, _ = rename(drivers.loaded(renamed), f"{'outputs.' if old.startswith('outputs.') else ''}new_name", old.removeprefix("outputs."))
    assert {**renamed, **{each.name: each.after or b"" for each in back.files()}} == files


@settings(max_examples=150, deadline=None)
@given(st.integers(min_value=0, max_value=10**9), st.sampled_from(("yaml", "json", "toml")), st.sampled_from(("yaml", "json", "toml")))
def test_a_conversion_and_its_way_back_give_the_same_values(seed: int, there: str, back: str) -> None:
    chance = random.Random(seed)
    held = {key: scripts.value(chance) for key in chance.sample(scripts.KEYS, chance.randint(1, 5))}
    text = scripts.yaml(chance, held)
    project = in_memory(PLAIN)
    source, _ = read_source(text.encode(), "x.yaml")
    assert source is not None
    first = convert(project, source, there)
    middle, wrong = read_source(first.text.encode(), f"x.{there}")
    assert middle is not None and not wrong
    second, wrong = read_source(convert(project, middle, back).text.encode(), f"x.{back}")
    assert second is not None and not wrong
    assert second.value == held
    tops = [line for line in text.splitlines() if line.startswith("# above")]
    if there != "json" and first.text:
        assert all(line in first.text for line in tops)


@pytest.mark.parametrize("entry", gallery.entries(DiskFolder(SHIPPED)), ids=lambda each: each.name)
def test_a_starting_point_is_whole_with_any_environments(entry: gallery.Entry) -> None:
    assert entry.title and entry.description and entry.questions
    assert {name for name, _ in entry.questions} <= set(entry.project.template.parameters)
    for environments in ((), ("live",), ("a", "b", "c"), ("sandbox", "rehearsal", "live")):
        files = gallery.made(entry, "a-new-one", environments)
        project = in_memory(files)
        assert project.name == "a-new-one"
        assert set(project.environments) == set(environments or entry.project.environments)
        assert all(project.render(each).resources for each in project.environments)
        assert not [each for each in project.check().findings if each.level != "note"]


def test_a_project_of_a_workspace_changes_with_what_the_workspace_shares(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    files = {
        "workspace.yaml": 'workspace: lines\nprojects: ["lines/*"]\nmodules: {pair: shared/pair.yaml}\n',
        "shared/pair.yaml": "parameters: {copies: {type: integer, description: Of it}}\nresources:\n"
        '  main (fulmar.queue): {name: main-queue, wait_hours: "${copies}"}\n',
        "lines/alp/jovial.yaml": "project: alp\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n",
        "lines/alp/line.yaml": "parameters: {copies: {type: integer, description: How many}}\n"
        'resources:\n  tickets (pair): {copies: "${copies}"}\n',
        "lines/alp/parameters/live.yaml": "copies: 2\n",
    }
    for name, text in files.items():
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text(text)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.chdir(tmp_path / "lines" / "alp")
    for arguments in (["rename", "copies", "machines"], ["parameters", "set", "machines=3", "--in", "live"], ["check"]):
        assert main.run(arguments) == 0, capfd.readouterr()
    assert (tmp_path / "lines/alp/line.yaml").read_text() == (
        'parameters: {machines: {type: integer, description: How many}}\nresources:\n  tickets (pair): {copies: "${machines}"}\n'
    )
    assert (tmp_path / "lines/alp/parameters/live.yaml").read_text() == "machines: 3\n"
    assert (tmp_path / "shared/pair.yaml").read_text() == files["shared/pair.yaml"]


def test_why_nothing_is_written_shows_nothing_secret(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    """Lines of the project as it would be are shown as those of the project as it is: without secrets, undeclared values and comments."""
    files = {
        **PLAIN,
        "house.yaml": "ruleset: House\nrules:\n  few: {because: It is so., over: parameters, require: self.idle < 3, message: Many.}\n",
        "live.yaml": "copies: 2\nidle: 1  # gentian-in-a-comment\npassword: edelweiss-in-clear\n",
    }
    files["jovial.yaml"] = files["jovial.yaml"].replace("environments:", "rulesets: [house.yaml]\nenvironments:")
    for name, text in files.items():
        (tmp_path / name).write_text(text)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.chdir(tmp_path)
    for arguments in (["parameters", "drop", "idle"], ["parameters", "set", "password=edelweiss-in-clear", "--in", "live"], ["mend"]):
        main.run(arguments)
        told = "".join(capfd.readouterr())
        assert "edelweiss" not in told and "gentian" not in told, (arguments, told)


def test_a_starting_point_keeps_what_is_no_text(tmp_path: Path) -> None:
    picture = b"\x89PNG\r\n\x1a\n\x00\xff"
    folder = MemoryFolder(
        {
            "depot/gallery.yaml": b"title: A depot\ndescription: d\npicture: shed.png\n",
            "depot/shed.png": picture,
            "depot/files/plan.bin": picture,
            "depot/jovial.yaml": b"project: depot\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n",
            "depot/line.yaml": b"resources:\n  shed (fulmar.bucket): {name: a-shed, encrypted: true}\n",
        }
    )
    (entry,) = gallery.entries(folder)
    files = gallery.made(entry, "yard", ["live"])
    assert gallery.bytes_of(files["files/plan.bin"]) == picture
    assert "shed.png" not in files


KINDS = (
    ("environments.live", "summit", ""),
    ("environments.sandbox", "pit", ""),
    ("stations.code", "letters", ""),
    ("stations.zone", "place", ""),
    ("stations.height", "altitude", ""),
    ("maybe.owner", "boss", ""),
    ("maybe.rate", "pace", ""),
    ("word", "saying", "module.yaml"),
    ("count", "number", "module.yaml"),
    ("more", "extra", "module.yaml"),
    ("inner", "core", "module.yaml"),
    ("outputs.greeting", "hello", "module.yaml"),
)


@pytest.mark.parametrize(("old", "new", "inside"), KINDS, ids=[each[0] for each in KINDS])
def test_what_no_expression_of_the_template_reads_comes_back_in_the_same_bytes(old: str, new: str, inside: str) -> None:
    for seed in range(5):
        files = drivers.project(random.Random(1_000 * KINDS.index((old, new, inside)) + seed))
        change, _ = rename(drivers.loaded(files), old, new, inside)
        renamed = {name: content for name, content in {**files, **after_of(change)}.items() if content is not None}
        assert renamed != files
        section = old.rpartition(".")[0]
        back, _ = rename(drivers.loaded(renamed), f"{section}.{new}" if section else new, old.rpartition(".")[2], inside)
        assert {name: content for name, content in {**renamed, **after_of(back)}.items() if content is not None} == files


def after_of(change: Change) -> dict[str, bytes | None]:
    """What a change makes of files, by name."""
    return {each.name: each.after for each in change.files()}


def copied_demo(folder: Path, name: str) -> Path:
    """A copy of a demo, as a project of its own."""
    target = folder / name
    shutil.copytree(Path(main.__file__).parents[1] / "demo" / name, target)
    return target


@pytest.mark.parametrize(
    ("old", "new", "back"),
    [
        (["types.station"], "halt", ["types.halt"]),
        (["station"], "halt", ["halt"]),
        (["modules.queue_pair"], "pair", ["modules.pair"]),
        (["environments.live"], "summit", ["environments.summit"]),
        (["stations.code"], "letters", ["stations.letters"]),
        (["stations.gates"], "doors", ["stations.doors"]),
        (["stations.zone"], "height", ["stations.height"]),
        (["hours", "--in", "queue_pair"], "waiting", ["waiting", "--in", "shared/queue_pair.yaml"]),
        (["main", "--in", "queue_pair"], "first", ["first", "--in", "queue_pair"]),
        (["outputs.url", "--in", "queue_pair"], "address", ["outputs.address", "--in", "queue_pair"]),
        (["tickets"], "sales", ["sales"]),
        (["bucket_name"], "unique_name", ["unique_name"]),
        (["gate_image"], "picture", ["picture"]),
    ],
    ids=str,
)
def test_what_is_renamed_checks_as_before_and_the_way_back_is_the_same_bytes(
    old: list[str], new: str, back: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    folder = copied_demo(tmp_path, "ridgeline")
    monkeypatch.chdir(folder)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    before = written(folder)
    assert main.run(["rename", old[0], new, *old[1:]]) == 0, capfd.readouterr()
    renamed = written(folder)
    assert renamed != before
    assert main.run(["check"]) == 0, capfd.readouterr()
    assert main.run(["rename", back[0], old[0].rpartition(".")[2], *back[1:]]) == 0, capfd.readouterr()
    assert written(folder) == before


def test_what_a_module_calls_something_is_renamed_in_all_of_the_workspace(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    assert main.run(["demo", "--workspace"]) == 0
    railways = tmp_path / "railways"
    before = written(railways)
    for old, new, project in (("hours", "waiting", "funicular"), ("waiting", "hours", "ridgeline")):
        monkeypatch.chdir(railways / "lines" / project)
        capfd.readouterr()
        assert main.run(["rename", old, new, "--in", "queue_pair", "--dry-run"]) == 0
        shown = capfd.readouterr().out
        assert [line for line in shown.splitlines() if line.startswith("--- ")] == [
            "--- a/lines/funicular/line.yaml",
            "--- a/lines/ridgeline/line.yaml",
            "--- a/shared/queue_pair.yaml",
        ]
        assert main.run(["rename", old, new, "--in", "queue_pair"]) == 0
        monkeypatch.chdir(railways)
        assert main.run(["check"]) == 0
        assert (written(railways) == before) == (new == "hours")


def test_what_a_shared_module_writes_out_gets_a_name_for_all_of_the_workspace(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    assert main.run(["demo", "--workspace"]) == 0
    railways = tmp_path / "railways"
    before = written(railways)
    monkeypatch.chdir(railways / "lines" / "funicular")
    capfd.readouterr()
    assert main.run(["render", "live", "--format", "json"]) == 0
    shown = capfd.readouterr().out
    address = next(each for each in json.loads(shown)["resources"] if each.endswith("/failed"))
    assert main.run(["lift", f"{address}:wait_hours", "--name", "keep", "--as", "parameter"]) == 0, capfd.readouterr()
    after = written(railways)
    assert [name for name in after if after[name] != before.get(name)] == ["shared/queue_pair.yaml"]
    assert "${keep}" in after["shared/queue_pair.yaml"]
    capfd.readouterr()
    assert main.run(["render", "live", "--format", "json"]) == 0
    assert capfd.readouterr().out == shown
    monkeypatch.chdir(railways)
    assert main.run(["check"]) == 0


def test_what_shared_rules_read_is_not_renamed_for_others(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    root = tmp_path / "lines"
    rule = "{because: It is so., over: parameters, require: parameters.copies < 30, message: Too many.}"
    files = {
        "workspace.yaml": "workspace: lines\nprojects: [north, south]\nrulesets: {house: house.yaml}\n",
        "house.yaml": f"ruleset: House\nrules:\n  few: {rule}\n",
    }
    for name in ("north", "south"):
        files[f"{name}/jovial.yaml"] = f"project: {name}\ntemplate: line.yaml\nrulesets: [house]\nenvironments: {{live: {{}}}}\n"
        files[f"{name}/line.yaml"] = "parameters: {copies: {type: integer, default: 2, description: How many}}\noutputs: {n: '${copies}'}\n"
    for name, text in files.items():
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_text(text)
    monkeypatch.chdir(root / "north")
    assert main.run(["rename", "copies", "number"]) == 2
    assert "What is declared has no field `number`" in capfd.readouterr().err
    assert written(root) == files
    (root / "house.yaml").write_text(files["house.yaml"].replace("parameters.copies < 30", "parameters.?copies.orValue(1) < 30"))
    assert main.run(["rename", "outputs.n", "m"]) == 0


@pytest.mark.parametrize(
    ("folder", "arguments", "names"),
    [
        (".", [], ["lines/funicular/line.yaml", "shared/queue_pair.yaml", "workspace.yaml"]),
        (".", ["lines"], ["lines/funicular/line.yaml"]),
        (".", ["shared/queue_pair.yaml"], ["shared/queue_pair.yaml"]),
        ("lines/funicular", [], ["line.yaml"]),
        ("lines/funicular", ["../../shared/queue_pair.yaml"], ["../../shared/queue_pair.yaml"]),
        ("lines/ridgeline", [], []),
    ],
)
def test_a_workspace_is_laid_out(
    folder: str,
    arguments: list[str],
    names: list[str],
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capfd: pytest.CaptureFixture[str],
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    assert main.run(["demo", "--workspace"]) == 0
    railways = tmp_path / "railways"
    before = written(railways)
    for name in ("workspace.yaml", "shared/queue_pair.yaml", "lines/funicular/line.yaml"):
        (railways / name).write_text(f"{before[name]}\n\n")
    monkeypatch.chdir(railways / folder)
    capfd.readouterr()
    assert main.run(["tidy", "--check", *arguments]) == bool(names)
    assert capfd.readouterr().out.splitlines() == names
    assert main.run(["tidy", *arguments]) == 0
    assert main.run(["tidy", "--check", *arguments]) == 0
    monkeypatch.chdir(railways)
    assert main.run(["tidy"]) == 0
    assert written(railways) == before


@pytest.mark.parametrize(
    ("commands", "environments"),
    [
        ([["rename", "archive", "store"]], ["rehearsal", "live"]),
        ([["rename", "setting", "world"]], ["rehearsal", "live"]),
        ([["rename", "environments.live", "summit"]], ["rehearsal", "summit"]),
        (
            [["extract", "archive", "platform_net", "gates", "track_sensor", "--module", "modules/m.yaml", "--as", "moved"]],
            ["rehearsal", "live"],
        ),
        ([["extract", "archive", "--module", "modules/m.yaml", "--as", "moved"], ["inline", "moved"]], ["rehearsal", "live"]),
    ],
    ids=str,
)
def test_differences_that_are_expected_follow_a_change_of_names(
    commands: list[list[str]], environments: list[str], demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(demo)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("DESK_PASSWORD", "a password that nobody has")
    assert main.run(["compare", "rehearsal", "live", "--expect", "expected.yaml", "--accept"]) == 0
    (demo / "README.md").unlink()
    for command in commands:
        assert main.run(command) == 0
    assert main.run(["compare", *environments, "--expect", "expected.yaml"]) == 0
