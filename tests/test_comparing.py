"""Comparing as users do it: views of an environment, parity, totals, groups and formats; and the laws of comparing."""

import csv
import io
import itertools
import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import jsonpatch
import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold import Project
from jovial_scaffold.core.changes.aligning import changed_at, leaves, likeness, matched, matched_lines
from jovial_scaffold.core.changes.edges import between
from jovial_scaffold.core.changes.matrix import compare
from jovial_scaffold.core.changes.patching import patch
from jovial_scaffold.core.changes.totals import totals
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.explaining import Reason, Unexplained, is_missing
from jovial_scaffold.core.schemas.lists import Lists
from jovial_scaffold.core.views import View
from jovial_scaffold.reports.machine import target_document
from jovial_scaffold.reports.tables import Report, Table, comma_separated, markdown, page
from tests.support import CASES, Write, edit, in_memory, jovial, valid_json
from tests.support_git import commit, repository


def test_an_environment_beside_itself_is_the_same(demo: Path) -> None:
    project = Project.load(demo)
    for name in project.environments:
        result = compare([project.views([name])[0], project.views([name])[0]])
        assert result.rows == () and result.differing == 0 and result.resources > 10
    assert all(row.drivers for row in project.compare().differences)


def test_the_patch_between_environments_gives_the_other(demo: Path) -> None:
    project = Project.load(demo)
    for one, other in (("sandbox", "live"), ("live", "rehearsal")):
        before, after = (target_document(project.render(name)) for name in (one, other))
        assert jsonpatch.apply_patch(before, patch(before, after)) == after
    printed = json.loads(jovial("compare", "sandbox", "live", "--format", "patch", cwd=demo).stdout)
    assert jsonpatch.apply_patch(target_document(project.render("sandbox")), printed) == target_document(project.render("live"))
    assert jovial("compare", "--format", "patch", cwd=demo).returncode == 2


VIEWS = [
    ("live", ("live", "", ())),
    ("live?copies=4", ("live", "", (("copies", "4"),))),
    ("live@HEAD~3", ("live", "HEAD~3", ())),
    ("live@main?zone=middle&owner=a=b", ("live", "main", (("zone", "middle"), ("owner", "a=b")))),
]


@pytest.mark.parametrize(("text", "expected"), VIEWS)
def test_views(text: str, expected: tuple[Any, ...]) -> None:
    view = View.parse(text)
    assert (view.environment, view.revision, view.values) == expected and view.label == text


@pytest.mark.parametrize("text", ["live?copies", "live@", "live?=3", "nowhere", "live@@", "live?archive_days=4&x"])
def test_views_that_are_none(demo: Path, text: str) -> None:
    with pytest.raises(ProjectError):
        Project.load(demo).views([text])
    result = jovial("compare", "sandbox", text, cwd=demo)
    assert result.returncode == 2 and "Traceback" not in result.stderr


def test_other_values_and_revisions(demo: Path) -> None:
    repository(demo)
    edit(demo / "line.yaml", "timetable_copies: 4", "timetable_copies: 5")
    commit(demo, "More copies")
    edit(demo / "line.yaml", "gate_firewall", "portal_firewall")
    edit(
        demo / "line.yaml", "  portal_firewall (fulmar.firewall):\n", "  portal_firewall (fulmar.firewall):\n    $formerly: gate_firewall\n"
    )
    edit(demo / "secrets" / "desk-password.txt", "edelweiss", "gentian")
    before = sorted(path for path in demo.rglob("*") if ".git" not in path.parts)
    project = Project.load(demo)
    rows = {(row.address, row.pointer): row for row in project.compare(["live", "live?archive_days=9", "live@HEAD~1"]).rows}
    assert rows["archive", ("retention_days",)].values == {"live": 365, "live?archive_days=9": 9, "live@HEAD~1": 365}
    assert [d.parameter for d in rows["archive", ("retention_days",)].drivers] == ["archive_days"]
    copies = rows["timetable", ("copies",)]
    assert list(copies.values.values()) == [5, 5, 4] and [d.parameter for d in copies.drivers] == ["(template)"]
    assert rows["portal_firewall", ()].values == dict.fromkeys(["live", "live?archive_days=9"], "portal_firewall") | {
        "live@HEAD~1": "gate_firewall"
    }
    assert not any(address.startswith("gates/") for address, pointer in rows if pointer == ("firewalls",)), "a renamed resource is the same"
    assert ("ticket_safe", ("entries", "desk")) in rows, "the password that git keeps is that of the revision"
    assert before == sorted(path for path in demo.rglob("*") if ".git" not in path.parts)
    text = jovial("compare", "live", "live@HEAD~1", cwd=demo).stdout
    assert re.search(r"address +portal_firewall +gate_firewall", text) and "gentian" not in text


