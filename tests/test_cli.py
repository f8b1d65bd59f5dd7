"""The installed program as users run it: files in a temporary folder, standard streams, exit codes."""

import importlib.metadata
import json
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

import pytest
import yaml

from tests.support import SCHEMAS, jovial, valid_json
from tests.support_git import repository

FLAWS = [
    ("line.yaml", 9, "parameter-missing"),
    ("line.yaml", 18, "key-missing"),
    ("line.yaml", 19, "value-unused"),
    ("line.yaml", 26, "property-missing"),
    ("line.yaml", 34, "rule-failed"),
    ("line.yaml", 35, "property-type"),
    ("line.yaml", 45, "property-unknown"),
    ("line.yaml", 48, "name-unknown"),
    ("line.yaml", 55, "property-unknown"),
    ("line.yaml", 58, "yaml-cut"),
    ("parameters/common.yaml", 3, "secret-in-clear"),
    ("parameters/live.yaml", 3, "parameter-range"),
    ("parameters/rehearsal.toml", 3, "parameter-type"),
    ("parameters/sandbox.yaml", 2, "parameter-undeclared"),
]


def test_version_and_help(tmp_path: Path) -> None:
    for option in ("--version", "-V"):
        result = jovial(option, cwd=tmp_path)
        assert result.returncode == 0 and result.stdout.startswith("jovial ") and result.stderr == ""
    whole = jovial("--help", cwd=tmp_path).stdout
    assert whole.index("─ Author") < whole.index("─ Check") < whole.index("─ Preview")
    for command in ("demo", "check", "render", "compare", "fill", "why", "find", "survey", "evaluate", "functions", "catalog"):
        assert f"Example: jovial {command}" in jovial(command, "--help", cwd=tmp_path).stdout
    assert importlib.metadata.entry_points(group="console_scripts", name="jovial-scaffold") == ()


def test_what_can_be_chosen_is_said_in_one_line_and_no_value(tmp_path: Path) -> None:
    result = jovial("catalog", cwd=tmp_path)
    assert result.returncode == 2 and "Choose from: list, show, search, lint, compare, import\n" in result.stderr
    wrong = jovial("render", "live?password=edelweiss", "--format", "live?password=edelweiss", cwd=tmp_path)
    assert wrong.returncode == 2 and "is not one of" in wrong.stderr and "edelweiss" not in wrong.stderr


def test_completion_offers_commands_and_environments(demo_folder: Path) -> None:
    def complete(words: str, index: str) -> str:
        env = {"_JOVIAL_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": index}
        return jovial(cwd=demo_folder, env=env).stdout

    assert "compare" in complete("jovial co", "1").split()
    assert complete("jovial render r", "2").split() == ["rehearsal"]


def test_demo_refuses_to_overwrite_and_tells_its_story(tmp_path: Path) -> None:
    first = jovial("demo", cwd=tmp_path)
    assert first.returncode == 0 and "nothing to report" in first.stdout and "What to try next" in first.stdout and first.stderr == ""
    assert max(map(len, first.stdout.splitlines())) <= 80
    second = jovial("demo", cwd=tmp_path)
    assert second.returncode == 2 and "nothing is overwritten" in second.stderr
    assert jovial("demo", "--into", "elsewhere", cwd=tmp_path).returncode == 0
    assert (tmp_path / "elsewhere" / "jovial.yaml").is_file()


def test_the_demo_of_a_workspace(tmp_path: Path) -> None:
    first = jovial("demo", "--workspace", cwd=tmp_path)
    assert first.returncode == 0 and first.stderr == "" and "funicular" in first.stdout
    checked = jovial("check", cwd=tmp_path / "railways")
    assert checked.returncode == 0 and "2 projects, 5 environments" in checked.stdout and "Nothing to report in" in checked.stdout
    assert jovial("demo", "--workspace", "--flawed", cwd=tmp_path).returncode == 2
    assert jovial("demo", "--workspace", cwd=tmp_path).returncode == 2


def test_every_planted_mistake_is_found_at_its_line_and_nothing_else(tmp_path: Path) -> None:
    told = jovial("demo", "--flawed", cwd=tmp_path)
    assert told.returncode == 0 and "12 errors and 2 warnings" in told.stdout and "edelweiss" not in told.stdout
    result = jovial("check", "--format", "json", cwd=tmp_path / "ridgeline-flawed")
    document = valid_json("check", result.stdout)
    assert result.returncode == 1
    assert [(f["file"], f["line"], f["id"]) for f in document["findings"]] == FLAWS
    assert document["summary"]["errors"] == 12 and document["summary"]["warnings"] == 2


def test_check_of_a_clean_project(demo_folder: Path) -> None:
    result = jovial("check", cwd=demo_folder)
    assert result.returncode == 0 and result.stderr == ""
    assert result.stdout.startswith("3 environments, 62 resources, 216 rules judged: nothing to report.")
    document = valid_json("check", jovial("check", "live", "--format", "json", cwd=demo_folder).stdout)
    assert document["environments"] == ["live"] and document["findings"] == []
    below = jovial("check", cwd=demo_folder / "parameters")
    assert below.returncode == 0


