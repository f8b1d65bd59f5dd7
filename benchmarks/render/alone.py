"""Rendering alone: read, compile, evaluate, validate and write every environment; nothing is checked that rendering does not need.

`python alone.py FOLDER`
"""

import gc
import os
import sys
from pathlib import Path

from jovial_scaffold import Project
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.reports.machine import render_text


def main(folder: Path) -> None:
    """Render and write."""
    gc.disable()  # as the program does
    project = Project.load(folder, Overrides(dict(os.environ)))
    for name in project.environments:
        (folder / "bench" / f"{name}.json").write_text(render_text(project.name, project.render(name)))
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