def test_secrets_that_git_does_not_keep_are_taken_from_where_they_are(demo: Path) -> None:
    (demo / ".gitignore").write_text("secrets/\n")
    repository(demo)
    result = jovial("compare", "live", "live@HEAD", cwd=demo)
    assert result.returncode == 0 and "no difference" in result.stdout, result.stdout


def test_parameter_files_without_an_environment(demo: Path) -> None:
    result = jovial("compare", "--files", "parameters/sandbox.yaml", "parameters/live.yaml", "--only", "archive:*", cwd=demo)
    assert result.returncode == 0 and re.search(r"retention_days +7 +365 +archive_days", result.stdout)
    missing = jovial("compare", "--files", "parameters/sandbox.yaml", "nowhere.yaml", cwd=demo)
    assert missing.returncode == 1 and "Traceback" not in missing.stderr
    assert jovial("compare", "--files", "parameters/live.yaml", cwd=demo).returncode == 2


def test_history_of_a_value(demo: Path) -> None:
    repository(demo)
    edit(demo / "parameters" / "live.yaml", "archive_days: 365", "archive_days: 400")
    commit(demo, "Keep more")
    edit(demo / "line.yaml", "owner: {type: string", "owner: {minLength: 1, type: string")
    commit(demo, "Something else")
    edit(demo / "parameters" / "live.yaml", "archive_days: 400", "archive_days: 500")
    lines = jovial("why", "archive:retention_days", "live", "--history", cwd=demo).stdout.splitlines()
    assert [line.split()[0] for line in lines[1:]] == ["500", "400", "365"]
    assert "not committed yet" in lines[1] and "Keep more (Ada)" in lines[2] and "The first" in lines[3]
    document = valid_json("history", jovial("why", "archive:retention_days", "live", "--history", "--format", "json", cwd=demo).stdout)
    assert [moment["value"] for moment in document["moments"]] == [500, 400, 365]
    secret = jovial("why", "desk_password", "live", "--history", cwd=demo).stdout
    assert "‹secret›" in secret and "edelweiss" not in secret


def test_history_and_expectations_follow_renames(demo: Path) -> None:
    expectations = demo / "meant.yaml"
    jovial("compare", "rehearsal", "live", "--expect", str(expectations), "--accept", cwd=demo)
    repository(demo)
    edit(demo / "line.yaml", "  archive (fulmar.bucket):", "  vault (fulmar.bucket):")
    (demo / "line.yaml").write_text(re.sub(r"\barchive\.", "vault.", (demo / "line.yaml").read_text()) + "\nrenames: {archive: vault}\n")
    edit(demo / "files" / "upload-policy.json", "archive.name", "vault.name")
    lines = jovial("why", "vault:retention_days", "live", "--history", cwd=demo).stdout.splitlines()
    assert len(lines) == 3 and lines[2].endswith("The first (Ada), as archive"), lines
    document = valid_json("history", jovial("why", "vault:retention_days", "live", "--history", "--format", "json", cwd=demo).stdout)
    assert [(each["value"], each["address"]) for each in document["moments"]] == [(365, None), (365, "archive")]
    meant = jovial("compare", "rehearsal", "live", "--expect", str(expectations), "--format", "json", cwd=demo)
    assert "archive:" in expectations.read_text() and (meant.returncode, meant.stderr) == (0, ""), meant.stderr
    assert jovial("compare", "rehearsal", "live", "--expect", str(expectations), "--accept", cwd=demo).returncode == 0
    assert "vault:" in expectations.read_text() and "archive:" not in expectations.read_text()
    edit(demo / "line.yaml", "renames: {archive: vault}", "")
    lost = jovial("why", "vault:retention_days", "live", "--history", cwd=demo).stdout
    assert "there was none" in lost


def test_history_of_what_was_not_there_follows_renames_of_items_that_others_have(write: Write) -> None:
    """In another environment, an item of that name was there all along."""
    folder = write(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n",
            "t.yaml": "parameters: {codes: {type: array, items: {type: string}, description: d}, on: {type: boolean, default: true, description: d}}\n"
            "resources:\n  q (fulmar.queue): {$per: {c: codes}, $when: on, name: queue, wait_hours: 7}\n",
            "a.yaml": "codes: [old]\n",
            "b.yaml": "codes: [new]\n",
        }
    )
    repository(folder)
    edit(folder / "a.yaml", "old", "new")
    edit(folder / "t.yaml", "resources:", "renames: {q/old: q/new}\nresources:")
    commit(folder, "Renamed")
    edit(folder / "a.yaml", "codes: [new]", "{codes: [new], on: false}")
    commit(folder, "Gone")
    document = valid_json("history", jovial("why", "q/new:wait_hours", "a", "--history", "--format", "json", cwd=folder).stdout)
    told = [(each.get("value"), each.get("note"), each["address"]) for each in document["moments"]]
    assert told == [(None, "there was none", None), (7, "", None), (7, "", "q/old")], told
    several = jovial("why", "q/new:name,wait_hours", "a", cwd=folder).stdout
    assert several.count("q/new in a is not there") == 1
    assert "q stands for several: q/new" in jovial("why", "q", "b", cwd=folder).stderr


