"""Comparing, the ripple of one edit, and drawing, each against its reference: `python -m benchmarks.compare`.

All in one process, medians of alternating rounds; what is measured and its reference share the same moments of a noisy machine.
"""

import gc
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import igraph

from benchmarks.compare.dimensions import DIMENSIONS, write
from benchmarks.compare.dimensions import ENVIRONMENTS as WORLDS
from benchmarks.measuring import process_seconds, report
from benchmarks.render.generated import write_project
from jovial_scaffold import Project
from jovial_scaffold.core.changes.matrix import compare
from jovial_scaffold.core.graph.layout import layout
from jovial_scaffold.core.graph.picture import Picture, picture
from jovial_scaffold.core.parallel import spread
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.ripple import ripple
from jovial_scaffold.machine.opening import DiskTree
from jovial_scaffold.reports.drawing.svg import svg_text

_ENVIRONMENTS = tuple(f"line-{number}" for number in range(10))
_DEMO = Path(__file__).parents[2] / "src" / "jovial_scaffold" / "demo" / "ridgeline"
_PROJECTS = 200


def _seconds(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    return time.perf_counter() - began


def _rendered(folder: Path) -> list[Evaluated]:
    project = Project.load(folder, Overrides(dict(os.environ)))
    return project.views(_ENVIRONMENTS)


def comparing(folder: Path, rounds: int) -> bool:
    """Ten environments of 4,000 resources, all of which differ somewhere, against rendering them."""
    write_project(folder, 4_000, _ENVIRONMENTS)
    rendering, comparison, with_echoes = [], [], []
    for _ in range(rounds):
        began = time.perf_counter()
        renderings = _rendered(folder)
        rendering.append(time.perf_counter() - began)
        comparison.append(_seconds(lambda found=renderings: compare(found)))  # type: ignore[misc]
        again = _rendered(folder)  # what was found once is kept
        with_echoes.append(_seconds(lambda found=again: compare(found, echoes=True)))  # type: ignore[misc]
    result = compare(renderings)
    print(f"{result.resources:,} resources, {len(_ENVIRONMENTS)} environments, {len(result.rows):,} rows that differ")
    report("comparing, with echoes, / rendering", statistics.median(with_echoes), statistics.median(rendering), 0.4)
    return report("comparing / rendering", statistics.median(comparison), statistics.median(rendering), 0.5)


def varied(base: Path, rounds: int) -> list[bool]:
    """The same for projects that differ in other ways."""
    met = []
    for make in DIMENSIONS:
        folder = base / make.__name__
        write(folder, make, 1_000)
        rendering, comparison = [], []
        for _ in range(rounds):
            began = time.perf_counter()
            renderings = Project.load(folder, Overrides(dict(os.environ))).views(WORLDS)
            rendering.append(time.perf_counter() - began)
            comparison.append(_seconds(lambda found=renderings: compare(found)))  # type: ignore[misc]
        met.append(report(f"comparing / rendering, {make.__name__}", statistics.median(comparison), statistics.median(rendering), 0.5))
    return met


def rippling(folder: Path, rounds: int) -> bool:
    """One edited line of one parameter file among 200 projects of 3 environments, against rendering all of them."""
    for number in range(_PROJECTS):
        shutil.copytree(_DEMO, folder / f"line{number:03}")
    git = ["git", "-C", str(folder), "-c", "user.name=Ridgeline", "-c", "user.email=lines@ridgeline.example"]
    for arguments in (["init", "-q"], ["add", "-A"], ["commit", "-q", "-m", "All lines"]):
        subprocess.run([*git, *arguments], check=True)
    edited = folder / "line100" / "parameters" / "live.yaml"
    edited.write_text(edited.read_text().replace("archive_days: 365", "archive_days: 366"))
    overrides = Overrides(dict(os.environ))
    everything, edit = [], []
    for _ in range(rounds):
        everything.append(
            _seconds(
                lambda: [Project.load(each, overrides).views(("sandbox", "rehearsal", "live")) for each in sorted(folder.glob("line*"))]
            )
        )
        edit.append(_seconds(lambda: ripple("HEAD", DiskTree([folder]), [""], overrides)))
    result = ripple("HEAD", DiskTree([folder]), [""], overrides)
    (found,) = result.projects
    assert [each.environment for each in found.reached if each.touched] == ["live"], found
    print(f"{result.looked_at} projects, {result.rendered} renderings made")
    return report("ripple of one edit / rendering all", statistics.median(edit), statistics.median(everything), 1 / 20)


def sharing(folder: Path, rounds: int) -> bool:
    """One edited line of a module that 200 projects of a workspace share, against rendering all of them once, both on all processors."""
    (folder / "shared").mkdir(parents=True)
    (folder / "workspace.yaml").write_text('workspace: lines\nprojects: ["line*"]\nmodules: {pair: shared/pair.yaml}\n')
    module = folder / "shared" / "pair.yaml"
    module.write_text(
        "parameters: {purpose: {type: string, description: What for}}\nresources:\n"
        '  main (fulmar.queue): {name: "${purpose}-main", claim_seconds: 30}\n'
        '  failed (fulmar.queue): {name: "${purpose}-failed", wait_hours: 24}\n'
    )
    for number in range(_PROJECTS):
        line = folder / f"line{number:03}"
        line.mkdir()
        environments = "{live: {parameters: [live.yaml]}, sandbox: {parameters: [sandbox.yaml]}}"
        (line / "jovial.yaml").write_text(f"project: l{number}\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {environments}\n")
        uses = "".join(f'  tickets{each} (pair): {{purpose: "t{each}-${{setting}}"}}\n' for each in range(5))
        (line / "line.yaml").write_text(f"parameters: {{setting: {{type: string, description: Which}}}}\nresources:\n{uses}")
        for name in ("live", "sandbox"):
            (line / f"{name}.yaml").write_text(f"setting: {name}\n")
    git = ["git", "-C", str(folder), "-c", "user.name=Ridgeline", "-c", "user.email=lines@ridgeline.example"]
    for arguments in (["init", "-q"], ["add", "-A"], ["commit", "-q", "-m", "All lines"]):
        subprocess.run([*git, *arguments], check=True)
    module.write_text(module.read_text().replace("claim_seconds: 30", "claim_seconds: 40"))
    overrides, workers = Overrides(dict(os.environ)), os.cpu_count() or 1

    def render(line: Path) -> int:
        return len(Project.load(line, overrides).views(("live", "sandbox")))

    def render_all() -> None:
        with spread([partial(render, each) for each in sorted(folder.glob("line*"))], workers) as results:
            results()

    everything, edit = [], []
    for _ in range(rounds):
        everything.append(_seconds(render_all))
        edit.append(_seconds(lambda: ripple("HEAD", DiskTree([folder]), [""], overrides, workers)))
    return report("ripple of a shared module / rendering all that use it", statistics.median(edit), statistics.median(everything), 2.5)


def boarding(base: Path, rounds: int) -> list[bool]:
    """The page of 4,000 resources in 3 environments, against checking them, both as users run them, on all processors; and the same of projects that
    differ in other ways."""
    write_project(base / "written", 4_000, ("sandbox", "rehearsal", "live"))
    met = [_boarded(base / "written", [], rounds, "board / check")]
    for make in DIMENSIONS:
        folder = base / make.__name__
        write(folder, make, 4_000)
        met.append(_boarded(folder, list(WORLDS[:3]), rounds, f"board / check, {make.__name__}"))
    return met


def _boarded(folder: Path, environments: list[str], rounds: int, title: str) -> bool:
    jovial = shutil.which("jovial") or str(Path(sys.executable).with_name("jovial"))
    commands = {"check": [jovial, "check", *environments], "board": [jovial, "board", *environments, "--out", str(folder / "board.html")]}
    seconds = process_seconds(commands, rounds, folder, worst=1)  # the projects have findings
    return report(title, seconds["board"], seconds["check"], 1.5)


def drawing(folder: Path, rounds: int) -> bool:
    """Layout and SVG of 500 resources, each by itself, against igraph's layout of the same graph."""
    write_project(folder, 500, ("sandbox",))
    found = picture(Project.load(folder, Overrides(dict(os.environ))).views(["sandbox"]), unfold=True)
    ours, library = [], []
    for _ in range(rounds * 3):
        library.append(_seconds(lambda: _laid_out(found)))
        ours.append(_seconds(lambda: svg_text(layout(found), "map")))
    print(f"{len(found.nodes)} resources, {len(found.edges)} dependencies")
    return report("layout and drawing / the library's layout", statistics.median(ours), statistics.median(library), 3)


def _laid_out(found: Picture) -> None:
    number = {name: index for index, name in enumerate(found.nodes)}
    edges = [(number[edge.source], number[edge.target]) for edge in found.edges]
    igraph.Graph(n=len(number), edges=edges, directed=True).layout_sugiyama(maxiter=50)


def main() -> int:
    """Exit code 1 where an aim is missed."""
    os.environ["DESK_PASSWORD"] = "a password of the benchmark"
    gc.disable()  # as the program does
    with tempfile.TemporaryDirectory() as temporary:
        base = Path(temporary)
        met = [
            comparing(base / "compare", 3),
            *varied(base / "varied", 3),
            rippling(base / "ripple", 3),
            sharing(base / "shared", 3),
            *boarding(base / "board", 5),
            drawing(base / "draw", 3),
        ]
    return 0 if all(met) else 1


if __name__ == "__main__":
    sys.exit(main())
