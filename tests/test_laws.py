"""Laws of rendering: what must hold for every template, tried on the demo and on generated ones."""

import json
import re
import shutil
import tempfile
from ipaddress import IPv4Network, IPv6Network, ip_network
from itertools import combinations
from pathlib import Path
from typing import Any

import yaml
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jovial_scaffold import Project
from jovial_scaffold.core.text.yaml_reader import read_yaml
from jovial_scaffold.reports.machine import render_document
from jovial_scaffold.reports.words import said
from tests.support import in_memory

CALM = settings(max_examples=25, suppress_health_check=list(HealthCheck), deadline=None)


def documents(folder: Path) -> list[Any]:
    """All environments as documents, and the findings without their places."""
    project = Project.load(folder)
    found = [render_document(project.name, project.render(name)) for name in project.environments]
    return [found, sorted((f.id, said(f.message), f.environments) for f in project.check().findings)]


def copied(demo_folder: Path, folder: str) -> Path:
    return Path(shutil.copytree(demo_folder, Path(folder) / "demo"))


def test_rendering_is_deterministic(demo_folder: Path) -> None:
    assert json.dumps(documents(demo_folder)) == json.dumps(documents(demo_folder))


@CALM
@given(st.data())
def test_splitting_a_template_over_files_changes_nothing_but_places(demo_folder: Path, data: st.DataObject) -> None:
    whole, _ = read_yaml((demo_folder / "line.yaml").read_text("utf-8"))
    parts: list[dict[str, Any]] = [{}, {}, {}]
    for section, content in whole.items():
        if isinstance(content, dict):
            for name, entry in content.items():
                parts[data.draw(st.integers(0, 2))].setdefault(section, {})[name] = entry
        elif isinstance(content, list):
            for entry in content:
                parts[data.draw(st.integers(0, 2))].setdefault(section, []).append(entry)
        else:
            parts[data.draw(st.integers(0, 2))][section] = content
    with tempfile.TemporaryDirectory() as temporary:
        folder = copied(demo_folder, temporary)
        for number, part in enumerate(parts):
            suffix = data.draw(st.sampled_from((".yaml", ".json")))
            text = json.dumps(part) if suffix == ".json" else yaml.safe_dump(part, sort_keys=False)
            target = folder / "parts" / f"{number}{suffix}"
            target.parent.mkdir(exist_ok=True)
            # Paths are relative to the file that writes them.
            target.write_text(text.replace("files/", "../files/"), "utf-8")
        (folder / "line.yaml").unlink()
        project = folder / "jovial.yaml"
        project.write_text(project.read_text().replace("template: line.yaml", "template: parts"))
        assert documents(folder) == documents(demo_folder)


@CALM
@given(st.lists(st.sampled_from("abcdefgh"), min_size=2, max_size=6, unique=True), st.data())
def test_removing_an_item_of_a_loop_changes_only_its_own_address(keys: list[str], data: st.DataObject) -> None:
    gone = data.draw(st.sampled_from(keys))
    template = """parameters: {stations: {type: array, items: {type: object}, description: d}}
resources:
  net (fulmar.queue): {name: net-all}
  gate (fulmar.queue): {$per: {s: stations}, $key: s.code, name: "gate-${s.code}", failed_to: "${net.id}"}
  desk (./desk.yaml): {$per: {"code, s": "stations.transformMapEntry(i, s, {s.code: s})"}, label: "${code}", gate: "${gate[code].id}"}
"""
    desk = """parameters: {label: {type: string, description: d}, gate: {type: string, description: d}}
resources: {queue (fulmar.queue): {name: "desk-${label}", failed_to: "${gate}"}}
"""

    def rendered(codes: list[str]) -> dict[str, Any]:
        with tempfile.TemporaryDirectory() as folder:
            files = {
                "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n",
                "line.yaml": template,
                "desk.yaml": desk,
                "parameters/live.yaml": json.dumps({"stations": [{"code": code} for code in codes]}),
            }
            for name, text in files.items():
                (Path(folder) / name).parent.mkdir(exist_ok=True)
                (Path(folder) / name).write_text(text)
            rendering = Project.load(folder).render("live")
            assert [finding for finding in rendering.findings if finding.level == "error"] == []
            found: dict[str, Any] = render_document("p", rendering)["resources"]
            return found

    before, after = rendered(keys), rendered([key for key in keys if key != gone])
    assert before.keys() - after.keys() == {f"gate/{gone}", f"desk/{gone}/queue"}
    assert {address: before[address] for address in after} == after


def inlined(text: str, uses: dict[str, str], module: dict[str, Any]) -> str:
    """The demo's template with the uses of its one module written out by hand: parameters become values, addresses get an underscore."""
    resources, values = [], []
    for use, (arguments, when) in parsed_uses(text, uses).items():
        renamed = {**{name: f"{use}_{name}" for name in module["parameters"]}, "main": f"{use}_main", "failed": f"{use}_failed"}

        def inner(written: str, names: dict[str, str] = renamed) -> str:
            return re.sub(r"\$\{([^}]*)\}", lambda m: "${" + re.sub(r"\b[a-z_]+\b", lambda w: names.get(w[0], w[0]), m[1]) + "}", written)

        for name, declaration in module["parameters"].items():
            given_value = arguments.get(name, declaration.get("default"))
            values.append(f"  {use}_{name}: {json.dumps(given_value)}\n")
        for key, content in module["resources"].items():
            entry = {**({"$when": when} if when else {}), "encrypted": True, "tags": "${tags}", **content}
            resources.append(f"  {use}_{key}: {inner(json.dumps(entry))}\n")
        text = re.sub(rf"  {use} \(queue_pair\):\n(?:    .*\n)*", "", text)
        text = text.replace(f"${{{use}.url}}", f"${{{use}_main.url}}")
    return text.replace("let:\n", "let:\n" + "".join(values)).replace("\nresources:\n", "\nresources:\n" + "".join(resources))


