"""Maps and plots: what they hold, that they are well formed, and that nothing in them lies over anything else."""

import io
import itertools
import json
import random
import re
import subprocess
import sys
import xml.etree.ElementTree as ET
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from jovial_scaffold import Project
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.graph.layout import Box, Scene, layout
from jovial_scaffold.core.graph.picture import Edge, Node, Picture, around, picture
from jovial_scaffold.core.schemas.annotations import LOOKS
from jovial_scaffold.reports.drawing.looks import looks
from jovial_scaffold.reports.drawing.svg import curve, svg_text
from jovial_scaffold.reports.drawing.written import dot_text, mermaid_text
from tests.fuzz import drivers
from tests.support import Write, jovial

NAMESPACE = "{http://www.w3.org/2000/svg}"


def apart(scene: Scene) -> None:
    """No two boxes touch, every box is inside of its frame, and frames of other modules do not lie over it."""
    boxes = scene.boxes
    for index, one in enumerate(boxes):
        for other in boxes[index + 1 :]:
            assert not overlap((one.x, one.y, one.width, one.height), (other.x, other.y, other.width, other.height)), (
                one.node.name,
                other.node.name,
            )
    for frame in scene.frames:
        area = (frame.x, frame.y, frame.width, frame.height)
        for box in boxes:
            inside = box.node.frame[: len(frame.path)] == frame.path
            assert contains(area, box) if inside else not overlap(area, (box.x, box.y, box.width, box.height))
    for box in boxes:
        assert box.x >= 0 and box.y >= 0 and box.x + box.width <= scene.width and box.y + box.height <= scene.height


