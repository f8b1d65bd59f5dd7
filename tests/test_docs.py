"""The pages of the language manual: their files are written, their commands are run, and what they print must be what the page shows.

`JOVIAL_WRITE_DOCS=1 python -m pytest tests/test_docs.py` writes what is printed into the pages instead; read it before you commit it.
"""

import os
import re
import shlex
import subprocess
import sys
from pathlib import Path

import pytest
import yaml

from tests.support_git import git, repository

DOCS = Path(__file__).parents[1] / "docs"
PAGES = [
    *sorted((DOCS / "language").glob("*.md")),
    DOCS / "catalogs.md",
    DOCS / "beginning.md",
    DOCS / "changing.md",
    DOCS / "daily.md",
    DOCS / "parameters.md",
    DOCS / "protecting.md",
    DOCS / "reviewing.md",
]
PROJECT = "project: example\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {sandbox: {}, live: {}}\n"
_BLOCK = re.compile(r"^```(\w+)(?: (\S+))?\n(.*?)^```$", re.MULTILINE | re.DOTALL)
_SECONDS = re.compile(r" [0-9.]+ s$", re.MULTILINE)


def run(command: str, folder: Path) -> str:
    """What a command prints on both streams, as a terminal would show it; times are left out."""
    paths = os.pathsep.join((str(Path(sys.executable).parent), os.environ["PATH"]))
    clean = {name: value for name, value in os.environ.items() if not name.startswith(("JOVIAL_", "NO_COLOR", "FORCE_COLOR"))}
    # Who records, and when, is the same on every machine.
    who = {"SOURCE_DATE_EPOCH": "1795392000", "GIT_CONFIG_COUNT": "1", "GIT_CONFIG_KEY_0": "user.name", "GIT_CONFIG_VALUE_0": "Ada"}
    environment = {**clean, **who, "PATH": paths, "COLUMNS": "100"}
    done = subprocess.run(
        command,
        shell=True,
        cwd=folder,
        env=environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        timeout=60,
        check=False,
    )
    assert "Traceback" not in done.stdout
    return "\n".join(line.rstrip() for line in _SECONDS.sub("", done.stdout).rstrip().splitlines())


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_page(page: Path, tmp_path: Path) -> None:
    text = page.read_text("utf-8")
    if "```yaml workspace.yaml" not in text:
        (tmp_path / "jovial.yaml").write_text(PROJECT)
    shown: list[str] = []
    at = 0
    for block in _BLOCK.finditer(text):
        language, file, content = block.groups()
        if file:
            (tmp_path / file).parent.mkdir(parents=True, exist_ok=True)
            (tmp_path / file).write_text(content, "utf-8")
        if language != "console":
            continue
        commands = [line[2:] for line in content.splitlines() if line.startswith("$ ")]
        printed = "\n\n".join(f"$ {command}\n{run(command, tmp_path)}".rstrip() for command in commands)
        shown += [text[at : block.start(3)], printed, "\n"]
        at = block.end(3)
    whole = "".join((*shown, text[at:]))
    if os.environ.get("JOVIAL_WRITE_DOCS"):
        page.write_text(whole, "utf-8")
    assert page.read_text("utf-8") == whole


def test_the_steps_of_a_pipeline_work_as_they_are_written(demo: Path) -> None:
    repository(demo)
    git(demo, "branch", "-M", "main")
    (demo / "deployed" / "live.json").unlink()  # the demo's is written by hand, which `record` does not write over
    run("jovial record live --out deployed/live.json", demo)
    blocks = [content for language, _, content in _BLOCK.findall((DOCS / "pipeline.md").read_text("utf-8")) if language == "sh"]
    assert len(blocks) == 2
    for line in "".join(blocks).splitlines():
        printed = run(f"bash -c {shlex.quote(line)}; echo ended with $?", demo)
        assert printed.endswith("ended with 0"), (line, printed)
    for name in ("known.json", "check.sarif", "check.xml", "rendered.txt", "compare.md", "effects.md", "deployed/live.json"):
        assert (demo / name).stat().st_size > 0, name


def test_the_hooks_of_a_page_are_those_that_there_are() -> None:
    shown = next(content for language, _, content in _BLOCK.findall((DOCS / "pipeline.md").read_text("utf-8")) if language == "yaml")
    named = [each["id"] for repo in yaml.safe_load(shown)["repos"] for each in repo["hooks"]]
    assert named == [each["id"] for each in yaml.safe_load((DOCS.parent / ".pre-commit-hooks.yaml").read_text("utf-8"))]