def test_history_needs_a_repository(demo: Path) -> None:
    result = jovial("why", "archive:retention_days", "live", "--history", cwd=demo)
    assert result.returncode == 2 and "belongs to no git repository" in " ".join(result.stderr.split())


def test_changes_between_columns_of_which_a_third_renamed_something() -> None:
    template = (
        'parameters: {hours: {type: integer, description: d}}\nresources:\n  NAME (fulmar.queue): {name: queue, wait_hours: "${hours}"}\n'
    )

    def made(label: str, hours: int, name: str, more: str = "") -> Any:
        project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": {"live": {"parameters": ["v.json"]}}}
        files = {
            "jovial.yaml": json.dumps(project),
            "t.yaml": template.replace("NAME", name) + more,
            "v.json": json.dumps({"hours": hours}),
        }
        return replace(in_memory(files).views(["live"])[0], label=label)

    comparison = compare([made("one", 4, "old"), made("two", 9, "old"), made("three", 9, "new", "renames: {old: new}\n")])
    told = {
        pair: [
            (each.address, each.effect, each.formerly, [change.becomes for change in each.changes])
            for each in between(comparison, *pair).effects
        ]
        for pair in itertools.permutations(("one", "two", "three"), 2)
    }
    assert told == {
        ("one", "two"): [("old", "in_place", "", [9])],
        ("two", "one"): [("old", "in_place", "", [4])],
        ("one", "three"): [("new", "in_place", "old", [9])],
        ("three", "one"): [("old", "in_place", "new", [4])],
        ("two", "three"): [("new", "rename", "old", [])],
        ("three", "two"): [("old", "rename", "new", [])],
    }


# -- parity


def test_parity(demo: Path) -> None:
    arguments = ("compare", "rehearsal", "live", "--expect", "expected.yaml")
    assert jovial(*arguments, cwd=demo).returncode == 2, "there is no such file yet"
    assert jovial("compare", "--accept", cwd=demo).returncode == 2
    assert jovial(*arguments, "--accept", cwd=demo).returncode == 0
    written = demo / "expected.yaml"
    first = written.read_text()
    addresses = list(yaml.safe_load(first)["differences"])
    assert addresses == sorted(addresses) and "edelweiss" not in first
    assert "    retention_days: {rehearsal: 30, live: 365}\n" in first and "    $present: [live]\n" in first
    assert jovial(*arguments, cwd=demo).returncode == 0
    assert jovial(*arguments, "--accept", cwd=demo).returncode == 0 and written.read_text() == first
    edit(demo / "parameters" / "live.yaml", "archive_days: 365", "archive_days: 400")
    failed = jovial(*arguments, cwd=demo)
    assert failed.returncode == 1
    told = " ".join(failed.stdout.split())
    assert "archive:retention_days is 30 in rehearsal and 400 in live, and expected is 30 in rehearsal and 365 in live." in told
    assert failed.stdout.count("difference-unexpected") == 1
    edit(written, "retention_days: {rehearsal: 30, live: 365}", "retention_days: any")
    edit(written, "  archive:\n", '  "gates/*": any\n  archive:\n')
    assert jovial(*arguments, cwd=demo).returncode == 0
    assert jovial(*arguments, "--accept", cwd=demo).returncode == 0
    again = written.read_text()
    assert '"gates/*": any' in again and "retention_days: any" in again and "gates/kes" not in again, "what people wrote stays"
    edit(written, '  "gates/*": any\n', "")
    gates = jovial(*arguments, "--only", "archive", cwd=demo)
    assert gates.returncode == 0, "what is not compared is not missed"
    edit(demo / "parameters" / "live.yaml", "archive_days: 400", "archive_days: 30")
    assert "expectation-stale" in jovial(*arguments, "--only", "archive", cwd=demo).stdout
    assert "expectation-environments" in jovial("compare", "sandbox", "live", "--expect", "expected.yaml", cwd=demo).stdout


