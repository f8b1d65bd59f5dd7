"""The README's walk: each block, copied in order into a shell, works."""

import os
import re
import subprocess
import sys
from pathlib import Path

README = Path(__file__).parents[1] / "README.md"
_BLOCKS = re.compile(r"^<!-- walk -->\n```sh\n(.*?)^```$", re.MULTILINE | re.DOTALL)


def test_the_walk_works_as_it_is_copied(tmp_path: Path) -> None:
    blocks = _BLOCKS.findall(README.read_text("utf-8"))
    assert len(blocks) > 1
    paths = os.pathsep.join((str(Path(sys.executable).parent), os.environ["PATH"]))
    process = {**os.environ, "PATH": paths, "XDG_STATE_HOME": str(tmp_path / "state"), "COLUMNS": "100"}
    done = subprocess.run(
        ["bash", "-eu", "-c", "".join(blocks)], cwd=tmp_path, env=process, capture_output=True, text=True, timeout=120, check=False
    )
    assert done.returncode == 0, (done.stdout[-2000:], done.stderr[-2000:])
    assert "Traceback" not in done.stderr
    assert (tmp_path / "alp" / "parameters" / "trial.yaml").exists()
