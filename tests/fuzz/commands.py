"""Random command lines over a project that may be spoilt: an answer, a finding or a word on how it is called; never an error of ours."""

import contextlib
import functools
import importlib
import io
import itertools
import json
import os
import random
import sys
import tempfile
from pathlib import Path
from typing import Any

import jsonschema
import typer

from jovial_scaffold.cli import exit_codes, main
from tests.fuzz.mini import FILES, SECRET
from tests.fuzz.projects import EXPECTED, declares_secrets, spoilt
from tests.support import SCHEMAS

WORDS = (
    *(
        "live",
        "sandbox",
        "nowhere",
        "live?copies=4",
        "live?copies=",
        "live?desk_password=short",
        "live?=",
        "?",
        "sub[s=kes]:range",
        "pool:size",
    ),
    *(
        "pool",
        "net",
        "queues/main:url",
        "edelweiss",
        "x",
        "",
        "-",
        "--",
        "1 +",
        "copies + 1",
        "${line}",
        "t.yaml",
        "now.json",
        "c.yaml",
        "gone.yaml",
    ),
    *(
        ".",
        "/dev/null",
        "out.txt",
        "gone/out.txt",
        "e.yaml",
        "\x1b[2J",
        "\udcff",
        "0",
        "-1",
        "9" * 30,
        "5m",
        "1ns",
        "json",
        "text",
        "html",
        "*",
    ),
    *(
        "copies=3",
        "line=[1",
        "=",
        "a=b=c",
        "pool.*",
        "by",
        "size",
        "live@HEAD~1",
        "live@{1}",
        "self:copies",
        "x" * 3000,
        "png",
        "svg",
        "markdown",
    ),
)
#: what may fit an argument
FITTING = {
    "environments": ("live", "sandbox", "live?copies=4", "live?copies=x", f"live?desk_password={SECRET}", "live?line=upper"),
    "action": ("list", "show", "search", "lint", "compare"),
    "names": ("queue", "own.safe", "machine_group.v1", "machine_group.v2", "disks", "own", "password"),
    "environment": ("live", "sandbox", "live?copies=4", f"live?desk_password={SECRET}", "live?line=upper"),
    "what": (
        "pool:size",
        "sub[s=kes]:range",
        "sub[kes]:range",
        "pool",
        "copies",
        "prefix",
        "vault:key",
        "pool:operator_password",
        "queues/main:name",
        "pool_name",
    ),
    "text": ("alp", "edelweiss", "10.0.2.0/24", "xs"),
    "expression": ("copies + 1", "sizes", "desk_password", "stops.map(s, s.code)", "resources.pool", "it.a", "named('x')"),
    "path": ("t.yaml", "now.json", "c.yaml", "l.toml", "r.yaml", "own/safe.yaml"),
    "source": ("start.sh", "t.yaml", "${copies}"),
    "kind": ("differences", "totals", "drivers"),
    "folders": (".", ".", "own"),
    "name": ("slug", "size", "copies", "many-sites", "fresh"),
    "old": ("copies", "prefix", "pool", "outputs.pool_name", "desk_password", "named", "sub", "environments.live", "stops.code"),
    "new": ("fresh", "Fresh", "copies"),
    "places": ("pool:size", "vault:key", "pool:copies", "sub[kes]:range"),
    "use": ("queues", "pool", "sub"),
    "resources": ("pool", "net", "vault", "sub", "queues"),
    "paths": (".", "t.yaml", "c.yaml", "l.toml", "own", "-"),
    "values": ("copies=2", "line=upper", "stops/0=x", "desk_password=short", "desk_password={$secret: {env: DESK_PASSWORD}}", "nothing=1"),
    "type": ("queue", "machine_group.v2", "own.safe", "nowhere"),
    "file": ("c.yaml", "l.toml", "t.yaml"),
    "id": ("name-unknown", "keep-violated", "nmae-unknown", "\x1b[2J"),
}
#: what fits the arguments of one command
FITTING_OF = {
    ("lift", "--name"): ("fresh", "fresh", "copies"),
    ("gallery", "name"): ("data-pipeline", "many-sites", "web-service"),
    ("functions", "name"): ("slug", "size", "digest"),
    ("inline", "use"): ("queues", "queues", "pool"),
    ("new environment", "name"): ("many-sites", "fresh"),
    ("new module", "name"): ("fresh", "size", "many_sites"),
    ("new ruleset", "name"): ("fresh", "size", "many_sites"),
    ("new resource", "name"): ("fresh", "copies", "many_sites"),
    ("rules show", "name"): ("many_sites", "House/*", "named", "encrypted"),
    ("waive", "what"): ("name-unknown", "House/*", "*", "secret-in-clear", "value-unused", "nmae-unknown"),
    ("waive", "--because"): ("Seen.", "Seen.", ""),
    ("extract", "--module"): ("modules/fresh.yaml",),
    ("parameters convert", "--to"): ("out.json", "out.toml", "fresh.yaml"),
}
_ALWAYS = {("lift", "--name"), ("waive", "--because")}  # what has to be said
#: what waits for somebody, or belongs to typer alone
WAITING = {"--serve", "--watch", "--ask", "--install-completion", "--show-completion"}