def test_echoes_and_aspects_may_be_meant(demo: Path) -> None:
    arguments = ("compare", "--expect", "expected.yaml")
    assert jovial(*arguments, "--accept", cwd=demo).returncode == 0
    written = demo / "expected.yaml"
    first = written.read_text()
    assert "echoes: [owner, range, setting]" in first and first.count("\n") < 100 and "tags/setting" not in first
    edit(demo / "parameters" / "live.yaml", "range: 10.20.0.0/16", "range: 10.99.0.0/16")
    more = jovial(*arguments, cwd=demo)
    assert "10.99.0.0/16" in more.stdout and "central_net:range" not in more.stdout, "where a condition decides, it is no echo"
    edit(written, "echoes: [owner, range, setting]", "echoes: [owner, range]")
    assert "difference-unexpected" in jovial(*arguments, cwd=demo).stdout
    edit(written, "echoes: [owner, range]", "echoes: [owner, range, setting, nobody]")
    assert "No text repeats `nobody` any more." in jovial(*arguments, cwd=demo).stdout
    assert "nobody" not in jovial(*arguments, "--only", "archive", cwd=demo).stdout, "what is not compared is not missed"
    edit(written, "differences:", "aspects: [capacity, cost]\ndifferences:")
    edit(demo / "parameters" / "live.yaml", "telemetry_gigabytes: 800", "telemetry_gigabytes: 900")
    judged = jovial(*arguments, cwd=demo).stdout
    assert "Nothing differs that is about cost any more." in judged and "900" not in judged.partition("difference-unexpected")[2]
    assert jovial(*arguments, "--accept", cwd=demo).returncode == 0
    again = written.read_text()
    assert "aspects: [capacity]\n" in again and "nobody" not in again and "  timetable:" not in again
    assert jovial(*arguments, cwd=demo).returncode == 0
    for old, wrong in (("[capacity]", "capacity"), ("[owner, range, setting]", "{a: 1}")):
        edit(written, old, wrong)
    assert jovial(*arguments, cwd=demo).stderr.count("expectation-shape") == 2


def test_nothing_is_accepted_while_there_are_errors(demo: Path) -> None:
    result = jovial("compare", "rehearsal", "live", "--expect", "e.yaml", "--accept", "--with", "archive_days=0", cwd=demo)
    assert result.returncode == 1 and "cannot be accepted" in result.stderr and not (demo / "e.yaml").exists()


@pytest.mark.parametrize("text", ["[]", "expectd: x", "differences: 3", "differences: {a: 3}", "environments: 3", "differences: {", ""])
def test_expectations_that_are_none(demo: Path, text: str) -> None:
    (demo / "e.yaml").write_text(text)
    for more in ((), ("--accept",)):
        result = jovial("compare", "rehearsal", "live", "--expect", "e.yaml", *more, cwd=demo)
        assert result.returncode in (1, 2) and "Traceback" not in result.stderr, text
    assert (demo / "e.yaml").read_text() == text


def test_rules_over_pairs(demo: Path) -> None:
    edit(demo / "parameters" / "rehearsal.toml", "archive_days = 30", "archive_days = 30\ntelemetry = false")
    check = jovial("check", cwd=demo)
    assert check.returncode == 1 and "rehearsed_types" in check.stdout and "rehearsed_ports" in check.stdout
    assert "rehearsed_ports" not in jovial("check", "rehearsal", cwd=demo).stdout
    compared = jovial("compare", "rehearsal", "live", cwd=demo)
    assert compared.returncode == 1 and "rehearsed_ports" in compared.stdout
    assert "rehearsed" not in jovial("compare", "sandbox", "live", cwd=demo).stdout
    document = valid_json("compare", jovial("compare", "rehearsal", "live", "--format", "json", cwd=demo).stdout)
    assert {finding["id"] for finding in document["findings"]} == {"rule-failed"}


# -- how it is shown


def test_exit_codes(demo_folder: Path) -> None:
    for arguments, code in ((["live", "live?zone=summit"], 0), (["live", "sandbox"], 3), (["live", "sandbox", "--only", "nothing"], 0)):
        assert jovial("compare", *arguments, "--exit-code", cwd=demo_folder).returncode == code
    assert jovial("compare", cwd=demo_folder).returncode == 0


def test_totals(demo: Path) -> None:
    project = Project.load(demo)
    found = {(each.type, each.property): each for each in totals(project.compare(baseline="rehearsal"))}
    pools = found["fulmar.machine_group.v2", "copies"]
    assert pools.values == {"rehearsal": 6, "sandbox": 3, "live": 21}
    assert pools.ratio("live", "rehearsal") == 21 / pools.values["rehearsal"]
    assert found["fulmar.machine.v1", ""].values == {"rehearsal": 2, "sandbox": 0, "live": 4}
    assert found["fulmar.machine.v1", ""].ratio("live", "sandbox") is None
    text = jovial("compare", "rehearsal", "live", "--totals", cwd=demo).stdout
    assert re.search(r"resources +4 +6 +×1\.5", text) and "port" not in text
    document = valid_json("compare", jovial("compare", "--totals", "--format", "json", cwd=demo).stdout)
    assert {"type": "fulmar.network.v1", "property": "", "values": {"sandbox": 1, "rehearsal": 1, "live": 1}} in document["totals"]