def test_a_finding_has_the_shape_that_people_read(demo: Path) -> None:
    line = demo / "line.yaml"
    line.write_text(line.read_text().replace("copies: ${scale.timetable_copies}", "copies: ${scale.timetable}"))
    result = jovial("check", "live", cwd=demo)
    assert result.returncode == 1
    text = result.stdout.splitlines()
    number = next(index for index, each in enumerate(line.read_text().splitlines(), 1) if "copies: ${scale.timetable}" in each)
    assert text[0] == f"line.yaml:{number}:15  error  property-type"
    assert text[1] == '  `copies` takes an integer, and this gives the text "l".'
    assert text[2] == f"   {number} │     copies: ${{scale.timetable}}"
    assert text[3] == "       │               ───────────────"
    assert text[4] == "  parameters/live.yaml:1:10 `setting` is set here."
    assert text[5] == "  In live, at timetable:copies."


def test_files_are_named_so_that_they_can_be_opened_from_here(demo: Path) -> None:
    (demo / "line.yaml").write_text("resources: 3\n")
    assert jovial("check", "--project", "ridgeline", cwd=demo.parent).stdout.startswith("ridgeline/line.yaml:1:12")
    assert jovial("check", cwd=demo / "rules").stdout.startswith("../line.yaml:1:12")


def test_render_in_every_format(demo: Path) -> None:
    text = jovial("render", "live", cwd=demo)
    assert text.returncode == 0 and "round 1" in text.stdout and "‹track_net:id›" in text.stdout and "‹secret›" in text.stdout
    document = valid_json("render", jovial("render", "live", "--format", "json", cwd=demo).stdout)
    assert document["resources"]["central_net"]["properties"]["network"] == {"$pending": "track_net:id"}
    assert next(iter(document["resources"])) == "alarms/failed"
    assert yaml.safe_load(jovial("render", "live", "--format", "yaml", cwd=demo).stdout) == document
    stream = list(yaml.safe_load_all(jovial("render", "live", "--format", "yaml-stream", cwd=demo).stdout))
    every = document["resources"].items()
    assert stream == [{"address": address, "type": each["type"], "properties": each["properties"]} for address, each in every]
    out = jovial("render", "live", "--format", "json", "--out", "live.json", cwd=demo)
    assert out.stdout == "" and "live.json" in out.stderr and json.loads((demo / "live.json").read_text()) == document
    assert jovial("render", "live", "--out", "-", "--format", "json", cwd=demo).stdout == (demo / "live.json").read_text()


def test_render_writes_nothing_where_something_is_wrong(demo: Path) -> None:
    result = jovial("render", "live", "--with", "archive_days=0", "--out", "x.json", cwd=demo)
    assert result.returncode == 1 and result.stdout == "" and "parameter-range" in result.stderr and not (demo / "x.json").exists()
    missing = jovial("render", "live", "--out", "no/such/x.json", cwd=demo)
    assert missing.returncode == 2 and "no/such" in missing.stderr and "Traceback" not in missing.stderr


def test_compare_fits_the_terminal_and_filters(demo: Path) -> None:
    narrow = jovial("compare", cwd=demo)
    assert narrow.returncode == 0 and max(map(len, narrow.stdout.splitlines())) <= 80
    wide = jovial("compare", cwd=demo, env={"COLUMNS": "140"}).stdout
    assert "driven by" in wide and 80 < max(map(len, wide.splitlines())) <= 140
    document = valid_json(
        "compare", jovial("compare", "--format", "json", "--baseline", "live", "--only", "gates/*:copies", cwd=demo).stdout
    )
    assert document["environments"] == ["live", "sandbox", "rehearsal"]
    assert {row["pointer"] for row in document["rows"]} == {"copies"}
    everything = valid_json("compare", jovial("compare", "--all", "--format", "json", cwd=demo).stdout)
    assert any(not row["differs"] for row in everything["rows"])
    for arguments, told in ((("live",), "two environments or more"), (("live", "live"), "live is named twice")):
        refused = jovial("compare", *arguments, cwd=demo)
        assert refused.returncode == 2 and told in refused.stderr and refused.stdout == ""


def test_colours_follow_the_terminal_and_its_variables(demo: Path) -> None:
    (demo / "line.yaml").write_text("resources: 3\n")
    assert "\x1b" not in jovial("check", cwd=demo).stdout
    assert "\x1b[1;31merror" in jovial("check", cwd=demo, env={"FORCE_COLOR": "1"}).stdout
    assert "\x1b" not in jovial("check", cwd=demo, env={"FORCE_COLOR": "1", "NO_COLOR": "1"}).stdout
    script = shutil.which("script")
    if not script:
        pytest.skip("needs script(1)")
    jovial_path = str(Path(sys.executable).with_name("jovial"))

    def in_terminal(**env: str) -> str:
        environment = {**os.environ, "TERM": "xterm", **env}
        return subprocess.run(
            [script, "-qec", f"{jovial_path} check", "/dev/null"], cwd=demo, env=environment, capture_output=True, text=True, check=False
        ).stdout

    assert "\x1b[1;31merror" in in_terminal()
    assert "\x1b[1;31m" not in in_terminal(NO_COLOR="1") and "\x1b[1;31m" not in in_terminal(TERM="dumb")


