"""Whatever a command that writes shows of its change, no secret is in it: wherever it stood, and wherever it goes."""

import contextlib
import io
import json
import random
from pathlib import Path

import pytest

from jovial_scaffold.cli import main
from jovial_scaffold.core.text.written_values import yaml_flow

SECRETS = ("hush-hush-hush", 'say "nothing"', "it's quiet: #1", "tab\tand ünïcode", "\\back\\slash", "two words", "${'no'} way", "9f-3!")
READ = '"${access.key}"'
COMMANDS = (
    ["lift", "--suggest"],
    ["lift", "desk:operator_password", "--name", "word"],
    ["lift", "desk:operator_password", "--name", "word", "--as", "parameter", "--everywhere"],
    ["lift", "desk:size", "--name", "word", "--everywhere"],
    ["extract", "hall", "--module", "m.yaml", "--as", "mm"],
    ["extract", "hall", "attic", "desk", "--module", "m.yaml", "--as", "mm"],
    ["inline", "room"],
    ["inline", "lobby"],
    ["rename", "environments.live", "top"],
    ["rename", "token", "word"],
    ["rename", "access.key", "word"],
    ["rename", "word", "third", "--in", "room.yaml"],
    ["tidy"],
    ["mend"],
    ["new", "environment", "dusk", "--like", "live"],
    ["parameters", "set", "line=x", "--in", "live"],
    ["parameters", "prune"],
    ["parameters", "drop", "spare"],
)


def files(secret: str) -> dict[str, str]:
    """A project with the secret in every place that one may have, and some lines that are not laid out."""
    written = yaml_flow(secret.replace("${", "$${"))
    plain = yaml_flow(secret)
    machine = "  {0} (fulmar.machine_group): {{name: {0}, image: gate-7, size: s, copies: 1, operator_password: {1}}}\n".format
    block = (
        "  {0} (fulmar.machine_group):\n    name: {0}\n    image: gate-7\n    size:   s\n    copies: 1\n    operator_password: {1}\n".format
    )
    return {
        "jovial.yaml": "project: lib\ntemplate: main.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}, trial: {}}\n",
        "main.yaml": "parameters:\n  token: {type: string, minLength: 3, writeOnly: true, description: T}\n"
        "  access: {type: object, properties: {user: {type: string}, key: {type: string, writeOnly: true}}, description: A}\n"
        "  line: {type: string, default:   alp, description: L}\n  spare: {type: string, default: x, writeOnly: true, description: S}\n"
        f"resources:\n{machine('desk', written)}{block('hall', written)}{block('attic', '${token}')}{machine('loft', READ)}"
        f"  room (./room.yaml):\n    word: {written}\n    label: room\n  lobby (./room.yaml):\n    word: ${{token}}\n    label: lobby\n",
        "room.yaml": "parameters:\n  word: {type: string, writeOnly: true, description: W}\n  label: {type: string, description: L}\n"
        f"resources:\n{block('pool', written)}{block('other', '${word}')}".replace("name: ", "name: ${label}-"),
        "parameters/live.yaml": f"# ours\ntoken:   {plain}\naccess: {{user: ada, key: {plain}}}\ntokn: {plain}\n",
        "parameters/trial.yaml": f"token: {plain}\naccess:\n  user: bob\n  key: {plain}\nspare: {plain}\n",
    }


@pytest.mark.parametrize("secret", SECRETS)
@pytest.mark.parametrize("command", COMMANDS, ids=" ".join)
def test_no_secret_is_shown(secret: str, command: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name, text in files(secret).items():
        path = tmp_path / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(text)
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    told = [secret, yaml_flow(secret).strip('"'), json.dumps(secret)[1:-1], secret.replace("'", "''"), json.dumps(json.dumps(secret))[3:-3]]
    for more in (["--dry-run"], ["--dry-run", "--format", "json"], []):
        if command[:2] == ["lift", "--suggest"] and more == ["--dry-run"]:
            continue
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main.run([*command, *more])
        assert code in (0, 1, 2)
        shown = out.getvalue() + err.getvalue()
        assert not any(each in shown for each in told), (command, more, shown)


def test_most_of_them_do_something(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """That nothing is shown since nothing is done would be no proof."""
    done = 0
    for command in random.Random(3).sample(COMMANDS, len(COMMANDS)):
        folder = tmp_path / "-".join(command).replace("/", "_")
        for name, text in files("hush-hush-hush").items():
            path = folder / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text)
        monkeypatch.chdir(folder)
        monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
        with contextlib.redirect_stdout(io.StringIO()) as out, contextlib.redirect_stderr(io.StringIO()):
            done += main.run([*command, *(["--dry-run"] if "--suggest" not in command else [])]) in (0, 1) and bool(out.getvalue())
    assert done >= len(COMMANDS) - 4, done