GROUPS = [("type", "── fulmar.queue.v1 ·"), ("module", "── queue_pair ·"), ("parameter", "── setting ·")]


@pytest.mark.parametrize(("by", "expected"), GROUPS)
def test_groups(demo_folder: Path, by: str, expected: str) -> None:
    assert expected in jovial("compare", "--by", by, cwd=demo_folder).stdout


def test_choosing_rows(demo_folder: Path) -> None:
    text = jovial(
        "compare", "--only", "gates/*", "--only", "ticket_safe:rotation*", "--ignore", "*:tags/*", "--ignore", "gates/kes", cwd=demo_folder
    ).stdout
    assert "rotation_days" in text and "gates/bri" in text and "tags/" not in text and "gates/kes" not in text and "timetable" not in text
    text = jovial("compare", "--max", "4", cwd=demo_folder).stdout
    assert "further rows: --max 0 shows all" in text and text.count("\n") < 60
    drivers = jovial("compare", "--drivers", cwd=demo_folder).stdout
    assert drivers.splitlines()[1].split()[0] == "setting" and "ticket_safe" not in drivers
    by_key = jovial("compare", "sandbox", "live", "--only", "gate_firewall:entries/readings/port", cwd=demo_folder).stdout
    by_position = jovial("compare", "sandbox", "live", "--only", "gate_firewall:entries/2/port", cwd=demo_folder).stdout
    assert by_key == by_position and "5683" in by_key


def test_formats(demo: Path) -> None:
    folded = jovial("compare", "--format", "markdown", cwd=demo).stdout
    assert (
        folded.startswith("## sandbox beside rehearsal beside live\n")
        and "<details><summary>What drives the differences (8)</summary>" in folded
    )
    rows = list(csv.reader(io.StringIO(jovial("compare", "--format", "csv", cwd=demo).stdout)))
    assert rows[0] == ["resource", "property", "sandbox", "rehearsal", "live", "driven by", "type", "aspect", "echo"]
    assert ["archive", "retention_days", "7", "30", "365", "archive_days", "fulmar.bucket.v1", "durability", ""] in rows
    assert {len(row) for row in rows} == {9} and len(rows) == 127
    assert jovial("compare", "--format", "html", "--out", "c.html", cwd=demo).returncode == 0
    assert "<title>sandbox beside rehearsal beside live</title>" in (demo / "c.html").read_text()


HOSTILE = [
    "<script>alert(1)</script>",
    "=1+1",
    "@SUM(A1)",
    "-2+3",
    "a|b",
    "`x` ``y``",
    "\x1b[31mred",
    "a\nb",
    "[x](javascript:1)",
    "‮abc",
    "**b**",
    "|",
    "``",
    "&lt;",
]


@pytest.mark.parametrize("text", HOSTILE)
def test_text_from_files_stays_text(text: str) -> None:
    from markdown_it import MarkdownIt

    report = Report(text, [text], [Table(text, [text, "b"], [[text, "x"]]), Table(text, [text, "b"], [[text, "x"]])])
    html = page(report)
    assert "<script>" not in html.split("</style>")[1] and "\x1b" not in html and "\u202e" not in html
    rendered = MarkdownIt("commonmark", {"html": True}).enable("table").render(markdown(report))
    assert "<script" not in rendered and "<a " not in rendered and "\x1b" not in rendered and "<strong>" not in rendered
    for row in csv.reader(io.StringIO(comma_separated(report))):
        assert not row[0].startswith(("=", "@", "+", "-", "\t"))


_ITEMS = st.lists(st.fixed_dictionaries({"a": st.integers(0, 2), "b": st.sampled_from(["x", "y", "long text"])}), max_size=5)


@given(st.lists(_ITEMS, min_size=1, max_size=4))
def test_every_item_is_matched_once(columns: list[list[Any]]) -> None:
    rows = matched(list(enumerate(columns)))
    for column, items in enumerate(columns):
        assert sorted(row[column] for row in rows if column in row) == list(range(len(items)))


@given(_ITEMS, st.randoms())
def test_what_is_equal_is_matched_in_any_order(items: list[Any], random: Any) -> None:
    other = items[:]
    random.shuffle(other)
    rows = matched([(0, items), (1, other)])
    assert len(rows) == len(items) and all(items[row[0]] == other[row[1]] for row in rows)


