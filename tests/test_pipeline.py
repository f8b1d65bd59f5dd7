"""What pipelines ask of a check: reports that other tools read, only what is new, and fingerprints that stay."""

import csv
import io
import json
import random
import subprocess
import xml.etree.ElementTree as ElementTree
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from markdown_it import MarkdownIt
from sarif import loader

from jovial_scaffold.cli.focusing import CHECK_REPORTS, OF_FINDINGS, ProjectFocus, report_text
from jovial_scaffold.cli.main import run
from jovial_scaffold.cli.options import PatchFormat
from jovial_scaffold.core.findings import LEVELS
from jovial_scaffold.core.fingerprints import Fingerprints
from jovial_scaffold.core.focus import Focus
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.edits import edited
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.reports.checked import Run
from jovial_scaffold.reports.sarif import sarif_document
from tests.fuzz import drivers
from tests.fuzz.projects import base_files, spoilt
from tests.fuzz.secrets import SECRET
from tests.fuzz.styles import mistyped, restyled
from tests.support import Write, edit, in_memory, jovial, load_cases, valid_json
from tests.support_git import commit, repository
from tests.support_sarif import sarif_schema

_OURS = ("<details><summary>", "</details>")


@pytest.fixture(scope="module")
def sarif() -> Any:
    return jsonschema.Draft7Validator(sarif_schema())


def runs_of(project: Project) -> list[Run]:
    return ProjectFocus([(project, project.check())], Focus(), numbered=True).runs()


def generated(seed: int) -> Project | None:
    """A project with mistakes of many kinds; None where it cannot be used at all."""
    chance = random.Random(seed)
    files = drivers.project(chance) if seed % 2 else base_files(demo=False)
    files = spoilt(chance, files) if seed % 2 == 0 else mistyped(chance, restyled(chance, files))
    try:
        return drivers.loaded(files)
    except ProjectError:
        return None


@pytest.mark.parametrize("seed", range(60))
def test_every_report_of_any_project_can_be_read(seed: int, sarif: Any, tmp_path: Path) -> None:
    project = generated(seed)
    if project is None:
        return
    runs = runs_of(project)
    findings = [each for run in runs for each in run.findings]
    texts = {format: report_text(format, runs, dict) for format in CHECK_REPORTS if format != "json"}
    assert all(SECRET not in text for text in texts.values())
    document = json.loads(texts["sarif"])
    assert [error.message for error in sarif.iter_errors(document)] == []
    path = tmp_path / "out.sarif"
    path.write_text(texts["sarif"], "utf-8")
    read = loader.load_sarif_file(str(path))
    levels = [each["level"] for each in read.get_results()]
    assert sorted(levels) == sorted([*(each.level for each in findings), *(each.finding.level for run in runs for each in run.waived)])
    suites = ElementTree.fromstring(texts["junit"])
    failures = {(case.get("name"), case.get("classname")) for case in suites.iter("testcase") if case.find("failure") is not None}
    assert bool(failures) == any(each.level == "error" for each in findings)
    assert int(suites.get("failures", "-1")) == len(list(suites.iter("failure")))
    rows = [*csv.reader(io.StringIO(texts["csv"]))]
    assert len(rows) == len(findings) + 1 and {len(row) for row in rows} == {len(rows[0])}
    assert len(texts["lines"].splitlines()) == len(findings)
    tokens = [
        part for token in MarkdownIt("commonmark").enable("table").parse(texts["markdown"]) for part in (token, *(token.children or ()))
    ]
    raw = [token.content for token in tokens if token.type in ("html_block", "html_inline")]
    assert all(each.startswith(_OURS) and each.count("<") <= 4 for each in raw), raw
    assert len(texts["markdown"]) <= 60_000


HOSTILE = """parameters: {<img src=x>: {type: string}, "a|b`c": {type: string, description: "<script>"}}
let: {"[x](javascript:1)": 1}
resources:
  r (<b>): {"=1+1": "${nobody}", "]]>": 1}
"""