def overlap(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    return a[0] < b[0] + b[2] and b[0] < a[0] + a[2] and a[1] < b[1] + b[3] and b[1] < a[1] + a[3]


def contains(area: tuple[float, ...], box: Box) -> bool:
    return area[0] <= box.x and area[1] <= box.y and box.x + box.width <= area[0] + area[2] and box.y + box.height <= area[1] + area[3]


@pytest.mark.parametrize("by", ["module", "file"])
@pytest.mark.parametrize("unfold", [False, True])
def test_the_demo(demo_folder: Path, by: str, unfold: bool) -> None:
    rendering = Project.load(demo_folder).views(("live",))[0]
    found = picture([rendering], by, unfold)
    assert sum(node.count for node in found.nodes.values()) == len(rendering.resources)
    names = {address: node.name for node in found.nodes.values() for address in node.members}
    edges = {(edge.source, edge.target) for edge in found.edges}
    for address, resource in rendering.resources.items():
        for first in resource.after:
            assert names[first] == names[address] or (names[first], names[address]) in edges
    assert ("gates" in found.nodes) is not unfold
    scene = layout(found)
    apart(scene)
    root = ET.fromstring(svg_text(scene, "live"))
    assert len(root.findall(f".//{NAMESPACE}g[@class='node']")) == len(found.nodes)
    assert len([path for path in root.iter(f"{NAMESPACE}path") if "edge" in path.get("class", "")]) == len(found.edges)


def test_what_is_pending_is_dashed(demo_folder: Path) -> None:
    found = picture([Project.load(demo_folder).views(("live",))[0]])
    pending = {(edge.source, edge.target): edge.pending for edge in found.edges}
    assert pending["track_net", "central_net"] and all(pending.values())


_NAMES = [f"n{number}" for number in range(9)]


@given(
    st.dictionaries(st.sampled_from(_NAMES), st.sampled_from([(), ("a",), ("b",), ("a", "a/c")]), min_size=1),
    st.sets(st.tuples(st.sampled_from(_NAMES), st.sampled_from(_NAMES)), max_size=20),
)
@settings(max_examples=150)
def test_boxes_never_touch(frames: dict[str, tuple[str, ...]], ends: set[tuple[str, str]]) -> None:
    nodes = {name: Node(name, name * (1 + len(name) % 3), "t.x.v1", (name,), 1, frame) for name, frame in frames.items()}
    edges = tuple(Edge(one, other, False) for one, other in sorted(ends) if one < other and one in nodes and other in nodes)
    scene = layout(Picture("x", nodes, edges, ()))
    apart(scene)
    at = {box.node.name: box for box in scene.boxes}
    for line in scene.lines:
        source, target = at[line.edge.source], at[line.edge.target]
        assert line.points[0] == (source.x + source.width, source.y + source.height / 2) and line.points[-1] == (
            target.x,
            target.y + target.height / 2,
        )
        if source.node.frame == target.node.frame:
            assert source.x < target.x, "what is needed stands left of what needs it"


@given(
    st.dictionaries(st.sampled_from(_NAMES), st.sampled_from([(), ("a",), ("b",), ("a", "a/c"), ("b", "b/d")]), min_size=2),
    st.sets(st.tuples(st.sampled_from(_NAMES), st.sampled_from(_NAMES)), min_size=1, max_size=14),
)
@settings(max_examples=200, deadline=None)
def test_no_arrow_passes_behind_a_box_or_a_frame_of_others(frames: dict[str, tuple[str, ...]], ends: set[tuple[str, str]]) -> None:
    nodes = {name: Node(name, name * (1 + len(name) % 3), "t.x.v1", (name,), 1, frame) for name, frame in frames.items()}
    edges = tuple(Edge(one, other, False) for one, other in sorted(ends) if one < other and one in nodes and other in nodes)
    scene = layout(Picture("x", nodes, edges, ()))
    at = {box.node.name: box for box in scene.boxes}
    for line in scene.lines:
        source, target = at[line.edge.source], at[line.edge.target]
        around = {frame[:depth] for frame in (source.node.frame, target.node.frame) for depth in range(1, 3)}
        others = [each for each in scene.boxes if each is not source and each is not target]
        closed = [*others, *(each for each in scene.frames if each.path not in around)]
        if any(one[0] > other[0] for one, other in itertools.pairwise(line.points)):
            continue  # frames that need each other stand beside each other in one order only
        for across, down in sampled(line.points):
            for each in closed:
                inside = each.x + 1 < across < each.x + each.width - 1 and each.y + 1 < down < each.y + each.height - 1
                assert not inside, (line, each)


def sampled(points: tuple[tuple[float, float], ...]) -> Iterator[tuple[float, float]]:
    """Points along a line as it is drawn."""
    at = points[0]
    for letter, found in curve(points)[1:]:
        for step in range(13):
            t = step / 12
            if letter == "L":
                yield at[0] + (found[0][0] - at[0]) * t, at[1]
                continue
            weights = ((1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t**3)
            corners = (at, *found)
            yield sum(w * p[0] for w, p in zip(weights, corners, strict=True)), sum(w * p[1] for w, p in zip(weights, corners, strict=True))
        at = found[-1]


def generated(write: Write, resources: int) -> Project:
    parts = ["resources:\n"]
    for number in range(resources):
        kind = ("queue", "bucket")[number % 2]
        parts.append(
            f'  r{number} (fulmar.{kind}): {{name: {kind}-{number}, tags: {{n: "${{r{number - 1}.id}}"}}}}\n'
            if number % 10
            else f"  r{number} (fulmar.queue): {{name: queue-{number}}}\n"
        )
    files = {
        "jovial.yaml": "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: []}}\n",
        "line.yaml": "".join(parts),
    }
    return Project.load(write(files))


@pytest.mark.parametrize(("resources", "most"), [(5, 5), (50, 50), (500, 12)])
def test_readable_at_any_size(write: Write, resources: int, most: int) -> None:
    rendering = generated(write, resources).views(("live",))[0]
    found = picture([rendering])
    assert len(found.nodes) <= most and sum(node.count for node in found.nodes.values()) == resources
    apart(layout(found))
    whole = picture([rendering], unfold=True)
    assert len(whole.nodes) == resources
    apart(layout(whole))


def test_near(demo_folder: Path) -> None:
    found = picture([Project.load(demo_folder).views(("live",))[0]])
    assert set(around(found, ["timetable_store"], 1).nodes) == {"timetable_store", "central_net", "timetable"}
    text = jovial("map", "live", "--near", "timetable_store", cwd=demo_folder).stdout
    assert "timetable_store" in text and "gates" not in text
    missing = jovial("map", "live", "--near", "timetable_stor", cwd=demo_folder)
    assert missing.returncode == 1 and "Did you mean `timetable_store`?" in missing.stderr


def test_two_environments_over_each_other(demo: Path) -> None:
    text = jovial("map", "--compare", "sandbox", "live", cwd=demo).stdout
    assert re.search(r"readings +fulmar\.database\.v1  only live", text) and re.search(
        r"ticket_safe +fulmar\.secret_store\.v1  differs", text
    )
    assert re.search(r"timetable_front +fulmar\.balancer\.v1  (needs|needed)", text), "what only repeats a parameter is the same"
    svg = jovial("map", "--compare", "sandbox", "live", "--format", "svg", cwd=demo).stdout
    assert 'class="marked"' in svg and ">only live<" in svg


def test_formats(demo: Path) -> None:
    for name in ("m.svg", "m.png", "m.html", "m.gv", "m.mmd", "m.txt"):
        result = jovial("map", "live", "--out", name, cwd=demo)
        assert result.returncode == 0 and result.stderr == f"Written: {name}\n"
    image = Image.open(demo / "m.png")
    assert image.format == "PNG" and image.width > 1000
    assert (demo / "m.svg").read_text() == jovial("map", "live", "--format", "svg", cwd=demo).stdout, "the same for the same input"
    assert (demo / "m.gv").read_text().startswith("digraph map {") and (demo / "m.mmd").read_text().startswith("flowchart LR")
    assert "http" not in (demo / "m.html").read_text().replace("http://www.w3.org/2000/svg", "").replace("https://", "")
    assert jovial("map", "live", "--out", "m.pdf", cwd=demo).returncode == 2
    assert jovial("map", "nowhere", cwd=demo).returncode == 2
    broken = jovial("map", "live", "--with", "archive_days=0", cwd=demo)
    assert broken.returncode == 1 and "archive" in broken.stdout


HOSTILE = '"]; x [label="<script>&amp;\\\n end'


@pytest.mark.parametrize("title", ["net in live", "a-long-name-of-a-project in a-long-name-of-an-environment-of-it, and another"])
def test_words_are_no_wider_than_the_picture(write: Write, title: str) -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: []}}\n",
        "t.yaml": "resources: {net (fulmar.network): {name: net, range: 10.0.0.0/8}}\n",
    }
    found = picture(Project.load(write(files)).views(["live"]))
    text = svg_text(layout(found), title)
    width = float(text.partition('width="')[2].partition('"')[0])
    told = re.findall(r'<text class="(title|legend)" x="24"[^>]*>([^<]*)', text)
    assert len(told) > 3 and " ".join(words for kind, words in told if kind == "legend").endswith("the round of the deployment.")
    letters = {"title": 14 * 0.602, "legend": 11 * 0.602}  # of the font that the picture asks for: widths of 1233 in 2048 units
    assert all(24 + letters[kind] * len(words) <= width for kind, words in told)


