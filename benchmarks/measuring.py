"""What the benchmarks share: whole processes timed in turn, medians, and one line with the ratio and whether the aim is met."""

import os
import statistics
import subprocess
import sys
import time
from collections.abc import Sequence
from pathlib import Path


def process_seconds(commands: dict[str, Sequence[str]], rounds: int, folder: Path | None = None, worst: int = 0) -> dict[str, float]:
    """Median seconds of each command, run in turn so that a noisy moment hits all of them alike.

    Each runs once before, and with bytecode kept, as an installed program does. None may end with a code above `worst`.
    """
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    taken: dict[str, list[float]] = {name: [] for name in commands}
    for attempt in range(rounds + 1):
        for name, command in commands.items():
            began = time.perf_counter()
            done = subprocess.run(command, check=False, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=folder, env=environment)
            assert 0 <= done.returncode <= worst, (command, done.returncode)
            if attempt:
                taken[name].append(time.perf_counter() - began)
    return {name: statistics.median(times) for name, times in taken.items()}


def report(what: str, measured: float, reference: float, most: float) -> bool:
    """Print a ratio beside its aim; whether it is met."""
    ratio = measured / reference
    met = ratio <= most
    print(
        f"{what}: {measured * 1000:.0f} ms / {reference * 1000:.0f} ms = {ratio:.2f} (aim: at most {most:g}) {'met' if met else 'MISSED'}"
    )
    return met


_MEASURE = "import resource, subprocess, sys; subprocess.run(sys.argv[1:], check=True, stdout=-3, stderr=-3); print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"


def peak_megabytes(command: Sequence[str]) -> float:
    """The peak memory of a command, the largest of its processes; measured by a small process, since a child begins with its parent's."""
    done = subprocess.run([sys.executable, "-c", _MEASURE, *command], check=True, capture_output=True, text=True)
    return int(done.stdout) / 1024
