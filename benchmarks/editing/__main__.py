"""Edits of a project of 4,000 resources, their proof included, each against a check of it: `python -m benchmarks.editing`."""

import gc
import json
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from benchmarks.measuring import report
from benchmarks.render.generated import write_project
from jovial_scaffold import Project
from jovial_scaffold.core.authoring.extracting import extract
from jovial_scaffold.core.authoring.inlining import inline
from jovial_scaffold.core.authoring.lifting import lift
from jovial_scaffold.core.authoring.renaming import rename
from jovial_scaffold.core.authoring.settings import set_parameters
from jovial_scaffold.core.authoring.tidying import tidy
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.text.edits import unified_diff


def _seconds(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    return time.perf_counter() - began


_MOVED = [f"r{number:05}" for number in range(48)]


def _edits(overrides: Overrides, folder: Path) -> dict[str, tuple[Callable[[], object], float]]:
    """What is measured, and at most how many times a check it may take: an edit of one name or value, and those that look at everything."""

    def load() -> Project:
        return Project.load(folder, overrides)

    changed = rename(load(), "prefix", "head")[0].files()
    module = load().edited(extract(load(), _MOVED, "modules/moved.yaml", "moved")[0].files())
    return {
        "another name for a parameter with 2,500 uses": (lambda: rename(load(), "hours", "duration"), 1.5),
        "another name for a resource": (lambda: rename(load(), "r00000", "first_net"), 1.5),
        "another value of a parameter": (lambda: set_parameters(load(), "live", [("copies", "7")]), 1.5),
        "another name for an environment": (lambda: rename(load(), "environments.live", "top"), 5),
        "the diff of 4,000 changed lines among 40,000": (lambda: unified_diff(changed), 1.5),
        "48 resources into a module": (lambda: extract(load(), _MOVED, "modules/moved.yaml", "moved"), 5),
        "a module with 48 resources written out": (lambda: inline(module, "moved"), 5),
        "a text in 1,500 places gets a name": (lambda: lift(load(), [], "base", False, True, "base-2026-10"), 5),
        "everything laid out": (lambda: tidy(load()), 5),
    }


def _in_json(folder: Path) -> None:
    """The same template in JSON, all in brackets."""
    project = Project.load(folder, Overrides(dict(os.environ)))
    (folder / "line.json").write_text(json.dumps(project.own_sources[0].value, indent=1))
    entry = folder / "jovial.yaml"
    entry.write_text(entry.read_text().replace("line.yaml", "line.json"))


def _with_rules(folder: Path) -> None:
    """A rule that reads the parameter, and one that compares addresses."""
    text = "  read: {because: So it is., over: parameters, require: parameters.hours < 100, message: Too long.}\n"
    text += "  one: {because: So it is., applies: [fulmar.queue], where: address != 'r00005', require: self.wait_hours > 0, message: Too short.}\n"
    with (folder / "house.yaml").open("a") as file:
        file.write(text)


def _other_projects(base: Path) -> list[tuple[str, str, str, Path]]:
    """Edits of one name in projects that differ in other ways: what it is, the old name, the new one, and the folder."""
    found = []
    for name, old, new, options, then in (
        ("a name that stands in the files as another word", "hours", "wait_hours", {}, None),
        ("a named value with 4,000 uses", "prefix", "head", {}, None),
        ("a parameter that rules read", "hours", "duration", {"rules": 30}, _with_rules),
        ("a resource that rules compare", "r00005", "queue", {"rules": 30}, _with_rules),
        ("where each group has a condition of its own", "hours", "duration", {"own_conditions": True}, None),
        ("where something is wrong", "hours", "duration", {"wrong": 1}, None),
        ("all in JSON", "hours", "duration", {}, _in_json),
        ("in one environment", "hours", "duration", {"environments": ("live",)}, None),
        ("in ten environments", "hours", "duration", {"environments": tuple(f"line-{number}" for number in range(10))}, None),
    ):
        folder = base / name.replace(" ", "-")
        write_project(folder, 4_000, **options)  # type: ignore[arg-type]  # as it takes them
        if then is not None:
            then(folder)
        found.append((name, old, new, folder))
    return found


def varied(base: Path, overrides: Overrides) -> list[bool]:
    """Another name in each of them."""
    met = []
    for name, old, new, folder in _other_projects(base):
        check, edit = [], []
        for _ in range(3):
            check.append(_seconds(lambda folder=folder: Project.load(folder, overrides).check()))  # type: ignore[misc]
            edit.append(_seconds(lambda folder=folder, old=old, new=new: rename(Project.load(folder, overrides), old, new)))  # type: ignore[misc]
        met.append(report(f"another name, {name} / check", statistics.median(edit), statistics.median(check), 1.5))
    return met


def main() -> int:
    """Exit code 1 where an aim is missed."""
    os.environ["DESK_PASSWORD"] = "a password of the benchmark"
    gc.disable()  # as the program does
    overrides = Overrides(dict(os.environ))
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary) / "project"
        write_project(folder, 4_000)
        template = folder / "line.yaml"
        edits = _edits(overrides, folder)
        check: list[float] = []
        seconds: dict[str, list[float]] = {name: [] for name in edits}
        for _ in range(3):
            check.append(_seconds(lambda: Project.load(folder, overrides).check()))
            for name, (call, _) in edits.items():
                text = template.read_text()
                if name == "everything laid out":
                    template.write_text(text.replace(": ", ":  ").replace("\n  r", "\n\n\n  r"))
                seconds[name].append(_seconds(call))
                template.write_text(text)
        others = varied(Path(temporary) / "varied", overrides)
    reference = statistics.median(check)
    met = [report(f"{name} / check", statistics.median(seconds[name]), reference, aim) for name, (_, aim) in edits.items()]
    return 0 if all([*met, *others]) else 1


if __name__ == "__main__":
    sys.exit(main())
