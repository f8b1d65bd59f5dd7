"""What every command takes: `defaults` of the project, colours, links, `-v`, and what a shell completes."""

import os
import pty
import re
from pathlib import Path
from typing import Any

import click
import pytest

from jovial_scaffold.cli.main import COMMANDS, _application, run
from jovial_scaffold.core.defaults import FLAG, NUMBER, TAKEN, WORD, WORDS
from jovial_scaffold.core.findings import LEVELS
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import harmless, said
from tests.support import edit, in_memory, jovial, load_cases


@pytest.mark.parametrize("case", load_cases("project_defaults.yaml"))
def test_what_is_said_of_defaults(case: dict[str, Any]) -> None:
    text = f"project: p\ntemplate: t.yaml\nenvironments: {{live: {{}}}}\ndefaults:\n  {case['defaults']}\n"
    found = [each for each in in_memory({"jovial.yaml": text, "t.yaml": "{}"}).check().findings if each.span is not None]
    assert [(each.id, each.span.line) for each in found if each.span is not None] == [(id, line) for id, line, _ in case["said"]]
    assert all(said(each.message).startswith(words) for each, (_, _, words) in zip(found, case["said"], strict=True))


@pytest.mark.parametrize("command", TAKEN)
def test_each_default_is_an_option_that_takes_it(command: str) -> None:
    whole = _application([command])
    assert isinstance(whole, click.Group)
    options = {each.opts[0].removeprefix("--"): each for each in whole.commands[command].params if isinstance(each, click.Option)}
    for name, takes in TAKEN[command].items():
        option = options[name]
        if name == "proofs":
            assert takes == LEVELS and option.is_flag
        elif isinstance(takes, tuple):
            kind = option.type
            assert takes == (tuple(kind.choices) if isinstance(kind, click.Choice) else LEVELS)
        else:
            assert {
                FLAG: option.is_flag,
                WORDS: option.multiple,
                NUMBER: isinstance(option.type, click.types.IntParamType),
                WORD: not option.is_flag,
            }[takes]


def test_no_default_writes_reads_or_reveals() -> None:
    for options in TAKEN.values():
        assert options.keys().isdisjoint(
            {"out", "report", "reveal-secrets", "documents", "with-file", "expect", "accept", "known", "key-file", "against"}
        )


def with_defaults(demo: Path, text: str) -> Path:
    path = demo / "jovial.yaml"
    path.write_text(f"{path.read_text('utf-8')}defaults: {text}\n", "utf-8")
    return demo


def test_defaults_act_where_the_command_line_says_nothing(demo: Path) -> None:
    plain = jovial("compare", "rehearsal", "live", cwd=demo).stdout
    with_defaults(demo, "{compare: {only: ['gates/*']}}")
    fewer = jovial("compare", "rehearsal", "live", cwd=demo).stdout
    assert len(fewer) < len(plain) and "timetable" not in fewer and "gates/kes" in fewer
    assert jovial("compare", "rehearsal", "live", "--no-defaults", cwd=demo).stdout == plain
    other = jovial("compare", "rehearsal", "live", "--only", "timetable*", cwd=demo).stdout
    assert "gates/" not in other and "timetable" in other
    assert jovial("compare", "rehearsal", "live", "--project", str(demo), cwd=demo.parent).stdout == fewer


@pytest.mark.parametrize(
    ("command", "options", "text"),
    [
        ("compare rehearsal live", "--max 2", "{compare: {max: 2}}"),
        ("compare rehearsal live", "--all", "{compare: {all: true}}"),
        ("compare rehearsal live", "--by aspect --totals", "{compare: {by: aspect, totals: true}}"),
        ("compare", "--baseline live --ignore *:tags/* --echoes", "{compare: {baseline: live, ignore: ['*:tags/*'], echoes: true}}"),
        ("compare", "--families", "{compare: {families: true}}"),
        ("compare", "--drivers", "{compare: {drivers: true}}"),
        ("effects live", "--by resource --details --others", "{effects: {by: resource, details: true, others: true}}"),
        ("map live", "--by file --unfold", "{map: {by: file, unfold: true}}"),
        ("map live --near gates/kes", "--steps 2", "{map: {steps: 2}}"),
        ("survey", "--all", "{survey: {all: true}}"),
        ("check --with archive_days=1 --with telemetry_gigabytes=1", "--max-findings 1", "{check: {max-findings: 1}}"),
        ("check", "--rules sizes_from_the_list --draft --waived", "{check: {rules: [sizes_from_the_list], draft: true, waived: true}}"),
        ("check --with archive_days=1", "--level error --only secret*", "{check: {level: error, only: ['secret*']}}"),
    ],
)
def test_a_default_is_what_the_option_would_be(demo: Path, capsys: Any, monkeypatch: Any, command: str, options: str, text: str) -> None:
    monkeypatch.chdir(demo)

    def printed(words: str) -> str:
        run(words.split())
        return re.sub(r" [0-9.]+ s$", "", capsys.readouterr().out, flags=re.MULTILINE)

    plain, asked = printed(command), printed(f"{command} {options}")
    with_defaults(demo, text)
    assert printed(command) == asked and printed(f"{command} --no-defaults") == plain
    assert asked != plain