@given(st.lists(st.lists(st.sampled_from("abc"), max_size=6), min_size=1, max_size=4))
@settings(max_examples=60)
def test_lines_keep_their_order(columns: list[list[str]]) -> None:
    rows = matched_lines(list(enumerate(columns)))
    for column, lines in enumerate(columns):
        assert [row[column] for row in rows if column in row] == list(range(len(lines)))
    assert len(matched_lines([(0, columns[0]), (1, columns[0])])) == len(columns[0])


def test_likeness() -> None:
    assert likeness({"a": 1, "b": 2}, {"a": 1, "b": 2}) == 1 and likeness({"a": 1, "b": 2}, {"a": 1, "b": 3}) == 0.5
    assert likeness("gate-kes", "gate-hut") > likeness("gate-kes", "vault") and likeness(1, True) == 0 and likeness([], []) == 1


def test_the_run_is_shown_and_not_counted(write: Write) -> None:
    folder = write(
        {
            "jovial.yaml": "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: []}}\n",
            "line.yaml": 'resources: {q (fulmar.queue): {name: the-queue, tags: {rev: "${context.run.revision}"}}}\n',
        }
    )
    repository(folder)
    project = Project.load(folder, Overrides(run=lambda: {"revision": "now"}))
    result = project.compare(["live", "live@HEAD"])
    (row,) = result.rows
    assert row.differs and not row.counted and result.differing == 0 and result.differences == ()


def test_the_order_of_columns_changes_no_row(demo: Path) -> None:
    project = Project.load(demo)
    one, other = project.compare(["sandbox", "live"]), project.compare(["live", "sandbox"])
    assert one.resources == other.resources and one.differing == other.differing
    rows = {(row.address, row.pointer): (row.values, set(row.absent), row.drivers) for row in one.rows if row.kind != "document"}
    again = {(row.address, row.pointer): (row.values, set(row.absent), row.drivers) for row in other.rows if row.kind != "document"}
    assert rows.keys() == again.keys()
    for key, (values, absent, drivers) in rows.items():
        assert (values.keys(), absent) == (again[key][0].keys(), again[key][1]) and [d.parameter for d in drivers] == [
            d.parameter for d in again[key][2]
        ]


_CODES = st.lists(st.sampled_from(["kes", "bri", "hut", "pea"]), min_size=1, max_size=4, unique=True)


@given(_CODES, _CODES, st.booleans(), st.booleans())
@settings(max_examples=25)
def test_rows_say_exactly_what_differs(
    tmp_path_factory: pytest.TempPathFactory, one: list[str], other: list[str], here: bool, there: bool
) -> None:
    """Taken together, the rows turn one rendering into the other; a comparison with everything has a row for every leaf of both."""
    folder = tmp_path_factory.mktemp("rows")
    (folder / "jovial.yaml").write_text(
        "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n"
    )
    (folder / "line.yaml").write_text(
        "parameters: {codes: {type: array, items: {type: string}, description: d}, log: {type: boolean, description: d}}\n"
        "resources:\n  net (fulmar.network): {$when: log, name: net, range: 10.0.0.0/8}\n"
        '  gate (fulmar.queue): {$per: {"index, code": codes}, $key: code, name: "gate-${code}", claim_seconds: "${index + 1}"}\n'
        '  fire (fulmar.firewall): {name: fire, network: x, entries: [{$per: {c: codes}, name: "${c}", speaks: tcp, port: "${size(codes)}"}]}\n'
    )
    for name, codes, log in (("a", one, here), ("b", other, there)):
        (folder / f"{name}.yaml").write_text(yaml.safe_dump({"codes": codes, "log": log}))
    result = Project.load(folder).compare()
    assert all(row.drivers for row in result.rows) and {driver.parameter for row in result.rows for driver in row.drivers} <= {
        "codes",
        "log",
    }
    present = {row.address: set(row.values) for row in result.rows if row.kind == "presence"}
    assert present == {
        **{f"gate/{code}": {"a"} if code in one else {"b"} for code in set(one) ^ set(other)},
        **({"net": {"a" if here else "b"}} if here != there else {}),
    }
    holds = {row.address: row.values for row in result.rows if row.pointer == ("claim_seconds",)}
    assert holds == {
        f"gate/{code}": {"a": one.index(code) + 1, "b": other.index(code) + 1}
        for code in set(one) & set(other)
        if one.index(code) != other.index(code)
    }
    ports = {row.pointer[1] for row in result.rows if row.address == "fire" and row.pointer[-1] == "port"}
    assert ports == (set(one) ^ set(other)) | (set(one) & set(other) if len(one) != len(other) else set())