def parsed_uses(text: str, uses: dict[str, str]) -> dict[str, tuple[dict[str, Any], str]]:
    found = {}
    for key, content in yaml.safe_load(text)["resources"].items():
        name = key.split()[0]
        if name in uses:
            found[name] = ({k: v for k, v in content.items() if not k.startswith("$")}, content.get("$when", ""))
    return found


def test_a_module_inlined_by_hand_renders_the_same(demo_folder: Path, tmp_path: Path) -> None:
    folder = copied(demo_folder, str(tmp_path))
    module = yaml.safe_load((folder / "shared/queue_pair.yaml").read_text())
    line = folder / "line.yaml"
    line.write_text(inlined(line.read_text(), dict.fromkeys(("tickets", "alarms"), ""), module))
    project = folder / "jovial.yaml"
    project.write_text(re.sub(r"modules:.*\n", "", project.read_text()))

    def by_hand(document: Any) -> Any:
        return json.loads(re.sub(r"\b(tickets|alarms)/(main|failed)\b", r"\1_\2", json.dumps(document)))

    (before, said), (after, found) = documents(demo_folder), documents(folder)
    assert (said, found) == ([], [])
    for one, other in zip(before, after, strict=True):
        one = by_hand(one)
        assert one["outputs"] == other["outputs"] and one["documents"] == other["documents"]
        assert {a: {**r, "after": sorted(r["after"])} for a, r in one["resources"].items()} == other["resources"]


BLOCKS = st.one_of(
    st.builds(
        lambda number, length: ip_network((0x0A000000 | number << 8, length), strict=False), st.integers(0, 255), st.integers(16, 26)
    ),
    st.builds(
        lambda number, length: ip_network((0xFD << 120 | number << 64, length), strict=False), st.integers(0, 7), st.integers(58, 66)
    ),
)


@settings(max_examples=60, deadline=None)
@given(st.lists(BLOCKS, min_size=1, max_size=12))
def test_ranges_that_overlap_are_found_and_no_others(blocks: list[IPv4Network | IPv6Network]) -> None:
    resources = {f"n{number} (fulmar.network)": {"name": f"net-{number}", "range": str(each)} for number, each in enumerate(blocks)}
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": {"live": {}}}
    rendering = in_memory({"jovial.yaml": json.dumps(project), "t.yaml": json.dumps({"resources": resources})}).render("live")
    told = [
        (each.address, str(each.related[0].message.operands[0]), each.environments)
        for each in rendering.findings
        if each.id == "range-overlap"
    ]
    true = {frozenset((a, b)) for a, b in combinations(range(len(blocks)), 2) if _overlap(blocks[a], blocks[b])}
    pairs = {frozenset((int(one[1:]), int(other[1:]))) for one, other, _ in told}
    assert pairs <= true and len(pairs) == len(told)
    assert {number for pair in pairs for number in pair} == {number for pair in true for number in pair}
    assert all(environments == ("live",) for *_, environments in told)


def _overlap(one: IPv4Network | IPv6Network, other: IPv4Network | IPv6Network) -> bool:
    return isinstance(one, IPv4Network) == isinstance(other, IPv4Network) and one.overlaps(other)  # type: ignore[arg-type]  # of one version


_SCHEMAS = st.fixed_dictionaries(
    {},
    optional={
        "type": st.sampled_from(("string", "integer", "boolean", "number", ["string", "null"], "array", "object")),
        "enum": st.sampled_from((["a"], [1], [True])),
        "minLength": st.just(2),
        "maximum": st.just(5),
        "pattern": st.just("^a"),
        "format": st.just("cidr"),
        "default": st.sampled_from(("a", 1)),
        "writeOnly": st.booleans(),
        "deprecated": st.booleans(),
        "$ref": st.just("#/types/short"),
        "items": st.just({"type": "string"}),
    },
)
_HELD = st.one_of(st.text(max_size=4), st.integers(-3, 10**20), st.booleans(), st.floats(-2, 2), st.none(), st.just([]), st.just({"a": 1}))


@settings(CALM, max_examples=150)
@given(_SCHEMAS, _HELD)
def test_a_value_of_the_only_type_that_a_parameter_speaks_of_is_what_it_is(schema: dict[str, Any], value: Any) -> None:
    """Nothing is said against it, nothing of it is secret, and it has the form that is declared: modules take it without a look."""
    template = {"types": {"short": {"type": "string", "maxLength": 1}}, "parameters": {"held": {**schema, "description": "d"}}}
    files = {"jovial.yaml": "project: p\ntemplate: t.yaml\nenvironments: {a: {}}\n", "t.yaml": json.dumps(template)}
    plan = in_memory(files).views(["a"])[0].scope.plan
    declaration = plan.template.parameters.get("held")
    if declaration is not None and type(value) is plan.checker.simple_type(declaration):
        assert plan.checker.violations(declaration, value) == []
        for same in (plan.checker.as_declared(declaration, value), plan.checker.marked(declaration, value)):
            assert same == value and type(same) is type(value)
    elif schema in ({"type": "string"}, {"type": "integer"}, {"type": "boolean"}):
        assert type(value) not in (str, int, bool) or plan.checker.violations(declaration, value)
