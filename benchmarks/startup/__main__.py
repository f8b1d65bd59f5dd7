"""How long `jovial --version` and `jovial check` of the demo take, against `import typer`: `python -m benchmarks.startup`."""

import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.measuring import process_seconds, report


def main() -> int:
    """Exit code 1 where an aim is missed."""
    jovial = shutil.which("jovial") or str(Path(sys.executable).with_name("jovial"))
    with tempfile.TemporaryDirectory() as folder:
        demo = Path(folder) / "ridgeline"
        subprocess.run([jovial, "demo", "--into", str(demo)], check=True, stdout=subprocess.DEVNULL)
        commands = {
            "import typer": [sys.executable, "-c", "import typer"],
            "jovial --version": [jovial, "--version"],
            "jovial check": [jovial, "check"],
        }
        seconds = process_seconds(commands, 15, demo)
    reference = seconds["import typer"]
    met = [
        report("jovial --version / import typer", seconds["jovial --version"], reference, 1.3),
        report("jovial check of the demo / import typer", seconds["jovial check"], reference, 4.0),
    ]
    return 0 if all(met) else 1


if __name__ == "__main__":
    sys.exit(main())
