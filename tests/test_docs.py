"""The pages of the language manual: their files are written, their commands are run, and what they print must be what the page shows.

`JOVIAL_WRITE_DOCS=1 python -m pytest tests/test_docs.py` writes what is printed into the pages instead; read it before you commit it.
"""

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

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