@functools.cache
def _calls() -> dict[str, Any]:
    """Every command, and what may stand behind it as one of its own."""
    found = {}
    for name in sorted(main.COMMANDS):
        module = importlib.import_module(main.COMMANDS[name][0])
        found[name] = module.command
        found.update((f"{name} {each}", run) for each, (run, _) in getattr(module, "SUBCOMMANDS", {}).items())
    return found


@functools.cache
def _options(name: str) -> tuple[Any, ...]:
    application = typer.Typer()
    application.command()(_calls()[name])
    return tuple(typer.main.get_command(application).params)


def arguments(chance: random.Random) -> list[str]:
    """A command with some of its options, and words that may fit them."""
    name = chance.choice(sorted(_calls()))
    given = name.split(" ")
    for option in _options(name):
        flags = [flag for flag in (*option.opts, *option.secondary_opts) if flag not in WAITING]
        if option.param_type_name == "argument":
            fitting = FITTING_OF.get((name, option.name), FITTING[option.name])
            least = int(option.required)
            given += [
                chance.choice(fitting if chance.random() < 0.93 else WORDS)
                for _ in range(chance.choice((least, 1, 2, 3)) if option.nargs < 0 else 1)
            ]
        elif flags and chance.random() < (0.93 if option.required or (name, flags[0]) in _ALWAYS else 0.07):
            given.append(chance.choice(flags))
            if not getattr(option, "is_flag", False):
                choices = getattr(option.type, "choices", None) or FITTING_OF.get((name, flags[0]))
                fitting = [str(getattr(each, "value", each)) for each in choices or WORDS]
                given.append(chance.choice(fitting if chance.random() < 0.8 else WORDS))
    if chance.random() < 0.05:
        given.insert(chance.randint(0, len(given)), chance.choice(WORDS))
    return given


def in_process(folder: Path, given: list[str]) -> tuple[int, list[bytes]]:
    """Run a command in a folder: its exit code, and what it wrote to standard output and standard error."""
    streams = sys.stdout, sys.stderr, sys.stdin
    before = os.getcwd()
    out, err = (io.TextIOWrapper(io.BytesIO(), encoding="utf-8", errors="surrogateescape", newline="") for _ in range(2))
    os.chdir(folder)
    os.environ["DESK_PASSWORD"] = SECRET
    try:
        sys.stdout, sys.stderr, sys.stdin = out, err, io.TextIOWrapper(io.BytesIO(b"a: 1\n"))
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main.run(given)
    finally:
        sys.stdout, sys.stderr, sys.stdin = streams
        os.chdir(before)
        os.environ.pop("DESK_PASSWORD", None)
    return code, [stream.detach().getvalue() for stream in (out, err)]


def lay_out(folder: Path, files: dict[str, bytes]) -> None:
    """Write the files of a project."""
    for name, content in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(content)


def attempt(chance: random.Random) -> str:
    """One case, in a folder of its own."""
    files = {**FILES, "e.yaml": EXPECTED}
    if chance.random() < 0.4:
        files = spoilt(chance, files)
    given = arguments(chance)
    with tempfile.TemporaryDirectory() as above:
        folder = Path(above) / "project"
        folder.mkdir()
        lay_out(folder, files)
        code, printed = in_process(folder, given)
        shown = printed[1:] if given[0] == "fill" else printed
        told = b"".join(each for each in shown if not each.startswith(b"\x89PNG")).decode("utf-8", "replace")
        new = [path for path in folder.rglob("*") if path.is_file() and path.relative_to(folder).as_posix() not in files]
        # The demo has a secret of its own, and what is filled in is the text that was handed in. What is mended goes into a file that is its
        # owner's alone.
        new = [path for path in new if not (path.parent.name == "secrets" and path.stat().st_mode & 0o077 == 0)]
        written = b"" if given[0] in ("demo", "fill") else b"".join(path.read_bytes() for path in new)
        assert sorted(os.listdir(above)) == ["project"], (given, os.listdir(above))
    assert code in (0, exit_codes.ERRORS, exit_codes.UNUSABLE, exit_codes.DIFFERENCES), (given, code, told)
    assert "Traceback" not in told and " object at 0x" not in told and not set(told) & set("\x07\x9b\u202e\u200b\U000e0041"), (given, told)
    is_elsewhere = {"--help", "--out"} & {*given} or (given[:2] == ["parameters", "form"] and "--into" not in given)  # which prints a file
    if ("--format", "json") in itertools.pairwise(given) and not is_elsewhere:
        document = json.loads(printed[0])
        name, _, version = document["format"].partition("/")
        jsonschema.validate(document, json.loads((SCHEMAS / f"{name}-{version}.schema.json").read_text("utf-8")))
    if declares_secrets(files, FILES):
        assert SECRET not in told and SECRET.encode() not in written, (given, told[-2000:])
    return {0: "clean", exit_codes.ERRORS: "errors", exit_codes.DIFFERENCES: "clean"}.get(code, "unusable")