def test_the_command_line_is_wrong(demo: Path) -> None:
    for arguments in (
        ["check", "lvie"],
        ["check", "--nope"],
        ["check", "--with", "x"],
        ["render"],
        ["nonsense"],
        ["check", "--project", "nowhere"],
        ["check", "--format", "xml"],
    ):
        result = jovial(*arguments, cwd=demo)
        assert result.returncode == 2 and result.stderr.strip() and "Traceback" not in result.stderr, arguments
    outside = jovial("check", cwd=Path("/"))
    assert outside.returncode == 2 and "jovial demo" in outside.stderr


def test_a_pipe_that_closes_ends_quietly(demo: Path) -> None:
    jovial_path = str(Path(sys.executable).with_name("jovial"))
    result = subprocess.run(
        f"{jovial_path} compare --all --format json | head -c 10", shell=True, cwd=demo, capture_output=True, text=True, check=False
    )
    assert result.stderr == "" and len(result.stdout) == 10


def alias_bomb() -> str:
    lines = ["a0: &a0 [x, x, x, x, x, x, x, x, x, x]"]
    lines += [f"a{n}: &a{n} [{', '.join([f'*a{n - 1}'] * 10)}]" for n in range(1, 10)]
    return "\n".join(lines)


BAD = {
    "empty": (b"", "template-shape"),
    "binary": (bytes(range(256)) * 20, "file-encoding"),
    "large": (b"a: 1\n" * 10_000_000, "file-too-large"),
    "many values by aliases": (alias_bomb().encode(), "file-too-many-values"),
    "deep": (b"[" * 10_000 + b"]" * 10_000, "nesting-too-deep"),
    "deep block": (b"".join(b" " * n + b"a:\n" for n in range(2_000)), "nesting-too-deep"),
    "UTF-16": ("resources: {}".encode("utf-16"), "file-encoding"),
    "Latin-1": ("description: Gipfel höher".encode("latin-1"), "file-encoding"),
    "other scripts": ("resources: {駅 (fulmar.network): {}}\n".encode(), "name-invalid"),
    "control characters": (b"description: a\x07b\n", "yaml-syntax"),
    "a scalar": (b"hello", "template-shape"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_templates_give_a_finding_soon(demo: Path, name: str) -> None:
    content, expected = BAD[name]
    (demo / "line.yaml").write_bytes(content)
    began = time.monotonic()
    result = jovial("check", "--format", "json", cwd=demo)
    assert time.monotonic() - began < 10  # far above what it takes: a bound against hanging, not a measurement
    assert result.returncode == 1 and result.stderr == ""
    assert valid_json("check", result.stdout)["findings"][0]["id"] == expected


def test_files_that_are_none(demo: Path) -> None:
    line = demo / "line.yaml"
    line.unlink()
    for make, expected in ((lambda: None, "file-missing"), (lambda: os.mkfifo(line), "file-unreadable")):
        make()
        (finding,) = valid_json("check", jovial("check", "--format", "json", cwd=demo).stdout)["findings"]
        assert (finding["id"], finding["file"]) == (expected, "jovial.yaml")
    (demo / "parameters/live.yaml").unlink()
    (demo / "parameters/live.yaml").mkdir()
    line.unlink()
    shutil.copy(Path(__file__).parents[1] / "src/jovial_scaffold/demo/ridgeline/line.yaml", line)
    document = valid_json("check", jovial("check", "--format", "json", cwd=demo).stdout)
    assert [(f["id"], f["environments"]) for f in document["findings"]] == [("file-unreadable", [])]


def test_a_file_that_may_not_be_read(demo: Path) -> None:
    (demo / "line.yaml").chmod(0)
    program = [str(Path(sys.executable).with_name("jovial")), "check"]
    if os.geteuid() == 0:  # root reads everything, unless it gives up the right to
        if not shutil.which("setpriv"):
            pytest.skip("needs setpriv(1)")
        program = ["setpriv", "--bounding-set=-dac_override,-dac_read_search", "--inh-caps=-dac_override,-dac_read_search", *program]
    result = subprocess.run(program, cwd=demo, capture_output=True, text=True, check=False)
    assert result.returncode == 1 and "line.yaml may not be read by this user." in result.stdout and "chmod u+r" in result.stdout


def test_crlf_and_byte_order_marks_are_tolerated(demo: Path) -> None:
    for path in (*demo.rglob("*.yaml"), *demo.rglob("*.toml")):
        path.write_bytes(b"\xef\xbb\xbf" + path.read_bytes().replace(b"\n", b"\r\n"))
    assert jovial("check", cwd=demo).returncode == 0


def test_text_from_files_cannot_steer_the_terminal(demo: Path) -> None:
    (demo / "parameters/common.yaml").write_text('line: "a\\u001b[2Jb\\u202ec"\ndesk_range: 192.0.2.0/27\n')
    result = jovial("check", "live", cwd=demo)
    assert result.returncode == 1 and "\x1b" not in result.stdout and "\u202e" not in result.stdout and "\\u001b" in result.stdout


CANARY = "edelweiss-over-the-tunnel"
PROVOKED = {
    "clean": "",
    "in clear": f"desk_password: {CANARY}\n",
    "misspelt": f"desk_pasword: {CANARY}\n",
    "broken": f"desk_password: {CANARY}: x\n",
    "ill-typed": f"desk_password: [{CANARY}]\n",
    "joined with null": "",
}
READING = [
    *(
        [*arguments, "--format", format]
        for arguments in (
            ["check"],
            ["render", "live"],
            ["compare"],
            ["compare", "--all"],
            ["why", "ticket_safe:entries/desk", "live"],
            ["why", "desk_password", "live"],
            ["why", "gates/kes:operator_password"],
            ["why", "ticket_safe:entries/desk", "live", "--history"],
            ["find", "alp"],
            ["survey"],
            ["survey", "parameters/common.yaml", "--all"],
            ["effects", "live"],
            ["effects", "live", "--against", "recorded.json"],
            ["ripple"],
        )
        for format in ("text", "json")
    ),
    *(["compare", "live", "live@HEAD", "--format", format] for format in ("markdown", "csv", "html", "patch")),
    *(["effects", "live", "--against", "recorded.json", "--format", format] for format in ("markdown", "csv", "html", "patch")),
    *(["ripple", "--format", format] for format in ("markdown", "csv", "html")),
    *(["map", "live", "--format", format] for format in ("svg", "html", "dot", "mermaid", "text")),
    ["record", "live", "--out", "-"],
    ["board", "--out", "-"],
    ["plot", "differences", "--format", "svg", "--out", "p.svg"],
    ["compare", "sandbox", "live", "--expect", "e.yaml", "--accept"],
]


@pytest.mark.parametrize("name", PROVOKED)
def test_no_secret_in_any_output(demo: Path, name: str, monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]) -> None:
    """In one process, since these are very many calls; each is the whole program but for the start of Python."""
    from jovial_scaffold.cli.main import run

    repository(demo)
    assert jovial("record", "live", "--out", "recorded.json", cwd=demo).returncode == 0
    common = demo / "parameters/common.yaml"
    common.write_text(f"{common.read_text()}{PROVOKED[name]}")
    (demo / "secrets/desk-password.txt").write_text(f"{CANARY}-renewed")
    if name == "joined with null":
        line = demo / "line.yaml"
        line.write_text(
            line.read_text().replace('entries: {desk: "${desk_password}"}', 'entries: {desk: "${desk_password}-${int(desk_password)}"}')
        )
    monkeypatch.chdir(demo)
    told = 0
    for arguments in READING:
        for override in (True, False):
            with monkeypatch.context() as patched:
                more = ["--with", f"desk_password={CANARY}"] if override and arguments[0] not in ("ripple", "survey") else []
                if not override:
                    patched.setenv("JOVIAL_PARAMETER_DESK_PASSWORD", CANARY[:5])
                run([*arguments, *more])
            said = capfd.readouterr()
            assert CANARY[:5] not in said.out + said.err, (arguments, override)
            told += len(said.out)
    assert told > 20_000
    for written in ("e.yaml", "p.svg"):
        assert not (demo / written).exists() or CANARY[:5] not in (demo / written).read_text()


def test_no_secret_by_search_filling_or_documents(demo: Path) -> None:
    canary = "edelweiss-over-the-tunnel"
    secret = ["--with", f"desk_password={canary}"]
    (demo / "note.txt").write_text("${desk_password} ${line}")
    (demo / "note.json").write_text('{"a": ${desk_password}, "b": "${desk_password}"}')
    line = demo / "line.yaml"
    line.write_text(line.read_text().replace("documents:\n", "documents:\n  note: {from: note.json, to: note.json}\n"))
    found = jovial("find", canary[:12], *secret, cwd=demo).stdout
    assert found.startswith("Nothing here holds")  # whoever could search for secrets could guess them
    outputs = [jovial("fill", name, "--environment", "live", *secret, cwd=demo) for name in ("note.txt", "note.json")]
    assert [each.stdout for each in outputs] == ["‹secret› alp", '{"a": "‹secret›", "b": "‹secret›"}']
    outputs.append(jovial("render", "live", "--documents", "out", *secret, cwd=demo))
    assert (demo / "out/note.json").read_text() == outputs[1].stdout and "masked" in outputs[2].stderr
    outputs.append(jovial("why", "note", "live", *secret, cwd=demo))
    assert all(canary not in each.stdout + each.stderr for each in outputs)


def test_secrets_are_revealed_to_a_file_of_the_owner_only(demo: Path) -> None:
    for arguments in ([], ["--out", "-"], ["--out", "."]):
        refused = jovial("render", "live", "--reveal-secrets", *arguments, cwd=demo)
        assert refused.returncode == 2 and "--out FILE" in refused.stderr and refused.stdout == ""
    for format in ("json", "text", "yaml", "yaml-stream"):
        done = jovial("render", "live", "--reveal-secrets", "--out", "all.txt", "--format", format, cwd=demo)
        assert done.returncode == 0 and done.stdout == ""
        written = demo / "all.txt"
        assert "edelweiss" in written.read_text() and "‹secret›" not in written.read_text() and written.stat().st_mode & 0o777 == 0o600
    assert [path.name for path in demo.iterdir() if path.name.startswith(".all")] == []


def test_documents_are_written_below_their_folder_only(demo: Path) -> None:
    done = jovial("render", "live", "--documents", "out", cwd=demo)
    assert done.returncode == 0 and json.loads((demo / "out/policies/alp-live-uploads.json").read_text())["keep_days"] == 365
    (demo / "elsewhere").mkdir()
    shutil.rmtree(demo / "out/policies")
    (demo / "out/policies").symlink_to(demo / "elsewhere")
    refused = jovial("render", "live", "--documents", "out", cwd=demo)
    assert refused.returncode == 1 and "through a link" in refused.stderr and list((demo / "elsewhere").iterdir()) == []


def test_nothing_outside_of_the_project_is_read(demo: Path) -> None:
    (demo.parent / "outside.yaml").write_text("resources: {}\n")
    (demo / "linked.yaml").symlink_to(demo.parent / "outside.yaml")
    line = (demo / "line.yaml").read_text()
    reached = ("../outside.yaml", str(demo.parent / "outside.yaml"), "./linked.yaml", "/dev/zero.yaml", "./shared/../../outside.yaml")
    for path in reached:
        (demo / "line.yaml").write_text(line.replace("resources:\n", f"resources:\n  x ({path}): {{}}\n"))
        (finding,) = valid_json("check", jovial("check", "--format", "json", cwd=demo).stdout)["findings"]
        assert finding["id"] == "path-outside", path
        (demo / "line.yaml").write_text(line.replace("from: files/gate-start.sh", f"from: {path}"))
        findings = valid_json("check", jovial("check", "--format", "json", cwd=demo).stdout)["findings"]
        assert [each["id"] for each in findings] == ["path-outside"], path
    (demo / "line.yaml").write_text(line)
    (demo / "jovial.yaml").write_text((demo / "jovial.yaml").read_text().replace("facts/images.csv", "../images.csv"))
    assert valid_json("check", jovial("check", "--format", "json", cwd=demo).stdout)["findings"][0]["id"] == "path-outside"


def test_check_of_the_template_alone_and_of_a_draft(demo: Path) -> None:
    for path in (demo / "parameters").iterdir():
        path.unlink()
    alone = jovial("check", "--template-only", cwd=demo)
    assert alone.returncode == 0 and alone.stdout.startswith("0 environments, 0 resources")
    line = demo / "line.yaml"
    text = line.read_text().replace("let:\n", "let:\n  idle: 1\n")
    line.write_text(text.replace("    size: ${scale.gate}", "    size: enormous\n    colour: red"))
    ids = [
        (f["id"], f["level"])
        for f in valid_json("check", jovial("check", "--template-only", "--format", "json", cwd=demo).stdout)["findings"]
    ]
    assert ids == [("value-unused", "warning"), ("property-value", "error"), ("property-unknown", "error")]
    draft = valid_json("check", jovial("check", "--template-only", "--draft", "--format", "json", cwd=demo).stdout)
    assert draft["findings"][0]["level"] == "note"


def test_fill_from_files_variables_and_environments(tmp_path: Path, demo: Path) -> None:
    (tmp_path / "start.in").write_text("A=${A} B=${B:-two} C=${c + 1} $${D} $E\n")
    (tmp_path / "values.env").write_text("A=one\n")
    (tmp_path / "more.yaml").write_text("A: first\nc: 2\n")
    done = jovial("fill", "start.in", "--from", "values.env", "--from", "more.yaml", cwd=tmp_path)
    assert (done.returncode, done.stdout, done.stderr) == (0, "A=first B=two C=3 ${D} $E\n", "")
    from_process = jovial("fill", "-", "--from-process", "--out", "x", cwd=tmp_path, env={"A": "9"}, input="${A}\n")
    assert from_process.returncode == 0 and (tmp_path / "x").read_text() == "9\n"
    assert jovial("fill", "-", "--environment", "live", cwd=demo, input="${prefix} ${scale.gate}").stdout == "alp-live m"
    json_text = jovial("fill", "a.json", "--from", "more.yaml", cwd=tmp_path)
    assert json_text.returncode == 1 and "a.json" in json_text.stderr
    (tmp_path / "a.json").write_text('{"a": ${A}, "b": "${A}\\n", "c": ${[c]}}')
    assert json.loads(jovial("fill", "a.json", "--from", "more.yaml", cwd=tmp_path).stdout) == {"a": "first", "b": "first\n", "c": [2]}


def test_fill_never_writes_with_a_value_missing(tmp_path: Path) -> None:
    (tmp_path / "in.txt").write_text("a ${A}\nb ${B:?Say which B.}\nc ${A} ${C + D}\n${E}\n")
    (tmp_path / "v.env").write_text("E=\nC=1\n")
    failed = jovial("fill", "in.txt", "--from", "v.env", "--out", "out.txt", cwd=tmp_path)
    assert failed.returncode == 1 and failed.stdout == "" and not (tmp_path / "out.txt").exists()
    for place in ("in.txt:1:5", "in.txt:2:5", "Say which B.", "in.txt:3:5", "in.txt:3:14", "in.txt:4:3", "`E` is empty."):
        assert place in failed.stderr, place
    names = jovial("fill", "in.txt", "--list", cwd=tmp_path).stdout.splitlines()
    assert [line.split()[0] for line in names] == ["A", "B", "C", "D", "E"] and "line 1, 3" in names[0]
    (tmp_path / "s.env").write_text(jovial("fill", "in.txt", "--sample", cwd=tmp_path).stdout.replace("=\n", "=1\n"))
    assert jovial("fill", "in.txt", "--from", "s.env", cwd=tmp_path).stdout == "a 1\nb 1\nc 1 11\n1\n"
    for wrong in (["in.txt", "--from", "nowhere.env"], ["nowhere.txt"], ["-", "--from", "in.txt"]):
        result = jovial("fill", *wrong, cwd=tmp_path, input="${")
        assert result.returncode == 1 and result.stderr and "Traceback" not in result.stderr


def test_fill_leaves_foreign_placeholders_alone(tmp_path: Path) -> None:
    text = "${A} ${foreign.thing[} $${A} ${B:-x} ${A + C} {{A}} ${{ y }}"
    done = jovial("fill", "-", "--from-process", "--only", "A", cwd=tmp_path, input=text, env={"A": "1"})
    assert done.stdout == "1 ${foreign.thing[} ${A} ${B:-x} ${A + C} {{A}} ${{ y }}"
    strict = jovial("fill", "-", "--from-process", cwd=tmp_path, input=text)
    assert strict.returncode == 1 and "--only" in strict.stderr


def test_why_shows_the_chain_to_the_parameters(demo: Path) -> None:
    text = jovial("why", "gates/kes:copies", cwd=demo).stdout
    for part in ("gates/kes:copies in sandbox is 1", "parameters/common.yaml", "gates_for_each_station = 1", "live: 6"):
        assert part in text or part == "parameters/common.yaml", (part, text)
    document = valid_json("why", jovial("why", "gates/kes:size", "live", "rehearsal", "--format", "json", cwd=demo).stdout)
    assert [each["environment"] for each in document["explanations"]] == ["live", "rehearsal"]
    reason = document["explanations"][0]["reason"]
    assert (reason["value"], reason["elsewhere"]) == ("m", {"sandbox": "xs", "rehearsal": "s"})
    scale = reason["reasons"][0]
    assert (scale["name"], [each["name"] for each in scale["reasons"]]) == ("scale.gate", ["sizes.live.gate", "setting"])
    assert scale["reasons"][1]["settings"] == [{"place": "parameters/live.yaml:1", "value": "live"}]


@pytest.mark.parametrize(
    ("what", "parts"),
    [
        ("tickets/main:wait_hours", ["handed to tickets/hours = 240", "parameter setting = live"]),
        ("tickets/main:failed_to", ["tickets/failed:id = ", "only the deployment will know it"]),
        ("tickets/main:tags/line", ["put in by `everywhere`", "handed to tickets/tags.line = alp", "parameter line = alp"]),
        ("alarms/failed", ["fulmar.queue.v1", "$when = true", "default of parameter telemetry"]),
        ("gates/kes:image", ["lookup gate_image.image = gate-2026-10", "row 4 of images", "facts/images.csv:5", "parameter setting"]),
        ("archive:name", ["function bucket_name(purpose, owner)", "value prefix = alp-live"]),
        ("gates/kes:tags/station", ["item station.name = Kestrel Valley", "parameter stations[0].name"]),
        ("timetable:copies", ["value scale.timetable_copies = 4"]),
        ("ticket_desk", ["nothing called"]),
        ("gates/kes:health", ["gates/kes has no health"]),
        ("timetable:health/every_seconds", ["the default of fulmar.machine_group.v2"]),
        ("upload_policy", ["files/upload-policy.json"]),
        ("timetable_url", ["timetable_front:address"]),
        ("archive_days", ["parameters/live.yaml:11 sets it"]),
        ("owner", ["parameters/live.yaml:12 sets it", "parameters/common.yaml:4 is overridden: line-operations"]),
        ("zone", ["no file sets it", "parameter setting = live"]),
    ],
)
def test_why_of_every_kind(demo_folder: Path, what: str, parts: list[str]) -> None:
    result = jovial("why", what, "live", cwd=demo_folder, env={"COLUMNS": "160"})
    for part in parts:
        assert part in result.stdout + result.stderr, (part, result.stdout, result.stderr)
    assert result.returncode == (1 if result.stderr else 0)


def test_find_names_every_place_of_a_value(demo: Path) -> None:
    document = valid_json("find", jovial("find", "10.20.3.17", "--format", "json", cwd=demo).stdout)
    assert {hit["name"] for hit in document["hits"] if hit["how"] == "range"} >= {"track_net:range", "platform_net/fal:range"}
    document = valid_json("find", jovial("find", "800", "live", "--format", "json", cwd=demo).stdout)
    assert [(hit["kind"], hit["name"], hit["sources"]) for hit in document["hits"] if hit["how"] == "equal"] == [
        ("property", "readings:gigabytes", ["parameters/live.yaml:10"])
    ]
    document = valid_json("find", jovial("find", "keep_days", "--format", "json", cwd=demo).stdout)
    assert {hit["kind"] for hit in document["hits"]} == {"document"}
    kinds = {hit["kind"] for hit in valid_json("find", jovial("find", "standard", "--format", "json", cwd=demo).stdout)["hits"]}
    assert kinds == {"catalog"}
    nobody = jovial("find", "nothing-like-this", cwd=demo)
    assert nobody.returncode == 0 and nobody.stdout.startswith("Nothing here holds nothing-like-this")
    assert jovial("find", "", cwd=demo).returncode == 2


def test_survey_of_a_project_and_of_any_file(demo: Path) -> None:
    document = valid_json("survey", jovial("survey", "--format", "json", cwd=demo).stdout)
    assert {each["name"] for each in document["files"]} == {"line.yaml", "shared/queue_pair.yaml"}
    assert document["modules"] == {"shared/queue_pair.yaml": 2} and document["types"]["fulmar.queue.v1"] == 2
    setting = next(each for each in document["parameters"] if each["name"] == "setting")
    assert setting["type"].startswith("one of") and len(setting["used"]) >= 8 and setting["default"] is None
    assert document["paths"]["fulmar.firewall.v1:entries/[]/port"] == 3
    alone = jovial("survey", "line.yaml", cwd=demo).stdout
    assert "fulmar.machine_group" in alone and "Parameters: 12" in alone
    for name in ("parameters/live.yaml", "facts/images.csv", "parameters/rehearsal.toml"):
        assert valid_json("survey", jovial("survey", name, "--format", "json", cwd=demo).stdout)["paths"]
    for wrong in ("nowhere.yaml", "files/gate-start.sh"):
        result = jovial("survey", wrong, cwd=demo)
        assert result.returncode == 1 and result.stderr and "Traceback" not in result.stderr


def test_large_projects_are_checked_alike_on_one_processor_and_on_several(tmp_path: Path) -> None:
    lines = [f"  q{number} (fulmar.queue): {{name: 'q-${{line}}-{number}', wait_hours: '${{hours}}'}}" for number in range(600)]
    parameters = "parameters: {line: {type: string, description: d}, hours: {type: integer, description: d}}\n"
    (tmp_path / "line.yaml").write_text(parameters + "resources:\n" + "\n".join(lines) + "\n  b (fulmar.bucket): {name: same}\n")
    (tmp_path / "jovial.yaml").write_text(
        "project: big\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {one: {}, two: {}, three: {}}\n"
    )
    (tmp_path / "parameters").mkdir()
    for name, hours in (("one", 5), ("two", 999), ("three", 6)):
        (tmp_path / f"parameters/{name}.yaml").write_text(f"line: alp\nhours: {hours}\nstray: 1\n")
    several = jovial("check", "--format", "json", cwd=tmp_path)
    alone = jovial("check", "--format", "json", cwd=tmp_path, prefix=["taskset", "-c", "0"]) if shutil.which("taskset") else several
    assert several.stdout == alone.stdout
    findings = valid_json("check", several.stdout)["findings"]
    assert {each["id"] for each in findings} == {"parameter-undeclared", "property-range", "identity-clash"}
    assert "hours: 999" in jovial("check", cwd=tmp_path).stdout or "q0:wait_hours" in jovial("check", cwd=tmp_path).stdout


def test_evaluate_over_bindings_files_and_environments(demo: Path) -> None:
    def value(*arguments: str, **more: Any) -> Any:
        result = jovial("evaluate", *arguments, cwd=demo, **more)
        assert result.returncode == 0 and result.stderr == "", result.stderr
        return json.loads(result.stdout)

    assert value("a + size(b)", "--bind", "a=1", "--bind", "b=[1, 2]") == 3
    assert value("it.stations.map(s, s.code)", "--in", "parameters/live.yaml") == ["kes", "bri", "fal", "hut", "pea"]
    assert value("it.archive_days", "--in", "parameters/rehearsal.toml") == 30
    (demo / "images.csv").write_text('use,image\ngate,g-1\ndesk,"d,2"\n')
    assert value("it.filter(r, r.use == 'desk')[0].image", "--in", "images.csv") == "d,2"
    assert value("it.a[0]", "--in", "-", input='{"a": [7]}') == 7
    assert value("gates.map(k, gates[k].copies)", "--environment", "live") == [3, 2, 2, 6, 4]
    assert value("track_net.id", "--environment", "live") == {"$pending": "track_net:id"}
    assert value("[desk_password, desk_password + 'x']", "--environment", "live") == [{"$secret": True}] * 2
    assert value("[timestamp(0), duration('90s'), b'ab', type(1), optional.none(), 1u]") == [
        "1970-01-01T00:00:00Z",
        "90s",
        "YWI=",
        "int",
        None,
        1,
    ]
    shown = jovial("evaluate", "sizes[setting].gate + zone", "--environment", "live", "--type", cwd=demo).stdout
    assert (shown.startswith("one of ") and '"xsvalley"' in shown) or shown == "string\n"


def test_evaluate_says_where_an_expression_fails(demo: Path) -> None:
    result = jovial("evaluate", "it.stations[9].code", "--in", "parameters/live.yaml", cwd=demo)
    assert result.returncode == 1 and result.stdout == ""
    assert "expression:1:13  error  index-range" in result.stderr and "they go from 0 to 4" in result.stderr
    for arguments in (
        ["1 +"],
        ["a"],
        ["it", "--in", "nowhere.yaml"],
        ["it", "--in", "line.txt"],
        ["desk_password.split(1)", "--environment", "live"],
    ):
        failed = jovial("evaluate", *arguments, cwd=demo)
        assert failed.returncode == 1 and failed.stderr and "Traceback" not in failed.stderr and "edelweiss" not in failed.stderr
    for arguments in (["1", "--bind", "x"], ["1", "--bind", "x=abc"], ["1", "--environment", "lvie"]):
        assert jovial("evaluate", *arguments, cwd=demo).returncode == 2
    stopped = jovial("evaluate", "lists.range(2000).map(a, lists.range(2000).map(b, a * b))", cwd=demo)
    assert stopped.returncode == 1 and "expression-budget" in stopped.stderr


def test_functions_are_listed_with_examples(tmp_path: Path) -> None:
    assert "x.startsWith" in jovial("functions", cwd=tmp_path).stdout
    page = jovial("functions", "carve", cwd=tmp_path).stdout
    assert "carve(string, int, int)" in page and "Example: carve('10.20.0.0/16', 24, 2) == '10.20.2.0/24'" in page
    assert jovial("functions", "crave", cwd=tmp_path).returncode == 2
    listed = valid_json("functions", jovial("functions", "--format", "json", cwd=tmp_path).stdout)["functions"]
    assert len(listed) > 90 and all(each["example"] and each["signatures"] for each in listed)


def test_the_manual_of_functions_is_the_table() -> None:
    from jovial_scaffold.core.expressions.functions import FUNCTIONS
    from jovial_scaffold.reports.functions import function_manual

    assert (SCHEMAS.parent / "functions.md").read_text("utf-8") == function_manual(list(FUNCTIONS.values()))


def test_the_run_has_a_date_a_revision_and_an_author(demo: Path) -> None:
    def git(*arguments: str) -> None:
        subprocess.run(
            ["git", "-c", "user.name=desk", "-c", "user.email=desk@ridgeline.example", *arguments],
            cwd=demo,
            check=True,
            capture_output=True,
        )

    git("init", "-q")
    git("add", "-A")
    git("commit", "-qm", "first")
    result = jovial("evaluate", "context.run", "--environment", "live", cwd=demo, env={"SOURCE_DATE_EPOCH": "0"})
    run = json.loads(result.stdout)
    assert run["date"] == "1970-01-01" and len(run["revision"]) == 12 and "author" in run


def test_a_secret_in_clear_text_is_an_error_where_git_keeps_the_file(demo: Path) -> None:
    common = demo / "parameters/common.yaml"
    common.write_text(common.read_text() + "desk_password: edelweiss-over-the-tunnel\n")

    def levels() -> list[Any]:
        findings = valid_json("check", jovial("check", "--format", "json", cwd=demo).stdout)["findings"]
        return [(f["id"], f["level"], f["environments"]) for f in findings]

    everywhere = ["sandbox", "rehearsal", "live"]
    assert levels() == [("secret-in-clear", "warning", everywhere)]
    subprocess.run(["git", "init", "-q"], cwd=demo, check=True)
    assert levels() == [("secret-in-clear", "warning", everywhere)]
    subprocess.run(["git", "add", "parameters"], cwd=demo, check=True)
    assert levels() == [("secret-in-clear", "error", everywhere)]


def test_a_static_finding_and_its_environments_are_one(demo: Path) -> None:
    line = demo / "line.yaml"
    line.write_text(
        line.read_text()
        .replace("size: ${scale.gate}", "size: ${scale.gaet}")
        .replace("sandbox: {gate: xs, timetable: xs,", "sandbox: {gate: xs, timetable: 3,")
    )
    findings = valid_json("check", jovial("check", "--format", "json", cwd=demo).stdout)["findings"]
    assert [(f["id"], f["environments"]) for f in findings] == [
        ("property-value", ["sandbox"]),
        ("key-missing", ["sandbox", "rehearsal", "live"]),
    ]
    entry, missing = findings
    assert missing["address"] == "gates" and {name: len(found) for name, found in missing["also_at"].items()} == {
        "sandbox": 2,
        "rehearsal": 3,
        "live": 5,
    }
    assert '"sandbox"' in entry["hint"] and {each["file"] for each in entry["related"]} == {"line.yaml", "parameters/sandbox.yaml"}


def test_why_takes_its_two_words_in_either_order(demo_folder: Path) -> None:
    asked = jovial("why", "archive:name", "live", cwd=demo_folder)
    assert asked.returncode == 0
    assert jovial("why", "live", "archive:name", cwd=demo_folder).stdout == asked.stdout