def test_no_text_of_users_becomes_markup(sarif: Any) -> None:
    files = {"jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n", "line.yaml": HOSTILE}
    runs = runs_of(in_memory(files))
    texts = {format: report_text(format, runs, dict) for format in CHECK_REPORTS if format != "json"}
    assert "<img" in texts["lines"] and len(runs[0].findings) > 4
    tokens = MarkdownIt("commonmark").enable("table").parse(texts["markdown"])
    raw = [part.content for token in tokens for part in (token, *(token.children or ())) if part.type.startswith("html_")]
    assert all(each.startswith(_OURS) for each in raw), raw
    assert "<img" not in texts["html"] and "<script>" not in texts["html"]
    ElementTree.fromstring(texts["junit"])
    assert all(not cell.startswith(("=", "+", "@")) for row in csv.reader(io.StringIO(texts["csv"])) for cell in row)
    assert [error.message for error in sarif.iter_errors(sarif_document(runs))] == []


def moved(chance: random.Random, files: dict[str, bytes]) -> dict[str, bytes]:
    """Files with edits that touch nothing that was said or meant: lines, comments, further entries with mistakes of their own."""
    found = dict(files)
    for name in chance.sample(sorted(each for each in files if each.endswith(".yaml")), 1):
        source, _ = read_source(files[name], name)
        if source is None or source.broken or not isinstance(source.value, dict) or source.text.lstrip()[:1] in ("{", ""):
            continue
        script = Script(source)
        kind = chance.choice(("comment", "lines", "entry"))
        if kind == "entry" and name == "line.yaml" and isinstance(source.value.get("let"), dict) and source.value["let"]:
            script.insert(("let",), "not_used_by_anybody", 1, after=chance.choice(list(source.value["let"])))
            found[name] = edited(source.text, script.edits).encode()
        else:
            mark, rest = ("\ufeff", source.text[1:]) if source.text.startswith("\ufeff") else ("", source.text)
            added = "# Somebody says something.\n" if kind == "comment" else "\n\n\n"
            found[name] = f"{mark}{added}{rest}".encode()
    return found


@settings(max_examples=200, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_fingerprints_stay_while_their_cause_does(seed: int) -> None:
    chance = random.Random(seed)
    files = mistyped(chance, restyled(chance, drivers.project(chance)))
    after = moved(chance, files)
    try:
        project, then = drivers.loaded(files), drivers.loaded(after)
    except ProjectError:
        return
    found, later = project.check().findings, then.check().findings
    was, becomes = Fingerprints(project.source).of(found), Fingerprints(then.source).of(later)
    assert len(set(was)) == len(was)
    added = {each.id for each in later} - {each.id for each in found}
    assert set(was) <= set(becomes), [each for each, key in zip(found, was, strict=True) if key not in becomes]
    assert added <= {"value-unused"}


def test_what_is_the_same_in_other_environments_and_values_has_one_fingerprint() -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: line.yaml\nenvironments: {live: {parameters: [l.yaml]}}\n",
        "line.yaml": "parameters: {n: {type: integer, maximum: 9, description: N}, m: {type: integer, maximum: 9, description: M}}\noutputs: {n: '${n + m}'}\n",
        "l.yaml": "n: 90\nm: 91\n",
    }
    project = in_memory(files)
    first, second = Fingerprints(project.source).of(project.check().findings)
    assert first != second
    files["jovial.yaml"] = files["jovial.yaml"].replace("{live:", "{rehearsal: {parameters: [l.yaml]}, live:")
    files["l.yaml"] = "m: 95\n\nn: 99\n"
    again = in_memory(files)
    assert Fingerprints(again.source).of(again.check().findings) == [second, first]


