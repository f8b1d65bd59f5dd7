"""Rendering alone: read, compile, evaluate, validate and write every environment; nothing is checked that rendering does not need.

`python alone.py FOLDER WORKERS`
"""

import gc
import os
import sys
from functools import partial
from pathlib import Path

from jovial_scaffold import Project
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.reports.machine import render_text


def write(name: str, folder: Path, rendering: Rendering) -> None:
    """One environment, as `jovial render --format json` writes it."""
    (folder / f"{rendering.environment}.json").write_text(render_text(name, rendering))


def main(folder: Path, workers: int) -> None:
    """Render and write."""
    gc.disable()  # as the program does
    project = Project.load(folder, Overrides(dict(os.environ)))
    project.render_each(partial(write, project.name, folder / "bench"), workers=workers)
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
