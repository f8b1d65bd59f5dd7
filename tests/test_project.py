"""The Python interface on the demo: renderings, comparisons, layers, and the laws that hold for them."""

import gc
import json
import re
import shutil
import tempfile
import weakref
from pathlib import Path
from typing import Any

import pytest
import yaml
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jovial_scaffold import Project
from jovial_scaffold.catalogs.prepare import prepared_text
from jovial_scaffold.core.changes.matrix import same
from jovial_scaffold.core.expressions.library.own import patched
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.graph.ordering import rounds
from jovial_scaffold.core.parameters.layers import Layer, merged_values, setting_of
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.schemas.catalog import SHIPPED
from jovial_scaffold.core.text.source import part
from jovial_scaffold.reports.machine import compare_document, render_document, yaml_text
from jovial_scaffold.reports.words import said
from tests.support import Write

STATIONS = ("kes", "bri", "fal", "hut", "pea")


def document(folder: Path, environment: str = "live", **more: Any) -> dict[str, Any]:
    project = Project.load(folder, Overrides(**more))
    rendering = project.render(environment)
    assert [f for f in rendering.findings if f.level == "error"] == []
    return render_document(project.name, rendering)


def test_demo_is_clean_and_as_large_as_it_says(demo_folder: Path) -> None:
    result = Project.load(demo_folder).check()
    assert result.findings == () and result.environments == ("sandbox", "rehearsal", "live")
    live = document(demo_folder)
    assert len(live["resources"]) >= 20
    assert live["outputs"]["gate_groups"] == {code: f"alp-live-gates-{code}" for code in STATIONS}


def test_loops_conditions_and_defaults(demo_folder: Path) -> None:
    sandbox = document(demo_folder, "sandbox")["resources"]
    assert {a for a in sandbox if a.startswith("gates/")} == {"gates/kes", "gates/bri"}
    assert "readings" not in sandbox and len(sandbox["gate_firewall"]["properties"]["entries"]) == 2
    live = document(demo_folder)["resources"]
    assert live["platform_net/fal"]["properties"]["range"] == "10.20.3.0/24"
    assert [live[f"gates/{code}"]["properties"]["copies"] for code in ("kes", "fal")] == [6, 2]
    assert live["central_net"]["properties"]["zone"] == "summit" and sandbox["central_net"]["properties"]["zone"] == "valley"


def test_pending_secret_and_order(demo_folder: Path) -> None:
    project = Project.load(demo_folder)
    rendering = project.render("live")
    subnet = rendering.resources["central_net"]
    assert same(subnet.properties["network"], Pending(["track_net:id"])) and subnet.after == ("track_net",)
    assert rendering.resources["track_sensor/hut"].after == ("gate_firewall", "platform_net/hut")
    assert isinstance(rendering.resources["timetable_store"].properties["operator_password"], Secret)
    assert "timetable_store" in rendering.resources["timetable"].after
    position = {address: index for index, address in enumerate(rendering.resources)}
    assert all(position[first] < position[address] for address, each in rendering.resources.items() for first in each.after)
    assert "edelweiss" not in json.dumps(to_json(rendering.resources["ticket_safe"].properties))


def test_comparison_names_what_drives_each_difference(demo_folder: Path) -> None:
    project = Project.load(demo_folder)
    rows = {(row["address"], row["pointer"]): row for row in compare_document(project.compare())["rows"]}
    copies = rows["gates/kes", "copies"]
    assert copies["values"] == {"sandbox": 1, "rehearsal": 2, "live": 6}
    assert {d["parameter"]: d["sources"].get("live") for d in copies["drivers"]}["stations"] == "parameters/live.yaml:4"
    assert [d["parameter"] for d in rows["archive", "retention_days"]["drivers"]] == ["archive_days"]
    assert [d["parameter"] for d in rows["gates/kes", "tags/owner"]["drivers"]] == ["owner"]
    assert [d["parameter"] for d in rows["gate_firewall", "entries/2/name"]["drivers"]] == ["telemetry"]
    assert rows["gates/pea", ""]["absent"] == ["sandbox", "rehearsal"] and rows["gates/pea", ""]["values"] == {"live": True}
    assert all(row["drivers"] for row in rows.values())


def test_an_environment_compared_with_itself_does_not_differ(demo_folder: Path) -> None:
    comparison = Project.load(demo_folder).compare(["live"])
    assert comparison.rows == () and comparison.differing == 0 and comparison.same == comparison.resources
    everything = Project.load(demo_folder).compare(["live", "sandbox"], baseline="sandbox", everything=True)
    assert everything.environments == ("sandbox", "live") and not all(row.differs for row in everything.rows)


def test_secrets_compare_without_being_shown(demo: Path) -> None:
    (demo / "secrets/other.txt").write_text("glacier-behind-the-moraine")
    live = demo / "parameters/live.yaml"
    live.write_text(live.read_text().replace("desk-password.txt", "other.txt"))
    comparison = Project.load(demo).compare(only="ticket_safe:entries/*")
    assert [row.values["live"].value for row in comparison.rows] == ["glacier-behind-the-moraine"]
    assert compare_document(comparison)["rows"][0]["values"] == {key: {"$secret": True} for key in ("sandbox", "rehearsal", "live")}