def test_a_fingerprint_holds_nothing_secret() -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: line.yaml\nenvironments: {live: {parameters: [l.yaml]}}\n",
        "line.yaml": "parameters: {keys: {type: array, writeOnly: true, items: {type: string, minLength: 9}, description: K}}\noutputs: {n: '${size(keys)}'}\n",
    }
    told = []
    for value in ("abc", "xyz"):
        project = in_memory({**files, "l.yaml": f"keys: [long enough it is, {value}]\n"})
        told.append(Fingerprints(project.source).of(project.check().findings))
    assert told[0] == told[1]


@pytest.mark.parametrize("case", load_cases("focus.yaml"))
def test_what_is_heard_of(case: dict[str, Any], write: Write) -> None:
    folder = write(case.get("files", {}) | FLAWED)
    done = jovial("check", *case["options"], cwd=folder)
    assert done.returncode == case["code"], done.stdout + done.stderr
    for text in case.get("says", ()):
        assert text in done.stdout + done.stderr
    for text in case.get("not", ()):
        assert text not in done.stdout + done.stderr


FLAWED = {
    "jovial.yaml": "project: halt\ntemplate: line.yaml\ncatalogs: [fulmar]\nrulesets: [house.yaml]\nenvironments: {live: {parameters: [l.yaml]}}\n",
    "house.yaml": "ruleset: House\nrules:\n  short:\n    because: Names begin alike.\n    applies: [fulmar.queue]\n    require: self.name.startsWith('x-')\n    message: The name has no x.\n    level: warning\n    tags: [names]\n",
    "line.yaml": 'parameters: {n: {type: integer, maximum: 9, description: N}}\nlet: {odd: 1}\nresources:\n  q (fulmar.queue): {name: queue-main}\noutputs: {n: "${n}"}\n',
    "l.yaml": "n: 90\n",
}


def test_what_is_known_is_counted(write: Write) -> None:
    folder = write(FLAWED)
    saved = jovial("check", "--format", "json", cwd=folder).stdout
    assert valid_json("check", saved)["summary"]["errors"] == 1
    (folder / "known.json").write_text(saved)
    edit(folder / "line.yaml", "let: {odd: 1}", "# moved\n\nlet: {odd: 1, even: 2}")
    done = jovial("check", "--known", "known.json", "--strict", cwd=folder)
    assert done.returncode == 1 and "even" in done.stdout and "odd" not in done.stdout.partition("even")[0]
    assert "1 error, 3 known." in done.stdout
    report = json.loads(jovial("check", "--known", "known.json", "--format", "json", cwd=folder).stdout)
    assert [each["id"] for each in report["findings"]] == ["value-unused"] and report["summary"]["known"] == 3
    for text in ("[]", "{}", "{", '{"format": "jovial-check/2"}', "\x00"):
        (folder / "broken.json").write_text(text)
        assert jovial("check", "--known", "broken.json", cwd=folder).returncode == 2
    assert jovial("check", "--known", "missing.json", cwd=folder).returncode == 2


def test_what_was_there_before_is_counted(write: Write) -> None:
    folder = write(FLAWED)
    repository(folder)
    assert "nothing new, 3 known." in jovial("check", "--since", "HEAD", cwd=folder).stdout
    edit(folder / "jovial.yaml", "{live: ", "{rehearsal: {parameters: [r.yaml]}, live: ")
    (folder / "r.yaml").write_text("n: none\n")
    done = jovial("check", "--since", "HEAD", cwd=folder)
    assert done.returncode == 1 and "parameter-type" in done.stdout and "1 error, 3 known." in done.stdout, done.stdout
    assert jovial("check", "rehearsal", "--since", "HEAD", cwd=folder).returncode == 1
    assert jovial("check", "--since", "nowhere", cwd=folder).returncode == 2


