"""Fixtures: mini projects written from a table of files, and the real `jovial` program run as a user runs it."""

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import jsonschema
import pytest
import yaml
from hypothesis import settings

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.fingerprints import Fingerprints
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.templates.checking import check_expressions
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.templates.written import check_written
from jovial_scaffold.reports.machine import check_document

# On a shared machine a slow example is no failure; where a change is judged, the same examples are tried every time.
settings.register_profile("developer", deadline=None)
settings.register_profile("judged", deadline=None, derandomize=True)
settings.load_profile("judged" if os.environ.get("CI") else "developer")

SCHEMAS = Path(__file__).parents[1] / "docs" / "schemas"
CASES = Path(__file__).parent / "cases"
Write = Callable[[Mapping[str, str]], Path]


def check_templates(templates: Sequence[Template], environments: Mapping[str, Mapping[str, Any]] | None = None) -> list[Finding]:
    """All that is wrong with templates before any environment, as a check puts it together, and nothing that a rendering says."""
    return [*(each for template in templates for each in check_written(template)), *check_expressions(templates, environments or {})]


#: modules of which every test starts processes, draws, measures growth, or tries very many cases
_SLOW_MODULES = ("board", "bounds", "cli", "docs", "drawing", "fuzz", "growth", "import", "laws", "secrecy", "writing")
_SLOW_CALLS = frozenset(("jovial", "subprocess", "repository"))


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark what is slow, so that `pytest -m "not slow"` is the quick part."""
    for item in items:
        function = getattr(item, "function", None)
        inner = getattr(getattr(function, "hypothesis", None), "inner_test", None)
        calls = set(getattr(getattr(function, "__code__", None), "co_names", ()))
        module = item.nodeid.partition("::")[0].rpartition("test_")[2].removesuffix(".py")
        if inner is not None or module in _SLOW_MODULES or calls & _SLOW_CALLS:
            item.add_marker(pytest.mark.slow)


def load_cases(name: str) -> list[Any]:
    """The entries of a file of cases, each with an id for pytest."""
    entries = yaml.safe_load((CASES / name).read_text("utf-8"))
    return [pytest.param(entry, id=str(entry.get("name") or entry.get("expression") or index)[:60]) for index, entry in enumerate(entries)]


def valid_json(name: str, text: str) -> Any:
    """What a command printed as JSON, which is valid by the published schema of a name."""
    document = json.loads(text)
    jsonschema.validate(document, json.loads(next(SCHEMAS.glob(f"jovial-{name}-[0-9]*.schema.json")).read_text("utf-8")))
    return document


def checked_document(project: Project, **how: Any) -> dict[str, Any]:
    """A check as JSON."""
    result = project.check(**how)
    return check_document(result, Fingerprints(project.source).of(result.findings))


def in_memory(files: Mapping[str, str], overrides: Overrides | None = None) -> Project:
    """A project over files that lie nowhere. Raises ProjectError."""
    return Project(MemoryFolder({name: text.encode() for name, text in files.items()}), overrides=overrides)


@pytest.fixture
def write(tmp_path: Path) -> Write:
    """Writes files into a fresh folder and gives the folder."""

    def write_files(files: Mapping[str, str]) -> Path:
        for name, text in files.items():
            path = tmp_path / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(text.encode("utf-8"))
        return tmp_path

    return write_files


def jovial(
    *arguments: str, cwd: Path, env: Mapping[str, str] | None = None, prefix: Sequence[str] = (), **more: Any
) -> "subprocess.CompletedProcess[str]":
    """Run the installed program."""
    found = Path(sys.executable).with_name("jovial")
    program = str(found) if found.exists() else shutil.which("jovial")
    assert program, "jovial is not installed: pip install ."
    environment = {k: v for k, v in os.environ.items() if not k.startswith(("JOVIAL_", "COLUMNS", "NO_COLOR", "FORCE_COLOR"))} | dict(
        env or {}
    )
    return subprocess.run(
        [*prefix, program, *arguments],
        cwd=cwd,
        env=environment,
        capture_output=True,
        text=True,
        encoding="utf-8",
        timeout=60,
        check=False,
        **more,
    )


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo project, written once; tests that change it copy it first."""
    folder = tmp_path_factory.mktemp("demo")
    assert jovial("demo", cwd=folder).returncode == 0
    return folder / "ridgeline"


@pytest.fixture
def demo(demo_folder: Path, tmp_path: Path) -> Path:
    """A demo project of one's own."""
    return Path(shutil.copytree(demo_folder, tmp_path / "ridgeline"))


def edit(path: Path, old: str, new: str) -> None:
    text = path.read_text("utf-8")
    assert old in text
    path.write_text(text.replace(old, new), "utf-8")