def test_names_are_quoted() -> None:
    nodes = {HOSTILE: Node(HOSTILE, HOSTILE, "t.x.v1", (HOSTILE,), 1, ()), "b": Node("b", "b", "t.y.v1", ("b",), 2, (HOSTILE,))}
    found = Picture(HOSTILE, nodes, (Edge(HOSTILE, "b", True),), (), {(HOSTILE,): HOSTILE})
    ET.fromstring(svg_text(layout(found), HOSTILE))
    for line in dot_text(found).splitlines():
        inside = re.sub(r'"(?:[^"\\]|\\.)*"', "", line)
        assert "script" not in inside and '"' not in inside
    for line in mermaid_text(found).splitlines():
        assert "<" not in line and "script>" not in line


def test_types_are_told_apart_by_more_than_colour() -> None:
    found = looks((f"c.t{number}.v1", "") for number in range(20))
    assert len(set(found.values())) == 20
    versions = looks([("a.b.v1", ""), ("a.b.v2", "")])
    assert versions["a.b.v1"] == versions["a.b.v2"]
    drawn = looks((f"c.{look}.v1", look) for look in LOOKS)
    assert len({shape for shape, _, _ in drawn.values()}) == len(LOOKS)
    assert looks([("c.a.v1", "store"), ("c.b.v1", "store")])["c.b.v1"][0] == drawn["c.store.v1"][0] == "drum"