def test_reports_beside_the_text(write: Write) -> None:
    folder = write(FLAWED)
    wanted = [option for format in CHECK_REPORTS for option in ("--report", f"{format}=out/{format}.txt")]
    (folder / "out").mkdir()
    done = jovial("check", *wanted, cwd=folder)
    assert done.returncode == 1 and "parameter-range" in done.stdout and done.stderr.count("Written: ") == len(CHECK_REPORTS)
    first = {path.name: path.read_bytes() for path in (folder / "out").iterdir()}
    assert len(first) == len(CHECK_REPORTS)
    again = jovial("check", "-q", *wanted, cwd=folder)
    assert first == {path.name: path.read_bytes() for path in (folder / "out").iterdir()}
    assert not again.stderr and "judged" not in again.stdout
    assert jovial("check", "--report", "sarif=-", cwd=folder).stdout.encode() == first["sarif.txt"]
    valid_json("check", first["json.txt"].decode())
    assert jovial("check", "--report", "sarif=gone/out.sarif", cwd=folder).returncode == 2
    below = folder / "below"
    below.mkdir()
    uris = json.loads(jovial("check", "--report", "sarif=-", cwd=below).stdout)["runs"][0]["results"]
    assert uris[0]["locations"][0]["physicalLocation"]["artifactLocation"]["uri"].startswith("../")


def test_waiving_from_the_command_line(write: Write) -> None:
    folder = write(FLAWED)
    assert jovial("waive", "House/short", cwd=folder).returncode == 2  # why?
    assert jovial("waive", "House/short", "--ask", cwd=folder, stdin=subprocess.DEVNULL).returncode == 2
    assert jovial("waive", "House/shrot", "--because", "Ours.", cwd=folder).returncode == 2
    shown = jovial("waive", "House/short", "--because", "Ours.", "--dry-run", cwd=folder)
    assert "+waivers: waivers.yaml" in shown.stdout and not (folder / "waivers.yaml").exists()
    done = jovial("waive", "House/short", "value-*", "--because", "Ours.", "--until", "2999-01-31", cwd=folder)
    assert done.returncode == 0 and "waived at line.yaml:let/odd until 2999-01-31" in done.stdout
    checked = jovial("check", "--strict", "--waived", "--report", "sarif=out.sarif", "--report", "junit=out.xml", cwd=folder)
    assert ": 1 error, 2 waived." in checked.stdout and checked.stdout.count("waived until 2999-01-31") == 2
    results = json.loads((folder / "out.sarif").read_text())["runs"][0]["results"]
    assert [each["suppressions"][0]["justification"] for each in results if "suppressions" in each] == ["Ours.", "Ours."]
    assert (folder / "out.xml").read_text().count("<skipped") == 2


def test_reports_of_what_differs_and_what_would_happen(demo: Path, sarif: Any) -> None:
    formats = [*(each.value for each in PatchFormat), *OF_FINDINGS]
    for command in (["compare", "rehearsal", "live"], ["effects", "live"]):
        wanted = [option for format in formats for option in ("--report", f"{format}={command[0]}.{format}")]
        done = jovial(*command, *wanted, cwd=demo)
        assert done.returncode in (0, 1) and done.stderr.count("Written: ") == len(formats), done.stderr
        for format in (each.value for each in PatchFormat):
            written = (demo / f"{command[0]}.{format}").read_text()
            alone = jovial(*command, "--format", format, "--out", "alone.txt", cwd=demo)
            assert alone.returncode == done.returncode and (demo / "alone.txt").read_text() == written, (command, format)
        assert [*sarif.iter_errors(json.loads((demo / f"{command[0]}.sarif").read_text()))] == []
        ElementTree.parse(demo / f"{command[0]}.junit")
    assert jovial("compare", "--report", "pdf=x", cwd=demo).returncode == 2


