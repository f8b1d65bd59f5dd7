"""`--ask`: at a terminal every parameter without a value is asked for; without one it is said what is missing."""

import os
import pty
import re
import select
import signal
import subprocess
import sys
import time
from pathlib import Path

from tests.support import Write, write

__all__ = ["write"]
PROGRAM = str(Path(sys.executable).with_name("jovial"))
FILES = {
    "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [live.yaml]}}\n",
    "line.yaml": "parameters:\n  copies: {type: integer, maximum: 9, description: How many}\n"
    "  desk: {type: string, minLength: 12, writeOnly: true, description: The desk}\n"
    "  size: {enum: [s, m], default: s, description: How large}\n"
    "resources:\n"
    '  gates (fulmar.machine_group): {name: gates, image: gate-7, size: "${size}", copies: "${copies}", operator_password: "${desk}"}\n',
    "live.yaml": "# ours\n",
}


def at_a_terminal(arguments: list[str], answers: list[str], folder: Path) -> tuple[int, str]:
    """The exit code and the screen of a program that somebody answers, each time that it waits."""
    child, terminal = pty.fork()
    if child == 0:
        os.chdir(folder)
        os.environ.update(NO_COLOR="1", XDG_STATE_HOME=str(folder.parent / "state"), COLUMNS="100")
        os.execv(PROGRAM, [PROGRAM, *arguments])
    screen, waiting, deadline = "", list(answers), time.monotonic() + 30
    while time.monotonic() < deadline:
        if not select.select([terminal], [], [], 0.2)[0]:
            continue
        try:
            read = os.read(terminal, 4096)
        except OSError:  # it has ended
            break
        if not read:
            break
        screen += read.decode()
        if waiting and screen.rstrip(" ").endswith((">", "[y/N]")):
            time.sleep(0.05)
            os.write(terminal, f"{waiting.pop(0)}\n".encode())
            screen += "\n"
    else:
        os.kill(child, signal.SIGKILL)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), screen


def test_what_is_missing_is_asked_for_and_kept(write: Write) -> None:
    folder = write(FILES)
    code, screen = at_a_terminal(["render", "live", "--ask"], ["12", "7", "short", "long-enough-a-secret", "y"], folder)
    assert code == 0, screen
    assert "integer, at most 9" in screen and "How many" in screen
    assert "takes at most 9" in screen and "takes at least 12 characters" in screen
    assert "long-enough-a-secret" not in screen and "short" not in screen
    assert re.search(r"copies +7", screen)
    assert (folder / "live.yaml").read_text() == "# ours\ncopies: 7\n"


def test_nothing_is_written_that_nobody_wants(write: Write) -> None:
    folder = write({**FILES, "live.yaml": "desk: {$secret: {env: DESK}}\n"})
    code, screen = at_a_terminal(["check", "--ask"], ["3", "n"], folder)
    assert code == 0, screen
    assert (folder / "live.yaml").read_text() == "desk: {$secret: {env: DESK}}\n"


def test_without_a_terminal_it_is_said_what_is_missing(write: Write) -> None:
    folder = write(FILES)
    done = subprocess.run([PROGRAM, "check", "--ask"], cwd=folder, stdin=subprocess.DEVNULL, capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert "live has no value for copies and desk" in done.stderr


def test_a_new_project_is_asked_for(tmp_path: Path) -> None:
    answers = ["nothing", "web-service", "Live", "sandbox, live", "x", "ticket-desk", "tickets.alp.example", "none", "10.90.0.0/16"]
    code, screen = at_a_terminal(["new", "project", "desk", "--ask"], answers, tmp_path)
    assert code == 0, screen
    assert "There is none of that name." in screen and "Their names are a-z" in screen
    assert "Who answers for the service?" in screen
    assert (tmp_path / "desk" / "parameters" / "live.yaml").exists()
    texts = "".join(path.read_text() for path in (tmp_path / "desk" / "parameters").iterdir())
    assert "ticket-desk" in texts and "tickets.alp.example" in texts and "10.90.0.0/16" in texts


def test_a_new_project_needs_no_answer(tmp_path: Path) -> None:
    code, screen = at_a_terminal(["new", "project", "desk", "--ask"], ["", ""], tmp_path)
    assert code == 0, screen
    assert sorted(path.name for path in (tmp_path / "desk" / "parameters").iterdir()) == ["common.yaml", "live.yaml", "sandbox.yaml"]


def test_a_new_project_cannot_be_asked_for_without_a_terminal(tmp_path: Path) -> None:
    done = subprocess.run(
        [PROGRAM, "new", "project", "desk", "--ask"], cwd=tmp_path, stdin=subprocess.DEVNULL, capture_output=True, text=True, check=False
    )
    assert done.returncode == 2 and "there is none" in done.stderr
    assert not (tmp_path / "desk").exists()


def test_a_new_environment_is_asked_for_what_it_has_instead(write: Write) -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\n"
        "environments:\n  sandbox: {parameters: [common.yaml, sandbox.yaml]}\n  live: {parameters: [common.yaml, live.yaml]}\n",
        "line.yaml": FILES["line.yaml"],
        "common.yaml": "size: m\n",
        "sandbox.yaml": "copies: 1\ndesk: {$secret: {env: DESK}}\n",
        "live.yaml": "copies: 2  # gates\ndesk: {$secret: {env: DESK}}\n",
    }
    folder = write(files)
    code, screen = at_a_terminal(["new", "environment", "trial", "--ask"], ["nowhere", "sandbox", "many", "10", "3"], folder)
    assert code == 0, screen
    assert "There are sandbox and live; nothing for live" in screen and "There is none of that name" in screen
    assert "How many; nothing for 1" in screen and "takes at most 9" in screen
    assert "size" not in screen and "The desk" not in screen  # which it does not set, and which is secret
    assert (folder / "trial.yaml").read_text() == "copies: 3\ndesk: {$secret: {env: DESK}}\n"
    code, screen = at_a_terminal(["new", "environment", "other", "--ask"], ["", ""], folder)
    assert code == 0, screen
    assert (folder / "other.yaml").read_text() == files["live.yaml"]  # the last one, as it is
    ended = subprocess.run(
        [PROGRAM, "new", "environment", "more", "--ask", "--like", "live"], cwd=folder, capture_output=True, text=True, check=False
    )
    assert (ended.returncode, ended.stdout) == (2, "")
    assert "there is none" in ended.stderr and not (folder / "more.yaml").exists()