def test_later_layers_win_and_texts_are_read_by_type(demo: Path, tmp_path: Path) -> None:
    extra = tmp_path / "extra.env"
    extra.write_text("ARCHIVE_DAYS=40\nowner='night shift'\n")
    process = {"JOVIAL_PARAMETER_ARCHIVE_DAYS": "30", "JOVIAL_PARAMETER_TELEMETRY": "false", "JOVIAL_PARAMETER_GATES_FOR_EACH_STATION": "3"}
    live = document(demo, process=process, files=(extra,), values=(("archive_days", "50"),))["resources"]
    assert live["archive"]["properties"]["retention_days"] == 50
    assert live["archive"]["properties"]["tags"]["owner"] == "night shift"
    assert "readings" not in live and live["gates/fal"]["properties"]["copies"] == 3
    stations = json.dumps([{"code": code, "number": ord(code[2]), "name": "Ab", "zone": "middle"} for code in ("abc", "abd", "abe")])
    assert "gates/abe" in document(demo, values=(("stations", stations),))["resources"]


def test_context_run_is_asked_for_only_where_it_is_read(demo: Path) -> None:
    asked = []

    def run() -> dict[str, str]:
        asked.append(1)
        return {"date": "2026-11-23"}

    document(demo, run=run)
    assert asked == []
    template = demo / "line.yaml"
    template.write_text(template.read_text().replace("made_by: jovial-scaffold", 'made_on: "${context.run.date}"'))
    assert document(demo, run=run)["resources"]["archive"]["properties"]["tags"]["made_on"] == "2026-11-23" and asked == [1]


def test_the_order_of_sections_and_keys_does_not_matter(demo: Path) -> None:
    before = document(demo)
    for name in ("line.yaml", "parameters/live.yaml", "jovial.yaml"):
        path = demo / name
        path.write_text(yaml.safe_dump(reordered(yaml.safe_load(path.read_text())), sort_keys=False))
    assert document(demo) == before


def reordered(value: Any) -> Any:
    if isinstance(value, dict):
        # The arguments of a function are given by position: only their order has a meaning.
        return {key: value[key] if key == "takes" else reordered(value[key]) for key in reversed(value)}
    return [reordered(item) for item in value] if isinstance(value, list) else value


def test_a_template_in_json_renders_as_in_yaml(demo: Path) -> None:
    before = document(demo)
    (demo / "line.json").write_text(json.dumps(yaml.safe_load((demo / "line.yaml").read_text())))
    project = demo / "jovial.yaml"
    project.write_text(project.read_text().replace("line.yaml", "line.json"))
    assert document(demo) == before


@pytest.mark.parametrize("code", STATIONS)
def test_removing_a_station_changes_that_station_only(demo: Path, code: str) -> None:
    before = document(demo)
    path = demo / "parameters/live.yaml"
    path.write_text("".join(line for line in path.read_text().splitlines(keepends=True) if f"code: {code}" not in line))
    after = document(demo)
    own = {f"gates/{code}", f"platform_net/{code}", f"track_sensor/{code}"}
    assert own >= before["resources"].keys() - after["resources"].keys() >= own - {"track_sensor/kes"}
    assert after["resources"] == {address: each for address, each in before["resources"].items() if address not in own}
    del before["outputs"]["gate_groups"][code]
    assert after["outputs"] == before["outputs"] and after["documents"] == before["documents"]


@pytest.mark.parametrize(
    ("project", "says"),
    [
        ("", "it is empty"),
        ("[1]", "a list"),
        ("project: x", "template"),
        ("project: x\ntemplate: a\n", "environments"),
        ("project: 3\n", "project's name"),
    ],
)
def test_a_project_that_cannot_be_used_says_why(write: Write, project: str, says: str) -> None:
    with pytest.raises(ProjectError) as raised:
        Project.load(write({"jovial.yaml": project}))
    assert says in said(raised.value.findings[-1].message) and raised.value.findings[-1].span


def test_unknown_environments_and_files_outside(demo: Path) -> None:
    with pytest.raises(ProjectError) as raised:
        Project.load(demo).check(["lvie"])
    assert "live" in said(raised.value.findings[0].hint)
    (demo / "parameters/live.yaml").unlink()
    (demo / "parameters/live.yaml").symlink_to("/etc/hostname")
    assert {
        finding.id for finding in Project.load(demo).check(["live"]).findings if finding.span and finding.span.file == "jovial.yaml"
    } == {"path-outside"}