def test_why_names_the_parameters_that_a_value_hangs_on_and_no_others(write: Write) -> None:
    table = yaml.safe_load((CASES / "why.yaml").read_text("utf-8"))
    project = Project.load(write(table["files"]))
    assert [each for each in project.check().findings if each.level == "error"] == []
    found = {what: sorted(set(named_parameters(project.why(what, "live")))) for what in table["asked"]}
    assert found == table["asked"]


def test_why_says_what_a_resource_would_need_to_be_there(write: Write) -> None:
    table = yaml.safe_load((CASES / "why.yaml").read_text("utf-8"))
    folder = write({**table["files"], "rehearsal.yaml": table["files"]["sandbox.yaml"].replace("kes", "olt")})
    edit(folder / "jovial.yaml", "{sandbox:", "{rehearsal: {parameters: [rehearsal.yaml]}, sandbox:")
    project = Project.load(folder)
    reasons = {name: {what: project.why(what, name) for what in each} for name, each in table["absent"].items()}
    assert all(reason.value is False for each in reasons.values() for reason in each.values())
    named = {name: {what: sorted(set(named_parameters(reason))) for what, reason in each.items()} for name, each in reasons.items()}
    assert named == table["absent"]
    assert project.why("each/kes/inner", "live").value is True
    for what in table["unknown"]:
        for name in ("rehearsal", "live"):
            with pytest.raises(Unexplained):
                project.why(what, name)


@pytest.mark.parametrize(
    ("asked", "parts"),
    [
        ("many/bri", ["many/bri in live is there", "elsewhere  sandbox: not there"]),
        ("many/bri sandbox", ["many/bri in sandbox is not there", "no item has this key", "elsewhere  live: there", "$per = [{code: kes, zone: tunnel}]"]),
        ("gone/inner", ["gone/inner in sandbox is not there", "resource gone is not there\n", "$when = false", "copies > 40 && x != y", "parameter copies = 3"]),
        ("shut", ["shut in sandbox is there", "elsewhere  live: not there"]),
        ("shut live", ["shut in live is not there", "$when = false", "parameter flag = true"]),
        ("copy:versioned live", ["copy:versioned in live is true", "resource box:versioned = true", "elsewhere  sandbox: false"]),
        ("many/kess", ["many/kess", "Did you mean `many/kes`?"]),
    ],
)  # fmt: skip
def test_the_program_says_why_something_is_not_there(write: Write, asked: str, parts: list[str]) -> None:
    folder = write(yaml.safe_load((CASES / "why.yaml").read_text("utf-8"))["files"])
    ran = jovial("why", *asked.split(), cwd=folder)
    assert all(part in ran.stdout + ran.stderr for part in parts), ran.stdout + ran.stderr
    if ran.returncode == 0:
        document = valid_json("why", jovial("why", *asked.split(), "--format", "json", cwd=folder).stdout)
        assert document["explanations"][0]["reason"]["value"] is (" not " not in parts[0])


def named_parameters(reason: Reason) -> Iterator[str]:
    if reason.kind in ("parameter", "default") and "/" not in reason.name:
        yield re.split(r"[.\[]", reason.name)[0]
    for each in reason.reasons:
        yield from named_parameters(each)


@pytest.mark.parametrize(
    ("schema", "one", "other", "labels"),
    [
        ({}, ["a", "b"], ["b", "a"], [("x",)]),
        ({"anyOrder": True}, ["a", "b"], ["b", "a"], []),
        ({"anyOrder": True}, ["a", "b", "b"], ["b", "a", "a"], [("x",)]),
        ({"anyOrder": True}, [{"k": 1}, {"k": 2}], [{"k": 2}, {"k": 1}], []),
        ({"anyOrder": True}, [{"k": 1}, {"k": 2}], [{"k": 2}, {"k": 3}], [("x", 0, "k"), ("x", 2, "k")]),
        ({}, [{"k": 1}, {"k": 2}], [{"k": 2}, {"k": 1}], [("x",)]),
        ({}, [{"k": 1}, {"k": 2}], [{"k": 0}, {"k": 1}, {"k": 2}], [("x", 2, "k")]),
        ({"listKey": "k"}, [{"k": "a", "v": 1}, {"k": "b", "v": 2}], [{"k": "b", "v": 2}, {"k": "a", "v": 3}], [("x", "a", "v")]),
    ],
)
def test_order_of_lists(schema: dict[str, Any], one: list[Any], other: list[Any], labels: list[Any]) -> None:
    whole = Lists({"properties": {"x": schema}})
    assert [leaf.label for leaf in leaves({0: {"x": one}, 1: {"x": other}}, whole, 2) if leaf.differs] == labels
    assert changed_at({"x": one}, {"x": other}, whole, ("x",)) is bool(labels)


