"""Rendering alone: read, compile, evaluate, validate and write every environment; nothing is checked that rendering does not need.

`python alone.py FOLDER`
"""

import gc
import os
import sys
from pathlib import Path

import orjson

from jovial_scaffold import Project
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.project_inputs import Overrides


def main(folder: Path) -> None:
    """Render and write."""
    gc.disable()  # as the program does
    project = Project.load(folder, Overrides(dict(os.environ)))
    found = {}
    for name in project.environments:
        rendering = project.render(name)
        found[name] = {address: to_json(each.properties) for address, each in rendering.resources.items()}
    (folder / "bench" / "alone.json").write_bytes(orjson.dumps(found))
    sys.stdout.flush()
    os._exit(0)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
