"""Rendering, checking and asking, each against reading, validating and writing alone: `python -m benchmarks.render [DIMENSION…]`.

It needs `pip install -e '.[reference]'`: the reference reads YAML with a library of C++.
"""

import json
import math
import os
import shutil
import sys
import tempfile
from pathlib import Path

from benchmarks.measuring import peak_megabytes, process_seconds, report
from benchmarks.render.dimensions import DIMENSIONS, Dimension, write
from benchmarks.render.generated import write_project
from jovial_scaffold import Project
from jovial_scaffold.cli.options import processors
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.rendering.results import without_masks

_HERE = Path(__file__).parent
_ROUNDS = 5
_LEAST = 2  # of what grows, where starting is all that takes time
_LOAD = "import gc; gc.disable(); from jovial_scaffold import Project; Project.load({!r}); import os; os._exit(0)"


def prepared(folder: Path) -> Path:
    """A project on disk, with what is rendered of it and the schemas beside it, for the reference."""
    project = Project.load(folder, Overrides(dict(os.environ)))
    rendered, schemas = [], {}
    for name in project.environments:
        for resource in without_masks(project.render(name)).resources.values():
            assert resource.type is not None
            schemas[resource.type.id] = resource.type.schema
            rendered.append([resource.type.id, to_json(resource.properties)])
    (folder / "bench").mkdir()
    (folder / "bench" / "rendered.json").write_text(json.dumps(rendered))
    (folder / "bench" / "schemas.json").write_text(json.dumps(schemas))
    return folder


def checked(jovial: str, folder: Path) -> list[str]:
    """A check; that it ends with 1, which says that there are findings, is no failure."""
    return ["sh", "-c", f"{jovial} check --project '{folder}' || test $? -eq 1"]


def grown(dimension: Dimension, jovial: str) -> None:
    """A check of a small and a large project of one dimension: its ratio to the reference, and how it grows."""
    with tempfile.TemporaryDirectory() as temporary:
        folders = [Path(temporary) / str(size) for size in dimension.sizes]
        commands: dict[str, list[str]] = {}
        for size, folder in zip((_LEAST, *dimension.sizes), (Path(temporary) / "least", *folders), strict=True):
            write(folder, dimension.make(size))
            prepared(folder)
            found = Project.load(folder, Overrides(dict(os.environ))).check().findings if size <= dimension.sizes[0] else ()
            # What is said would be measured, too; that a parameter is unused is said once.
            assert dimension.is_wrong or {each.id for each in found} <= {"parameter-unused", "value-unused"}, [each.id for each in found]
            commands[f"check {size}"] = checked(jovial, folder)
        commands["reference"] = [sys.executable, str(_HERE / "reference.py"), str(folders[-1])]
        seconds = process_seconds(commands, 2)
    small, large = (max(seconds[f"check {size}"] - seconds[f"check {_LEAST}"], 0.001) for size in dimension.sizes)
    exponent = math.log(large / small) / math.log(dimension.sizes[1] / dimension.sizes[0])
    ratio = seconds[f"check {dimension.sizes[1]}"] / seconds["reference"]
    sizes = " to ".join(f"{size:,}" for size in dimension.sizes)
    print(f"{dimension.name}: {sizes}, {ratio:.1f} times the reference, growing as n^{exponent:.2f}", flush=True)


