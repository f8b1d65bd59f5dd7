"""Edits of a project of 4,000 resources, their proof included, each against a check of it: `python -m benchmarks.editing`."""

import gc
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
    reference = statistics.median(check)
    met = [report(f"{name} / check", statistics.median(seconds[name]), reference, aim) for name, (_, aim) in edits.items()]
    return 0 if all(met) else 1


if __name__ == "__main__":
    sys.exit(main())