def test_a_default_may_make_warnings_errors(demo: Path) -> None:
    edit(demo / "line.yaml", "let:\n", "let:\n  spare: 3\n")
    assert jovial("check", cwd=demo).returncode == 0
    with_defaults(demo, "{check: {strict: true}}")
    assert jovial("check", cwd=demo).returncode == 1
    assert jovial("check", "--no-defaults", cwd=demo).returncode == 0


def test_what_is_read_is_said_on_the_error_output(demo: Path) -> None:
    with_defaults(demo, "{check: {strict: true}}")
    told = jovial("check", "-v", cwd=demo)
    assert f"jovial: project ridgeline in {demo}, 3 environments\n" in told.stderr
    assert "line.yaml" in told.stderr and 'defaults of check: "strict": true\n' in told.stderr and told.stderr.endswith(" s\n")
    assert "jovial: project" not in told.stdout and jovial("check", cwd=demo).stderr == ""
    assert "defaults of" not in jovial("check", "-v", "--no-defaults", cwd=demo).stderr


@pytest.mark.parametrize(
    ("wanted", "process", "coloured"),
    [
        ("always", {}, True),
        ("always", {"NO_COLOR": "1"}, True),
        ("never", {"FORCE_COLOR": "1"}, False),
        ("auto", {"FORCE_COLOR": "1"}, True),
        ("auto", {}, False),
    ],
)
def test_colours_are_as_the_command_line_says(demo: Path, wanted: str, process: dict[str, str], coloured: bool) -> None:
    assert ("\x1b[" in jovial("check", "--color", wanted, cwd=demo, env=process).stdout) is coloured


def test_places_are_links_where_that_is_forced(demo: Path) -> None:
    (demo / "parameters" / "a b;c.yaml").write_text("copes: 3\n", "utf-8")
    edit(demo / "jovial.yaml", "parameters/live.yaml]", "parameters/live.yaml, 'parameters/a b;c.yaml']")
    text = jovial("check", cwd=demo, env={"FORCE_HYPERLINK": "1"}).stdout
    assert f"\x1b]8;;file://{demo}/parameters/a%20b%3Bc.yaml\x1b\\parameters/a b;c.yaml:1:1\x1b]8;;\x1b\\" in text
    assert "\x1b" not in jovial("check", cwd=demo).stdout


@pytest.mark.parametrize(
    ("process", "linked"),
    [
        ({"VTE_VERSION": "7000"}, True),
        ({"COLORTERM": "truecolor"}, True),
        ({}, False),
        ({"VTE_VERSION": "7000", "NO_COLOR": "1"}, False),
        ({"VTE_VERSION": "7000", "CI": "true"}, False),
        ({"VTE_VERSION": "7000", "FORCE_HYPERLINK": "0"}, False),
        ({"VTE_VERSION": "7000", "TERM": "dumb"}, False),
        ({"FORCE_HYPERLINK": "1", "NO_COLOR": "1"}, True),
    ],
)
def test_which_terminals_get_links(process: dict[str, str], linked: bool) -> None:
    one, other = pty.openpty()
    try:
        with open(other, "w", closefd=False) as stream:
            assert bool(style_for(stream, process).linked_from) is linked
    finally:
        os.close(one)
        os.close(other)


@pytest.mark.parametrize(
    "text", ["\x1b]8;;http://elsewhere/\x1b\\here", "\x1b]8;;file://host/x\x1b\\here", "\x1b]0;title\x07", "\x1b]8;id=1;file:///x\x1b\\"]
)
def test_no_other_sequence_gets_through(text: str) -> None:
    assert "\x1b" not in harmless(text)


COMPLETED = [
    ("jovial why gates/k", "gates/kes"),
    ("jovial why timetable_store:backup", "timetable_store:backup_days"),
    ("jovial parameters set arch", "archive_days="),
    ("jovial parameters drop arch", "archive_days"),
    ("jovial check --with arch", "archive_days="),
    ("jovial rename track_n", "track_net"),
    ("jovial extract track_n", "track_net"),
    ("jovial inline tick", "ticket_safe tickets"),
    ("jovial map --near gates/k", "gates/kes"),
    ("jovial new resource fulmar.quota", ""),
    ("jovial catalog show fulmar.queue", "fulmar.queue.v1"),
    ("jovial why archive --project x nothing-such", ""),
]


@pytest.mark.parametrize(("words", "expected"), COMPLETED, ids=[each for each, _ in COMPLETED])
def test_a_shell_completes(demo_folder: Path, words: str, expected: str) -> None:
    env = {"_JOVIAL_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": str(len(words.split()) - 1)}
    assert jovial(cwd=demo_folder, env=env).stdout.split() == expected.split()


@pytest.mark.parametrize("words", ["jovial why ga", "jovial new resource fulmar", "jovial parameters set a"])
def test_nothing_is_completed_where_there_is_no_project(tmp_path: Path, words: str) -> None:
    env = {"_JOVIAL_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": str(len(words.split()) - 1)}
    done = jovial(cwd=tmp_path, env=env)
    assert done.stdout.strip() == "" and done.stderr == ""


def test_every_command_takes_what_all_take() -> None:
    whole = _application([])
    assert isinstance(whole, click.Group) and set(whole.commands) == set(COMMANDS)
    waiting = list(whole.commands.values())
    while waiting:
        command = waiting.pop()
        waiting += command.commands.values() if isinstance(command, click.Group) else ()
        assert {"--color", "--verbose"} <= {each.opts[0] for each in command.params}, command.name
