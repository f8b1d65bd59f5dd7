"""Commands that change files: what stands in the files then, what is said, and that nothing else has changed."""

from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold.cli import main
from tests.support import load_cases

PLAIN = {
    "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments:\n"
    "  sandbox: {parameters: [common.yaml, sandbox.yaml]}\n  live: {parameters: [common.yaml, live.yaml]}\n",
    "line.yaml": "parameters:\n  line: {type: string, default: tal, description: Which}\n"
    "  copies: {type: integer, default: 1, description: How many}\n"
    "  # nothing reads it\n  idle: {type: integer, default: 1, description: Nothing}\n"
    "  tags: {type: object, default: {}, additionalProperties: {type: string}, description: Tags}\n"
    "  password: {type: string, minLength: 3, default: none-yet, writeOnly: true, description: For the desk}\n"
    "resources:\n"
    '  gates (fulmar.machine_group): {name: "${line}", image: gate-7, size: s, copies: "${copies}", tags: "${tags}", operator_password: "${password}"}\n',
    "common.yaml": "line: alp\n",
    "sandbox.yaml": "{}\n",
    "live.yaml": "copies: 2  # gates\n",
}


def written(folder: Path) -> dict[str, str]:
    """All files below a folder."""
    return {path.relative_to(folder).as_posix(): path.read_text() for path in sorted(folder.rglob("*")) if path.is_file()}


@pytest.mark.parametrize("case", load_cases("authoring.yaml"))
def test_a_command_changes_what_it_says_and_nothing_else(
    case: dict[str, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    folder = tmp_path / "project"
    given = {**({} if case.get("bare") else PLAIN), **case.get("given", {})}
    for name, text in given.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    folder.mkdir(exist_ok=True)
    monkeypatch.chdir(folder)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    code = main.run([str(each) for each in case["run"]])
    out, err = capfd.readouterr()
    assert code == case.get("code", 0), (out, err)
    assert case.get("out", "") in out
    assert case.get("err", "") in err
    assert "silent" not in case or case["silent"] not in out + err
    now, lacks = written(folder), case.get("lacks", {})
    expected = {**given, **case.get("files", {})}
    for name, text in lacks.items():
        assert text not in now[name]
    left_out = {*lacks, *case.get("made", ())}
    assert {name: text for name, text in now.items() if name not in left_out} == {
        name: text for name, text in expected.items() if text is not None and name not in left_out
    }
    assert {*case.get("made", ())} <= now.keys()
    assert not list((tmp_path / "state").rglob("*.json")), "a journal was left"