@pytest.mark.parametrize("seed", range(12))
def test_what_each_arrow_hands_over(seed: int) -> None:
    """It is dashed where all that it stands for hand over what only the deployment can know, whatever a resource was computed from."""
    chance = random.Random(seed)
    things = {f"r{number} (yard.thing)": _thing(chance, number) for number in range(40)}
    template = {"parameters": {"flag": {"type": "boolean", "default": seed % 2 == 0, "description": "d"}}, "resources": things}
    files = {**drivers.project(chance), "line.yaml": json.dumps(template).encode()}
    environments = "environments: {live: {parameters: []}}\n"
    files["jovial.yaml"] = f"project: p\ntemplate: line.yaml\ncatalogs: [catalog/]\n{environments}".encode()
    rendering = drivers.loaded(files).views(["live"])[0]
    drawn = picture([rendering], unfold=True)
    expected = {
        (first, address): first in {origin.partition(":")[0] for origin in deep_marks(resource.properties)[0]}
        for address, resource in rendering.resources.items()
        for first in resource.after
    }
    assert len(expected) > 20 and {True, False} == {*expected.values()}
    assert {(each.source, each.target): each.pending for each in drawn.edges} == expected


def _thing(chance: random.Random, number: int) -> dict[str, Any]:
    """A resource that reads those before it: what is known, what is not, both, or only behind a condition."""
    other = f"r{chance.randrange(number)}" if number else "'r'"
    ways = ("${OTHER.id}", "${OTHER.name}", "${OTHER.id + OTHER.name}", "${flag ? OTHER.id : 'x'}", "${flag ? 'x' : OTHER.id}")
    made: dict[str, Any] = {"name": f"n-{number}"}
    for part in chance.sample(("tags", "order", "disks"), chance.randrange(4)) if number else ():
        text = chance.choice(ways).replace("OTHER", other)
        made[part] = {"tags": {"a": text, "b": "x"}, "order": ["x", text], "disks": [{"$when": "flag", "key": "k", "note": text}]}[part]
    return made


@pytest.mark.parametrize("kind", ["differences", "totals", "influence"])
def test_plots(demo: Path, kind: str) -> None:
    for ending in ("png", "svg"):
        result = jovial("plot", kind, "--out", f"p.{ending}", cwd=demo)
        assert result.returncode == 0, result.stderr
    image = Image.open(demo / "p.png")
    assert image.format == "PNG" and image.width > 600 and len(image.convert("RGB").getcolors(1 << 20) or []) > 20
    text = (demo / "p.svg").read_text()
    ET.fromstring(text)
    assert {"differences": "timetable_store", "totals": "fulmar.machine_group.v2", "influence": "gates_for_each_station"}[kind] in text
    again = jovial("plot", kind, "--format", "svg", cwd=demo).stdout
    assert again == text, "the same for the same input"


def test_plots_of_little(demo: Path) -> None:
    for arguments in (
        ["differences", "live"],
        ["totals", "live"],
        ["influence", "live", "--only", "nothing"],
        ["differences", "live", "live?owner=$x^2$"],
    ):
        result = jovial("plot", *arguments, "--out", "p.png", cwd=demo)
        assert result.returncode == 0 and Image.open(io.BytesIO((demo / "p.png").read_bytes())).format == "PNG", result.stderr
    assert jovial("plot", "--out", "p.gif", cwd=demo).returncode == 2


@pytest.mark.parametrize(
    ("missing", "command", "code", "says"),
    [
        ("igraph", ["map", "live", "--out", "x.svg"], 2, "pip install 'jovial-scaffold[pictures]'"),
        ("matplotlib", ["plot", "--out", "x.png"], 2, "pip install 'jovial-scaffold[pictures]'"),
        ("matplotlib", ["map", "live", "--out", "x.svg"], 0, "Written"),
        ("igraph", ["check"], 0, ""),
        ("jsonschema_rs", ["check"], 70, "jsonschema_rs is missing"),
    ],
)
def test_a_package_that_is_missing(demo: Path, missing: str, command: list[str], code: int, says: str) -> None:
    script = f"import sys; sys.modules[{missing!r}] = None; sys.argv = ['jovial', *{command!r}]; from jovial_scaffold.__main__ import main; main()"
    done = subprocess.run([sys.executable, "-c", script], cwd=demo, capture_output=True, text=True, check=False)
    assert done.returncode == code and says in done.stderr and "Traceback" not in done.stderr, done.stderr


def test_a_map_loads_no_plotting(demo: Path) -> None:
    script = (
        "import sys; from jovial_scaffold.cli.main import run; code = run(['map', 'live', '--out', 'x.svg']); "
        "sys.exit(code or 9 * bool({'matplotlib', 'numpy'} & sys.modules.keys()))"
    )
    assert subprocess.run([sys.executable, "-c", script], cwd=demo, check=False, capture_output=True).returncode == 0
