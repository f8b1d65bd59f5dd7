"""An edit of one name, and of one value, in a project of 4,000 resources, each against a check of it: `python -m benchmarks.editing`."""

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
from jovial_scaffold.core.authoring.renaming import rename
from jovial_scaffold.core.authoring.settings import set_parameters
from jovial_scaffold.core.project_inputs import Overrides


def _seconds(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    return time.perf_counter() - began


def main() -> int:
    """Exit code 1 where an aim is missed."""
    os.environ["DESK_PASSWORD"] = "a password of the benchmark"
    gc.disable()  # as the program does
    overrides = Overrides(dict(os.environ))
    check, parameter, resource, value = [], [], [], []
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary) / "project"
        write_project(folder, 4_000)
        for _ in range(3):
            check.append(_seconds(lambda: Project.load(folder, overrides).check()))
            parameter.append(_seconds(lambda: rename(Project.load(folder, overrides), "hours", "duration")))
            resource.append(_seconds(lambda: rename(Project.load(folder, overrides), "r00000", "first_net")))
            value.append(_seconds(lambda: set_parameters(Project.load(folder, overrides), "live", [("copies", "7")])))
    reference = statistics.median(check)
    met = [
        report("another name for a parameter with 2,500 uses / check", statistics.median(parameter), reference, 1.5),
        report("another name for a resource / check", statistics.median(resource), reference, 1.5),
        report("another value of a parameter / check", statistics.median(value), reference, 1.5),
    ]
    return 0 if all(met) else 1


if __name__ == "__main__":
    sys.exit(main())
