"""The one door for writing: whole or not at all, modes kept, nothing left behind; and how the program ends."""

import json
import os
import random
import stat
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from jovial_scaffold.cli import main
from jovial_scaffold.core.text.edits import FileChange
from jovial_scaffold.machine import writing
from jovial_scaffold.machine.changing import ChangedMeanwhile, carry_out, finish
from jovial_scaffold.machine.journals import journal_path
from tests.support import jovial

PROGRAM = str(Path(sys.executable).with_name("jovial"))


def mode(path: Path) -> int:
    return stat.S_IMODE(path.stat().st_mode)


@pytest.mark.parametrize(
    ("before", "private", "after"),
    [(None, False, 0o640), (0o600, False, 0o600), (0o664, False, 0o664), (None, True, 0o600), (0o644, True, 0o600)],
)
def test_modes(tmp_path: Path, before: int | None, private: bool, after: int) -> None:
    target = tmp_path / "out"
    if before is not None:
        target.write_text("old")
        target.chmod(before)
    umask = os.umask(0o027)
    try:
        writing.write(target, "new", private)
    finally:
        os.umask(umask)
    assert target.read_text() == "new" and mode(target) == after and os.listdir(tmp_path) == ["out"]


def test_what_is_no_ordinary_file_is_never_replaced(tmp_path: Path) -> None:
    (tmp_path / "real").write_text("old")
    (tmp_path / "link").symlink_to("real")
    writing.write(tmp_path / "link", "through")
    assert (tmp_path / "link").is_symlink() and (tmp_path / "real").read_text() == "through"
    (tmp_path / "dangling").symlink_to("nowhere")
    (tmp_path / "read_only").write_text("old")
    (tmp_path / "read_only").chmod(0o444)
    for name in ("dangling", "read_only", "missing/x", "/dev/full"):
        with pytest.raises(OSError, match=name):
            writing.write(tmp_path / name, "new")
    assert (tmp_path / "read_only").read_text() == "old" and (tmp_path / "dangling").is_symlink()
    writing.write(Path("/dev/null"), "gone")
    assert stat.S_ISCHR(os.stat("/dev/null").st_mode)
    with pytest.raises(OSError, match="regular"):
        writing.write(Path("/dev/null"), "secret", private=True)
    os.mkfifo(tmp_path / "pipe")
    reader = subprocess.Popen(["cat", str(tmp_path / "pipe")], stdout=subprocess.PIPE)
    writing.write(tmp_path / "pipe", "streamed")
    assert reader.communicate(timeout=10)[0] == b"streamed" and stat.S_ISFIFO(os.stat(tmp_path / "pipe").st_mode)


def test_files_that_belong_together_come_together(tmp_path: Path) -> None:
    (tmp_path / "b").write_text("old")
    (tmp_path / "b").chmod(0o444)
    with writing.Staged() as staged, pytest.raises(PermissionError):
        staged.add(tmp_path / "a", "new")
        staged.add(tmp_path / "b", "new")
    assert os.listdir(tmp_path) == ["b"]
    (tmp_path / "b").chmod(0o644)
    with writing.Staged() as staged:
        staged.add_below(tmp_path / "out", "deep/er/a", "1")
        staged.add(tmp_path / "b", "2")
        staged.commit()
    assert (tmp_path / "out/deep/er/a").read_text() == "1" and (tmp_path / "b").read_text() == "2"


def test_leftovers_of_killed_writers_are_cleared_and_those_of_others_are_not(tmp_path: Path) -> None:
    (tmp_path / f"{writing.MARK}dead").write_text("half")
    (tmp_path / f"{writing.MARK}folder").mkdir()
    with writing.Staged() as alive:
        alive.add(tmp_path / "a", "1")
        writing.write(tmp_path / "b", "2")
        alive.commit()
    assert sorted(os.listdir(tmp_path)) == ["a", "b"]


def test_a_full_disk_names_the_file(demo: Path) -> None:
    result = jovial("render", "live", "--out", "/dev/full", cwd=demo)
    assert result.returncode == 2 and "/dev/full" in result.stderr and "No space" in result.stderr


SMALL = """mount -t tmpfs -o size=64k small small && cd small || exit 77
printf old > out; head -c 200000 /dev/zero > filler
for command in "board --out out" "compare --format html --out out" "render live --format json --out out" "record live --out new" \\
    "demo --into made" "render live --documents deep/er" "map live --format svg --out out"; do
  jovial $command $(test "${command%% *}" = demo || echo --project ../ridgeline) 2>&1 > ../said | tail -1
done
cat out; ls -A"""