def whole(base: Path, jovial: str) -> list[bool]:
    """4,000 resources of eight kinds in three environments."""
    os.environ["DESK_PASSWORD"] = "a password of the benchmark"
    folder, large = base / "small", base / "large"
    size = write_project(folder, 4_000)
    write_project(large, 16_000)
    prepared(folder)
    print(f"4,000 resources, 3 environments, {size / 1e6:.2f} MB of YAML")
    project = ["--project", str(folder)]
    commands = {
        "reference": [sys.executable, str(_HERE / "reference.py"), str(folder)],
        "alone": [sys.executable, str(_HERE / "alone.py"), str(folder), str(processors())],
        "alone on one": [sys.executable, str(_HERE / "alone.py"), str(folder), "1"],
        "load": [sys.executable, "-c", _LOAD.format(str(folder))],
        "check": [jovial, "check", *project],
        "one": [jovial, "check", "sandbox", *project],
        "two": [jovial, "check", "sandbox", "rehearsal", *project],
        "why": [jovial, "why", "r00004:entries", "live", *project],
        "find": [jovial, "find", "alp-live-net-800", *project],
        "evaluate": [jovial, "evaluate", "r00004.name", "--environment", "live", *project],
    }
    seconds = process_seconds(commands, _ROUNDS)
    sized = process_seconds({"large": [jovial, "check", "--project", str(large)], "check": commands["check"]}, 3)
    reference = seconds["reference"]
    met = [
        report("rendering alone / reference", seconds["alone"], reference, 3),
        report("the same on one processor / reference", seconds["alone on one"], reference, 4),
        report("check / reference", seconds["check"], reference, 6),
        *(report(f"{name} / reading and compiling", seconds[name], seconds["load"], 1.5) for name in ("why", "find", "evaluate")),
        report("check of two environments / one", seconds["two"], seconds["one"], 1.25),
        report("check of 16,000 resources / 4,000", sized["large"], sized["check"], 4.5),
    ]
    memory = {name: peak_megabytes(commands[name]) for name in ("reference", "check")}
    print(f"peak memory: {memory['check']:.0f} MB, reference {memory['reference']:.0f} MB")
    return met


def cold(base: Path, jovial: str) -> list[bool]:
    """The same with a `$when` of its own for each eight resources, and three rules; then with a hundred, and with 4,000 findings."""
    kinds = {"clean": (3, 0), "few": (3, 40), "wrong": (3, 4_000), "few computed": (3, 40), "computed": (3, 4_000), "rules": (100, 0)}
    for name, (rules, wrong) in kinds.items():
        write_project(base / name, 4_000, own_conditions=True, rules=rules, wrong=wrong, computed="computed" in name)
    prepared(base / "clean")
    commands = {name: checked(jovial, base / name) for name in kinds}
    commands["reference"] = [sys.executable, str(_HERE / "reference.py"), str(base / "clean")]
    commands["load"] = [sys.executable, "-c", _LOAD.format(str(base / "clean"))]
    commands["find"] = [jovial, "find", "alp-live-net-800", "--project", str(base / "clean")]
    on_one = shutil.which("taskset")
    if on_one is not None:
        commands["one"] = [on_one, "-c", str(min(os.sched_getaffinity(0))), *commands["clean"]]
    seconds = process_seconds(commands, _ROUNDS)
    return [
        report("check with conditions and rules / reference", seconds["clean"], seconds["reference"], 6),
        *([report("the same on one processor / reference", seconds["one"], seconds["reference"], 8)] if on_one is not None else []),
        report("find with conditions / reading and compiling", seconds["find"], seconds["load"], 1.5),
        report("with 100 rules / with three", seconds["rules"], seconds["clean"], 2),
        report("with 4,000 findings in what is written / with 40", seconds["wrong"], seconds["few"], 1.5),
        report("with 4,000 findings in what is computed / with 40", seconds["computed"], seconds["few computed"], 3.5),
    ]


def main(wanted: list[str]) -> int:
    """Exit code 1 where an aim is missed."""
    jovial = shutil.which("jovial") or str(Path(sys.executable).with_name("jovial"))
    met = []
    if not wanted:
        with tempfile.TemporaryDirectory() as temporary:
            met = [*whole(Path(temporary), jovial), *cold(Path(temporary) / "cold", jovial)]
    for dimension in DIMENSIONS:
        if not wanted or dimension.name in wanted:
            grown(dimension, jovial)
    return 0 if all(met) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