def test_reports_of_what_a_change_touches(demo: Path, sarif: Any) -> None:
    repository(demo)
    edit(demo / "parameters" / "live.yaml", "archive_days: 365", "archive_days: 9000")
    wanted = [option for format in ("json", "markdown", *OF_FINDINGS) for option in ("--report", f"{format}=out.{format}")]
    assert jovial("ripple", *wanted, cwd=demo).returncode == 1
    document = json.loads((demo / "out.sarif").read_text())
    assert [*sarif.iter_errors(document)] == []
    (result,) = document["runs"][0]["results"]
    assert result["ruleId"] == "parameter-range" and (demo / "out.lines").read_text().startswith("parameters/live.yaml:")
    valid_json("ripple", (demo / "out.json").read_text())


@pytest.mark.parametrize(
    "arguments",
    [
        ("check", "--level", "bad"),
        ("check", "nowhere"),
        ("nope",),
        ("findings", "nope"),
        ("rules", "show", "nope"),
        ("rename", "nothing", "new"),
        ("rename", "n"),
        ("effects", "live"),
        ("catalog", "show", "nope"),
        ("parameters", "set", "n=x", "--in", "live"),
        ("waive", "nope", "--because", "x"),
        ("render", "live"),
        ("compare", "live", "live"),
        ("why", "nothing"),
    ],
)
def test_errors_are_json_where_json_is_asked_for(arguments: tuple[str, ...], write: Write) -> None:
    folder = write(FLAWED)
    done = jovial(*arguments, "--format", "json", cwd=folder)
    document = valid_json("error", done.stdout)
    assert document["exit"] == done.returncode in (1, 2) and document["message"] and done.stderr
    assert jovial(*arguments, cwd=folder).returncode == done.returncode


def test_help_of_a_command(tmp_path: Path) -> None:
    assert jovial("help", "check", cwd=tmp_path).stdout == jovial("check", "--help", cwd=tmp_path).stdout
    assert jovial("help", cwd=tmp_path).stdout == jovial("--help", cwd=tmp_path).stdout
    assert jovial("help", "rules", "show", cwd=tmp_path).returncode == 0
    assert jovial("help", "nope", cwd=tmp_path).returncode == 2


def test_a_workspace_is_one_run_whose_shared_mistake_is_one_finding(tmp_path: Path, sarif: Any) -> None:
    assert jovial("demo", "--workspace", cwd=tmp_path).returncode == 0
    root = tmp_path / "railways"
    secret = {"DESK_PASSWORD": "tuesday-tuesday-tuesday"}
    repository(root)
    edit(root / "shared" / "queue_pair.yaml", "name: ${label}\n", "naem: ${label}\n")
    wanted = [option for format in CHECK_REPORTS for option in ("--report", f"{format}=out.{format}")]
    done = jovial("check", "-q", *wanted, cwd=root, env=secret)
    assert done.returncode == 1 and "property-unknown" in done.stdout and "projects" not in done.stdout
    valid_json("workspace-check", (root / "out.json").read_text())
    document = json.loads((root / "out.sarif").read_text())
    assert [*sarif.iter_errors(document)] == []
    (run,) = document["runs"]
    assert [each["locations"][0]["physicalLocation"]["artifactLocation"]["uri"] for each in run["results"]] == ["shared/queue_pair.yaml"]
    assert (root / "out.lines").read_text().count("\n") == 1
    (change,) = run["results"][0]["fixes"][0]["artifactChanges"]
    text, (edit_,) = (root / "shared" / "queue_pair.yaml").read_text(), change["replacements"]
    start, length = edit_["deletedRegion"]["charOffset"], edit_["deletedRegion"]["charLength"]
    assert change["artifactLocation"]["uri"] == "shared/queue_pair.yaml" and text[start : start + length] == "naem"
    assert "nothing new, 1 known." in jovial("check", "--known", "out.json", cwd=root, env=secret).stdout
    assert jovial("check", "--since", "HEAD", cwd=root, env=secret).returncode == 1
    repository(root)
    assert jovial("check", "--since", "HEAD", cwd=root, env=secret).returncode == 0
    alone = json.loads(jovial("check", "--report", "sarif=-", cwd=root / "lines" / "funicular", env=secret).stdout)
    assert alone["runs"][0]["results"][0]["locations"][0]["physicalLocation"]["artifactLocation"]["uri"] == "../../shared/queue_pair.yaml"