def test_a_small_disk_that_is_full_keeps_what_was_there(demo: Path) -> None:
    (demo.parent / "small").mkdir()
    paths = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    command, above = ["unshare", "-rm", "sh", "-c", SMALL], demo.parent
    try:
        done = subprocess.run(command, cwd=above, capture_output=True, text=True, env={**os.environ, "PATH": paths}, check=False)
    except FileNotFoundError:
        pytest.skip("unshare is not here")
    if done.returncode == 77 or done.stderr.startswith("unshare"):
        pytest.skip("no file system of one's own can be mounted here")
    *told, last = done.stdout.splitlines()[:8]
    assert len(told) == 7 and all("No space left on device" in line for line in told), done.stdout
    assert last == "oldfiller" and done.stdout.splitlines()[8:] == ["out"], done.stdout


STREAMS = [
    ("closed", "exec jovial check >&-", 0, ""),
    ("full", "exec jovial check > /dev/full", 2, "standard output"),
    ("dead pipe", "jovial render live | true; exit ${PIPESTATUS[0]}", 0, ""),
    ("closed input", "exec jovial check <&-", 0, ""),
]


@pytest.mark.parametrize(("command", "code", "says"), [each[1:] for each in STREAMS], ids=[each[0] for each in STREAMS])
def test_streams_that_take_nothing(demo: Path, command: str, code: int, says: str) -> None:
    paths = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    done = subprocess.run(["bash", "-c", command], cwd=demo, capture_output=True, text=True, env={**os.environ, "PATH": paths}, check=False)
    assert done.returncode == code and says in done.stderr and "Traceback" not in done.stderr


def test_a_small_encoding_takes_every_report(demo: Path) -> None:
    for command in (("compare",), ("check", "--with", "archive_days=0"), ("map", "live")):
        result = jovial(*command, cwd=demo, env={"PYTHONIOENCODING": "ascii"})
        assert result.returncode in (0, 1) and result.stdout.isascii() and result.stdout
    (demo / "parameters" / "common.yaml").write_text((demo / "parameters" / "common.yaml").read_text().replace("alp", "àlp"))
    json.loads(jovial("check", "--format", "json", cwd=demo, env={"PYTHONIOENCODING": "ascii"}).stdout)


