"""Faults that were there once, put back one at a time into a copy of the sources: does the fuzzer of their kind find them again?"""

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import yaml

_ROOT = Path(__file__).parents[2]


class Fault(NamedTuple):
    """`old` text of a `file` of the package that becomes `new`; `kind` of fuzzer, and within how many `cases` it is to be found."""

    name: str
    file: str
    old: str
    new: str
    kind: str
    cases: int


def known_faults() -> list[Fault]:
    """Those of tests/cases/faults.yaml."""
    told: dict[str, dict[str, Any]] = yaml.safe_load((_ROOT / "tests" / "cases" / "faults.yaml").read_text("utf-8"))
    return [Fault(name, **parts) for name, parts in told.items()]


def spoiled(fault: Fault, package: Path = _ROOT / "src" / "jovial_scaffold") -> tuple[Path, str]:
    """A file of the package and its text with the fault put back. Raises ValueError where the text that it changes is not there once."""
    path = package / fault.file
    text = path.read_text("utf-8")
    if text.count(fault.old) != 1:
        raise ValueError(f"{fault.name}: {text.count(fault.old)} places in {fault.file}")
    return path, text.replace(fault.old, fault.new)


def refound(names: str = "") -> Iterator[tuple[Fault, bool]]:
    """Of each fault whose name holds the text, whether it is found again."""
    with tempfile.TemporaryDirectory() as above:
        copy = Path(above)
        for folder in ("src", "tests"):
            shutil.copytree(_ROOT / folder, copy / folder, ignore=shutil.ignore_patterns("__pycache__"))
        for fault in known_faults():
            if names not in fault.name:
                continue
            path, text = spoiled(fault, copy / "src" / "jovial_scaffold")
            whole = path.read_text("utf-8")
            path.write_text(text, "utf-8")
            command = [sys.executable, "-B", "-m", "tests.fuzz", "--kind", fault.kind, "--cases", str(fault.cases)]
            place = {**os.environ, "PYTHONPATH": f"{copy / 'src'}{os.pathsep}{copy}"}
            done = subprocess.run(command, cwd=copy, env=place, capture_output=True, check=False)
            path.write_text(whole, "utf-8")
            yield fault, done.returncode == 1
