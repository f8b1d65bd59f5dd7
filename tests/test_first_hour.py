"""The first hour: from an empty folder to a project that nothing is wrong with, by what somebody types."""

import shlex
from pathlib import Path

import pytest
import yaml

from jovial_scaffold.cli import main
from jovial_scaffold.machine.opening import Project
from tests.support import CASES

MOST = 40  # lines


def test_a_project_of_twelve_resources_takes_few_lines(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    typed = 0
    for step in yaml.safe_load((CASES / "first_hour.yaml").read_text("utf-8")):
        typed += 1
        if "type" in step:
            file = Path(step.get("file", "main.yaml"))
            lines = file.read_text().split("\n")
            at = next(number for number, line in enumerate(lines) if step.get("behind", step.get("over")) in line)
            if "behind" in step:
                lines.insert(at + 1, step["type"])
            elif step.get("keep"):
                lines.insert(at, step["type"])
            else:
                lines[at] = step["type"]
            file.write_text("\n".join(lines))
            continue
        command, *arguments = shlex.split(step["run"])
        if command == "cd":
            monkeypatch.chdir(arguments[0])
            continue
        code = main.run(arguments)
        out, err = capfd.readouterr()
        assert code == 0, (step, out, err)
    project = Project.load()
    result = project.check()
    assert not result.findings, result.findings
    assert len(project.environments) == 3
    assert all(len(project.render(name).resources) >= 12 for name in project.environments)
    assert project.modules and project.rulesets
    assert result.turned_out("passed") and not result.turned_out("failed")
    print(f"{typed} lines were typed (at most {MOST})")
    assert typed <= MOST
