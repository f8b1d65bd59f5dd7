"""Views of an environment, under other values and as of a revision, in every command that takes an environment."""

import shutil
from pathlib import Path
from typing import Any

import pytest

from tests.fuzz.commands import in_process
from tests.support import load_cases
from tests.support_git import repository


@pytest.fixture(scope="module")
def edited(demo_folder: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo in a repository, with one value edited since its commit."""
    folder = Path(shutil.copytree(demo_folder, tmp_path_factory.mktemp("views") / "ridgeline"))
    repository(folder)
    file = folder / "parameters" / "live.yaml"
    text = file.read_text()
    assert "archive_days: 365" in text
    file.write_text(text.replace("archive_days: 365", "archive_days: 366"))
    return folder


@pytest.mark.parametrize("case", load_cases("views.yaml"))
def test_views(edited: Path, case: dict[str, Any]) -> None:
    code, (out, err) = in_process(edited, [str(each) for each in case["run"]])
    texts = {"out": " ".join(out.decode().split()), "err": " ".join(err.decode().split())}
    assert code == case["code"], texts
    for stream, text in texts.items():
        assert all(" ".join(part.split()) in text for part in case.get(stream, [])), text
        assert "edelweiss" not in text
