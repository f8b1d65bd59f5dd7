"""The fuzzers of tests/fuzz, bounded and seeded: no promise breaks, and most cases come as far as evaluating."""

import random
import subprocess
import sys
from pathlib import Path

import pytest

from tests.fuzz import attempt_of
from tests.fuzz.faults import Fault, known_faults, spoiled
from tests.fuzz.projects import base_files, run
from tests.fuzz.secrets import SECRET

BOUNDS = {
    "imports": (300, 0.6),
    "projects": (160, 0.85),
    "secrets": (60, 0.85),
    "expressions": (1_500, 0.9),
    "trees": (200, 0.5),
    "commands": (120, 0.45),
    "drivers": (24, 0.9),
    "lists": (16, 0.9),
    "residuals": (800, 0.9),
    "yaml": (1_200, 0.9),
    "shapes": (16, 0.9),
    "static": (16, 0.9),
    "rules": (60, 0.9),
    "planted": (60, 0.9),
    "unused": (40, 0.9),
    "families": (60, 0.9),
    "moulds": (80, 0.75),
    "worlds": (10, 0.9),
    "reaching": (150, 0.9),
    "handing": (150, 0.9),
    "searching": (14, 0.9),
    "echoes": (80, 0.3),
    "copied": (25, 0.9),
    "causes": (14, 0.5),
    "renames": (500, 0.5),
    "impacts": (20, 0.5),
    "drift": (30, 0.5),
    "edges": (300, 0.5),
    "ripples": (24, 0.5),
    "edits": (120, 0.8),
    "proofs": (120, 0.4),
}


@pytest.mark.parametrize("kind", BOUNDS)
def test_no_case_breaks_a_promise(kind: str) -> None:
    cases, share = BOUNDS[kind]
    attempt = attempt_of(kind)
    outcomes = [attempt(random.Random(case)) for case in range(cases)]
    assert sum(outcome != "unusable" for outcome in outcomes) >= share * cases


def test_whenever_a_command_that_writes_is_ended() -> None:
    # In a process of its own, which has no threads: it makes others of itself.
    command = [sys.executable, "-m", "tests.fuzz", "--kind", "endings", "--cases", "40"]
    done = subprocess.run(command, capture_output=True, text=True, cwd=Path(__file__).parents[1], check=False)
    assert done.returncode == 0 and " 0 kinds of defects" in done.stdout, done.stdout + done.stderr


@pytest.mark.parametrize("demo", [False, True])
def test_what_is_not_spoilt_is_clean(demo: bool) -> None:
    outcome = run(base_files(demo))
    assert outcome.kind == "clean" and SECRET not in outcome.text


@pytest.mark.parametrize("fault", known_faults(), ids=lambda fault: fault.name)
def test_old_faults_can_be_put_back(fault: Fault) -> None:
    path, text = spoiled(fault)
    compile(text, str(path), "exec")