def test_a_report_on_standard_output_takes_the_place_of_the_text(demo: Path) -> None:
    for command in (["compare", "rehearsal", "live"], ["effects", "live"]):
        alone = jovial(*command, "--format", "csv", cwd=demo).stdout
        assert alone and jovial(*command, "--report", "csv=-", cwd=demo).stdout == alone


def test_reports_that_there_are_not_are_refused(demo: Path) -> None:
    done = jovial("effects", "live", "--each", "gates", "--report", "csv=x.csv", cwd=demo)
    assert done.returncode == 2 and "has no reports" in done.stderr and not (demo / "x.csv").exists()


def test_what_keeps_effects_from_being_said_is_reported(demo: Path) -> None:
    edit(demo / "parameters" / "live.yaml", "archive_days: 365", "archive_days: 9000")
    done = jovial("effects", "live", "--format", "json", "--report", "lines=out.lines", cwd=demo)
    document = valid_json("error", done.stdout)
    assert done.returncode == document["exit"] == 1 and [each["id"] for each in document["findings"]] == ["parameter-range"]
    assert (demo / "out.lines").read_text().startswith("parameters/live.yaml:")


@settings(max_examples=40, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_what_is_heard_of_and_what_is_known_are_all_there_is(seed: int) -> None:
    chance = random.Random(seed)
    project = generated(chance.randint(0, 10**6))
    if project is None:
        return
    result = project.check()
    keys = Fingerprints(project.source).of(result.findings)
    known = frozenset(key for key in keys if chance.random() < 0.5)
    strict, level = chance.random() < 0.5, chance.choice(LEVELS)
    chosen = chance.sample(sorted({each.id for each in result.findings}), min(2, len({each.id for each in result.findings})))
    heard = ProjectFocus([(project, result)], Focus(tuple(chosen), level, strict, known), numbered=True)
    expected, counted = [], 0
    for finding, key in zip(result.findings, keys, strict=True):  # in words of its own
        as_told = "error" if strict and finding.level == "warning" else finding.level
        if (not chosen or finding.id in chosen) and ["error", "warning", "note"].index(as_told) <= ["error", "warning", "note"].index(
            level
        ):
            counted += key in known
            expected += [(key, as_told)] if key not in known else []
    (found,) = (each for _, each in heard.results)
    assert [*zip(heard.fingerprints[0], (each.level for each in found.findings), strict=True)] == expected
    assert found.known == counted


@pytest.mark.parametrize("number", range(6))
def test_what_has_come_since_a_revision_is_what_its_check_does_not_know(number: int, tmp_path: Path, capsys: Any, monkeypatch: Any) -> None:
    chance = random.Random(number)
    folder = tmp_path / "project"
    folder.mkdir()
    monkeypatch.chdir(folder)

    def written(files: dict[str, bytes]) -> None:
        for name, content in files.items():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_bytes(content)

    def found(*arguments: str) -> list[str]:
        run(["check", *arguments, "--format", "json"])
        document = json.loads(capsys.readouterr().out)
        return sorted(each["fingerprint"] for each in document.get("findings", ()) if "fingerprint" in each)

    base = base_files()
    written(base if number % 2 else spoilt(chance, base))
    repository(folder)
    before = set(found())
    changed = spoilt(chance, base)
    written({name: content for name, content in changed.items() if name != "jovial.yaml"})
    now = found()
    assert found("--since", "HEAD") == [each for each in now if each not in before]
    commit(folder, "The second")
    assert found("--since", "HEAD") == [] and found("--since", "HEAD~1") == [each for each in now if each not in before]