def test_an_error_of_ours_ends_with_70_and_a_report_without_values(
    demo: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    def broken(*_: object, **__: object) -> None:
        raise ValueError("edelweiss-over-the-tunnel")

    monkeypatch.setattr("jovial_scaffold.machine.opening.Project.check", broken)
    monkeypatch.setattr("tempfile.tempdir", str(tmp_path))
    monkeypatch.setattr("jovial_scaffold.cli.ending.prepare", lambda machine: None)
    monkeypatch.chdir(demo)
    assert main.run(["check", "--with", "desk_password=edelweiss-over-the-tunnel"]) == 70
    said = capsys.readouterr().err
    (report,) = tmp_path.glob("jovial-report-*.txt")
    assert "internal error (ValueError)" in said and str(report) in said and "Traceback" not in said
    assert "edelweiss" not in said + report.read_text() and "check.py" in report.read_text() and mode(report) == 0o600


def test_text_of_files_steers_no_terminal_and_no_reader_of_json(demo: Path) -> None:
    steering = "\\e]0;owned\\a \\x9b31m \\u202e \\u200b \\u061c \\U000E0041"
    (demo / "parameters" / "common.yaml").write_text(f'line: "{steering}"\nx{"y"}: "{steering}"\n')
    snapshot = {"environment": "live", "resources": {"a\x1b[2J": {"type": "fulmar.queue.v1\x07", "properties": {"n\u202e": "\x9b"}}}}
    (demo / "now.json").write_text(json.dumps(snapshot))
    for command in (
        ("check",),
        ("compare",),
        ("effects", "live", "--against", "now.json"),
        ("check", "--format", "json"),
        ("compare", "live", "live?line=\x1b]0;x\x07"),
    ):
        for columns in ("60", "140"):
            result = jovial(*command, cwd=demo, env={"COLUMNS": columns})
            assert not set(result.stdout + result.stderr) & set("\x1b\x07\x9b\u202e\u200b\u061c\U000e0041"), command


_CHANGING = """
import sys
from collections.abc import Callable
from pathlib import Path
from jovial_scaffold.core.text.edits import FileChange
from jovial_scaffold.machine.changing import carry_out
root, text = Path(sys.argv[1]), sys.argv[2]
names = [f"d{number % 3}/f{number}.txt" for number in range(9)]
files = [FileChange(name, (root / name).read_bytes(), (text * 20_000).encode()) for name in names]
print("ready", flush=True)
carry_out(root, files)
"""


def test_files_that_change_together_are_all_old_or_all_new_whenever_the_program_is_killed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """`kill -9` at random moments: every file is whole, and once the next command has begun, all of them are old, or all new."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    root = tmp_path / "project"
    names = [f"d{number % 3}/f{number}.txt" for number in range(9)]
    for name in names:
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        (root / name).write_text("a" * 20_000)
    chance, now, ends = random.Random(7), "a", set()
    for _ in range(int(os.environ.get("JOVIAL_KILLS", "25"))):
        then = "b" if now == "a" else "a"
        with subprocess.Popen([sys.executable, "-c", _CHANGING, str(root), then], stdout=subprocess.PIPE) as process:
            assert process.stdout is not None
            process.stdout.readline()
            time.sleep(chance.random() * 0.08)
            process.kill()
        texts = [(root / name).read_text() for name in names]
        assert all(len(set(text)) == 1 and len(text) == 20_000 for text in texts)
        finish(root)
        after = {(root / name).read_text()[0] for name in names}
        assert len(after) == 1
        assert not journal_path(root).exists()
        now = after.pop()
        ends.add(now == then)
    assert ends  # both are seen where a machine is neither very slow nor very fast


_COMMAND = """
import os, sys, time
from jovial_scaffold.cli import main
from jovial_scaffold.machine import changing

def slowed(call):
    def slow(*arguments, **named):
        time.sleep(0.003)
        return call(*arguments, **named)
    return slow

def carried_out(root, files, carry_out=changing.carry_out):
    print("ready", flush=True)
    os.rename, os.replace = slowed(os.rename), slowed(os.replace)
    carry_out(root, files)

changing.carry_out = carried_out
sys.exit(main.run(sys.argv[1:]))
"""


def _untidy(folder: Path) -> None:
    for path in folder.rglob("*.yaml"):
        path.write_text(path.read_text().replace(": ", ":   "))


def _misspelt(folder: Path) -> None:
    for path in folder.rglob("parameters/*.yaml"):
        path.write_text(path.read_text().replace("setting:", "settnig:").replace("owner:", "ownr:"))
    line = folder / "line.yaml"
    line.write_text(line.read_text().replace("${prefix}-track", "${prefx}-track"))


@pytest.mark.parametrize(
    ("arguments", "prepare"),
    [(["rename", "stations.code", "letters"], lambda folder: None), (["mend"], _misspelt), (["tidy"], _untidy)],
    ids=["rename", "mend", "tidy"],
)
def test_a_command_that_is_killed_leaves_all_old_or_all_new(
    arguments: list[str], prepare: Callable[[Path], None], demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    prepare(demo)
    read = lambda: {path.relative_to(demo).as_posix(): path.read_text() for path in sorted(demo.rglob("*.*ml"))}  # noqa: E731
    old = read()
    assert jovial(*arguments, cwd=demo).returncode in (0, 1)
    new = read()
    assert sum(old[name] != new[name] for name in old) > 2
    chance, ends = random.Random(11), set()
    for _ in range(max(1, int(os.environ.get("JOVIAL_KILLS", "25")) // 3)):
        for name, text in old.items():
            (demo / name).write_text(text)
        with subprocess.Popen([sys.executable, "-c", _COMMAND, *arguments], cwd=demo, stdout=subprocess.PIPE) as process:
            assert process.stdout is not None
            process.stdout.readline()
            time.sleep(chance.random() * 0.05)
            process.kill()
        between = read()
        assert all(between[name] in (old[name], new[name]) for name in old), "a file is not whole"
        jovial("check", cwd=demo)  # the next command goes on with what was broken off
        after = read()
        assert after in (old, new)
        assert not journal_path(demo).exists()
        ends.add(after == new)
    assert ends


def test_a_file_that_somebody_else_has_changed_stops_a_change(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    (tmp_path / "a.txt").write_text("theirs")
    with pytest.raises(ChangedMeanwhile, match=r"a\.txt"):
        carry_out(tmp_path, [FileChange("b.txt", None, b"new"), FileChange("a.txt", b"old", b"ours")])
    assert (tmp_path / "a.txt").read_text() == "theirs"
    assert not (tmp_path / "b.txt").exists()


def test_a_change_keeps_modes_and_makes_private_files_private(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    (tmp_path / "a.sh").write_text("old")
    (tmp_path / "a.sh").chmod(0o750)
    (tmp_path / "gone.txt").write_text("x")
    changes = [FileChange("a.sh", b"old", b"new"), FileChange("secret.txt", None, b"s", private=True), FileChange("gone.txt", b"x", None)]
    carry_out(tmp_path, changes)
    assert (tmp_path / "a.sh").stat().st_mode & 0o777 == 0o750
    assert (tmp_path / "secret.txt").stat().st_mode & 0o777 == 0o600
    assert not (tmp_path / "gone.txt").exists()
    assert sorted(path.name for path in tmp_path.iterdir()) == ["a.sh", "secret.txt", "state"]


def test_a_user_without_a_place_for_a_journal_can_change_files(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "state").write_text("a file, where a folder would be")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    carry_out(tmp_path, [FileChange("new.txt", None, b"new")])
    assert (tmp_path / "new.txt").read_text() == "new"