@pytest.mark.parametrize("asked", ["fire:entries/desk/port", "fire:entries/1/port"])
def test_why_goes_by_the_keys_of_items(asked: str) -> None:
    template = """parameters:
  flag: {type: boolean, description: f}
  port: {type: integer, description: p}
resources:
  net (fulmar.network): {name: yard-net, range: 10.1.0.0/16}
  fire (fulmar.firewall):
    name: yard-fire
    network: ${net.id}
    entries:
      - {$when: flag, name: early, speaks: tcp, port: 1, from: 10.1.0.0/16}
      - {name: desk, speaks: tcp, port: "${port}", from: 10.1.0.0/16}
"""
    project = in_memory(
        {
            "jovial.yaml": "project: yard\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:\n  live: {parameters: [live.yaml]}\n"
            "  sandbox: {parameters: [sandbox.yaml]}\n",
            "t.yaml": template,
            "live.yaml": "flag: true\nport: 22\n",
            "sandbox.yaml": "flag: false\nport: 23\n",
        }
    )
    reason = project.why(asked, "live")
    assert (reason.name, reason.value, dict(reason.elsewhere)) == ("fire:entries/desk/port", 22, {"sandbox": 23})
    assert [each.name for each in reason.reasons] == ["port"]
    assert project.why("fire:entries/desk/port", "sandbox").value == 23
    with pytest.raises(Unexplained):
        project.why("fire:entries/early/port", "sandbox")


def test_why_takes_the_item_with_the_same_key_of_other_environments() -> None:
    template = """parameters:
  pens: {type: array, description: p, items: {type: object, properties: {name: {type: string}, hours: {type: integer}}, required: [name, hours]}}
resources:
  pen (fulmar.queue): {$per: {p: pens}, $key: p.name, name: "${p.name}-queue", wait_hours: "${p.hours}"}
"""
    environments = {
        "live": [{"name": "yak", "hours": 1}, {"name": "emu", "hours": 2}],
        "sandbox": [{"name": "emu", "hours": 3}, {"name": "yak", "hours": 4}],
        "empty": [],
    }
    entries = "".join(f"  {name}: {{parameters: [{name}.json]}}\n" for name in environments)
    files = {f"{name}.json": json.dumps({"pens": pens}) for name, pens in environments.items()}
    project = in_memory(
        {"jovial.yaml": f"project: y\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:\n{entries}", "t.yaml": template, **files}
    )
    reason = project.why("pen/emu:wait_hours", "live")
    (item,) = reason.reasons
    (parameter,) = item.reasons
    assert parameter.name == "pens[1].hours" and parameter.value == 2
    for each in (reason, parameter):
        assert each.elsewhere["sandbox"] == 3 and is_missing(each.elsewhere["empty"])


REMARKED = """# Differences that are intended. `jovial compare a b --expect e.yaml` reports any other;
# with --accept it is written anew. As it was said before.
# agreed with the desk
expected: e
environments: [a, b]  # of the valley
differences:
  # since the summer
  q:  # the queue
    # more trains
    # in live
    wait_hours: {a: 1, b: 2}  # hours
  # gone with what it is about
  x:
    y: {a: 1, b: 2}
"""


def test_comments_stay_where_expected_differences_are_written_again(write: Write) -> None:
    folder = write(
        {
            "jovial.yaml": "project: e\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {}, b: {}}\n",
            "t.yaml": "parameters: {n: {type: integer, description: d}}\n"
            'resources:\n  q (fulmar.queue): {name: queue-main, wait_hours: "${n}"}\n  p (fulmar.queue): {name: queue-p, wait_hours: "${n}"}\n',
            "parameters/a.yaml": "n: 1\n",
            "parameters/b.yaml": "n: 3\n",
            "e.yaml": REMARKED,
        }
    )
    for _ in range(2):  # the second time, nothing changes
        assert jovial("compare", "a", "b", "--expect", "e.yaml", "--accept", cwd=folder).returncode == 0
        _, header, *lines = (folder / "e.yaml").read_text("utf-8").splitlines()
        assert "and comments are yours, and are kept." in header
        assert lines == [
            *("# agreed with the desk", "expected: e", "environments: [a, b]  # of the valley", "differences:", "  p:"),
            *("    wait_hours: {a: 1, b: 3}", "  # since the summer", "  q:  # the queue", "    # more trains", "    # in live"),
            "    wait_hours: {a: 1, b: 3}  # hours",
        ]
    assert jovial("compare", "a", "b", "--expect", "e.yaml", cwd=folder).returncode == 0