def test_catalog_findings(demo: Path) -> None:
    folder = demo / "catalog"
    folder.mkdir()
    (folder / "hut.v1.yaml").write_text("$id: hut.bell.v1\ntype: object\nproperties: {tone: {type: strin}}\n")
    (folder / "hut.v2.yaml").write_text("$id: hut.bell.v2\ntype: object\nproperties: {tone: {type: string, changeEffect: slow}}\n")
    (folder / "other.yaml").write_text("type: object\n")
    project = demo / "jovial.yaml"
    project.write_text(project.read_text().replace("[fulmar]", "[fulmar, catalog/]"))
    found = [(f.span.file, f.span.line, f.id) for f in Project.load(demo).check().findings if f.span]
    assert found == [
        ("catalog/hut.v1.yaml", 3, "catalog-schema"),
        ("catalog/hut.v2.yaml", 3, "catalog-schema"),
        ("catalog/other.yaml", 1, "catalog-schema"),
    ]


def test_the_shipped_catalog_is_prepared_from_its_sources() -> None:
    assert (SHIPPED / "fulmar.json").read_text("utf-8") == prepared_text("fulmar")


maps = st.recursive(st.none() | st.integers(0, 3), lambda inner: st.dictionaries(st.sampled_from("abc"), inner, max_size=3), max_leaves=8)
layers = st.lists(st.dictionaries(st.sampled_from("abc"), maps, max_size=3), min_size=1, max_size=4)


@given(layers)
def test_every_merged_leaf_was_set_by_the_layer_that_is_named(values: list[dict[str, Any]]) -> None:
    stack = [Layer(str(index), each) for index, each in enumerate(values)]

    def walk(value: Any, pointer: tuple[str, ...]) -> None:
        if isinstance(value, dict) and value:
            for key, item in value.items():
                walk(item, (*pointer, key))
        elif pointer:
            setting = setting_of(stack, pointer)
            assert setting is not None
            found: Any = setting.layer.values
            for step in setting.pointer:
                found = part(found, step)
            assert found == value or value == {}

    walk(merged_values(stack), ())


@given(maps, maps, maps)
def test_patching_is_idempotent_and_null_removes(base: Any, one: Any, other: Any) -> None:
    assert patched(patched(base, one), one) == patched(base, one)
    if isinstance(one, dict) and isinstance(base, dict):
        assert not {key for key, value in one.items() if value is None} & set(patched(base, one))


@given(st.dictionaries(st.integers(0, 8), st.sets(st.integers(0, 8), max_size=3), max_size=9))
def test_rounds_respect_every_dependency(edges: dict[int, set[int]]) -> None:
    after = {str(node): {str(target) for target in targets} for node, targets in edges.items()}
    ordered, stuck = rounds(after)
    number = {address: index for index, group in enumerate(ordered) for address in group}
    assert set(number) | set(stuck) == set(after) and not set(number) & set(stuck)
    assert all(number[first] < number[address] for address in number for first in after[address] if first in after)
    assert all(any(first in stuck for first in after[address]) for address in stuck)


@given(
    st.dictionaries(
        st.text("ab0129.-:#~ xo", max_size=5),
        st.text("yesno0129.-:#~ xo'\"\n", max_size=6) | st.integers(-(2**63), 2**63 - 1) | st.booleans(),
        max_size=4,
    )
)
def test_yaml_that_is_written_reads_back_the_same(value: dict[str, Any]) -> None:
    from jovial_scaffold.core.text.yaml_reader import read_yaml

    assert read_yaml(yaml_text([value], explicit=False)) == (value, [])


PLACES = [
    (name, number)
    for name in ("line.yaml", "jovial.yaml", "rules/house.yaml", "parameters/live.yaml", "shared/queue_pair.yaml")
    for number, line in enumerate((SHIPPED.parent / "demo/ridgeline" / name).read_text("utf-8").splitlines())
    if line.partition("#")[0].strip()
]
SPOILS = ("!x y", "", "3", "[1]", "{a: 1}", "99999999999999999999", "'", "${", "${nothing.at.all}", "true")


@settings(max_examples=120, suppress_health_check=list(HealthCheck), deadline=None)
@given(st.sampled_from(PLACES), st.sampled_from(SPOILS))
def test_any_value_may_be_spoilt_and_nothing_breaks(demo_folder: Path, place: tuple[str, int], spoil: str) -> None:
    name, number = place
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(shutil.copytree(demo_folder, Path(folder) / "demo"))
        lines = (copy / name).read_text("utf-8").splitlines()
        head = re.match(r"\s*(?:- )?(?:[^:{}\[\]]*:)?\s*", lines[number])
        assert head is not None
        lines[number] = f"{head.group().rstrip()} {spoil}"
        (copy / name).write_text("\n".join(lines) + "\n", "utf-8")
        try:
            result = Project.load(copy).check()
        except ProjectError as error:
            assert error.findings
            return
        assert all(said(finding.message) and (finding.span or finding.environments) for finding in result.findings)


def test_nothing_of_a_project_is_kept_when_it_is_gone(demo: Path) -> None:
    project = Project.load(demo)
    project.check()
    project.compare()
    project.effects("live")
    project.why("gates/kes:image", "live")
    gone = weakref.ref(project)
    del project
    gc.collect()
    assert gone() is None
