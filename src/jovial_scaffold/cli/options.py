"""What the commands share: options, loading the project, showing findings, writing results."""

import os
import re
import sys
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.common import tell_of
from jovial_scaffold.cli.completing import environment_names, setting_names
from jovial_scaffold.core.findings import LEVELS, Finding, has_errors, merged
from jovial_scaffold.core.folders import Refusal
from jovial_scaffold.core.limits import PRINTED_FINDINGS
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.project import Project as AnyProject
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.text.formats import read_source, refused
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.views import View
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.machine.opening import Project, run_context
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.terminal import Style, style_for
from jovial_scaffold.reports.words import counted, said

_KEY_LENGTH = 16  # characters: fewer can be guessed


class ReportFormat(StrEnum):
    """How a result is written."""

    text = "text"
    json = "json"


class TableFormat(StrEnum):
    """How a result is written that people also read elsewhere."""

    text = "text"
    json = "json"
    markdown = "markdown"
    csv = "csv"
    html = "html"


class By(StrEnum):
    """What effects are listed by."""

    cause = "cause"
    effect = "effect"
    resource = "resource"
    round = "round"


class PatchFormat(StrEnum):
    """The same, and a JSON Patch."""

    text = "text"
    json = "json"
    markdown = "markdown"
    csv = "csv"
    html = "html"
    patch = "patch"


ProjectPath = Annotated[
    Path | None, typer.Option("--project", help="The project's folder or file; found upwards from here otherwise.", show_default=False)
]
WithValues = Annotated[
    list[str] | None,
    typer.Option("--with", help="Set a parameter: name=value. May be repeated.", show_default=False, autocompletion=setting_names),
]
WithFiles = Annotated[list[Path] | None, typer.Option("--with-file", help="A further parameter file. May be repeated.", show_default=False)]
EnvelopeFile = Annotated[
    Path | None, typer.Option("--envelope", help="What says where values stand in further parameter files.", show_default=False)
]
Environments = Annotated[
    list[str] | None,
    typer.Argument(
        help="Environments, or views (live?copies=4, live@HEAD); all when none is named.",
        show_default=False,
        autocompletion=environment_names,
    ),
]
OneEnvironment = Annotated[
    str,
    typer.Argument(
        help="The environment, or a view of it (live?copies=4, live@HEAD).", show_default=False, autocompletion=environment_names
    ),
]
KeyFile = Annotated[
    Path | None,
    typer.Option(
        "--key-file",
        help="A file with the key that secrets in snapshots are hashed with; else JOVIAL_SNAPSHOT_KEY.",
        show_default=False,
    ),
]
Ask = Annotated[bool, typer.Option("--ask", help="Ask at the terminal for every parameter that has no value.")]
AtMost = Annotated[
    str | None,
    typer.Option("--at-most", help="How long it may take, for example 90s or 5m; what is left undone is said.", show_default=False),
]
MaxFindings = Annotated[
    int | None,
    typer.Option(
        "--max-findings", help="Print so many findings at most; 1,000 where it is not given. 0 is all.", min=0, show_default=False
    ),
]
Out = Annotated[Path | None, typer.Option("--out", help="A file to write; `-` is standard output.", show_default=False)]
DifferencesCode = Annotated[bool, typer.Option("--exit-code", help="End with 3 where something would change.")]
Format = Annotated[ReportFormat, typer.Option("--format", help="How the result is written.")]


def named_values(texts: list[str] | None) -> list[tuple[str, str]]:
    """What --with sets, as names and texts."""
    pairs = []
    for text in texts or ():
        name, equals, value = text.partition("=")
        if not equals or not name:
            raise typer.BadParameter("one of them is not of the form name=value.", param_hint="--with")  # it may be a secret: not shown
        pairs.append((name, value))
    return pairs


def load(
    path: Path | None,
    values: list[str] | None,
    files: list[Path] | None,
    run_needed: bool = False,
    key_file: Path | None = None,
    at_most: str | None = None,
    views: Iterable[str] = (),
    envelope: Path | None = None,
) -> Project:
    """The project with what the command line adds: the one that `views` name (`PROJECT:ENVIRONMENT`), in the workspace here, or the one here.
    Raises ProjectError."""
    added = overrides(path or Path(), values, files, run_needed, key_file, at_most, envelope)
    named = {View.parse(each).project for each in views}
    others = named - {""}
    project = None
    if len(others) == 1:
        from jovial_scaffold.machine.opening import is_in_project, workspace_above
        from jovial_scaffold.machine.workspaces import OpenWorkspace

        above = workspace_above((path or Path()).resolve())
        # Beside that of another project, one without its project is of the project here: they are of two, which it says itself.
        is_of_here = "" in named and is_in_project(path or Path())
        project = OpenWorkspace(above).load(others.pop(), added) if above is not None and not is_of_here else None
    project = project or Project.load(path or Path(), added)
    tell_of(project)
    return project


def overrides(
    path: Path,
    values: list[str] | None = None,
    files: list[Path] | None = None,
    run_needed: bool = False,
    key_file: Path | None = None,
    at_most: str | None = None,
    envelope: Path | None = None,
) -> Overrides:
    """What the command line adds to a project."""
    return Overrides(
        os.environ,
        tuple(map(str, files or ())),
        str(envelope) if envelope is not None else "",
        tuple(named_values(values)),
        partial(run_context, path, os.environ),
        run_needed,
        snapshot_key=_snapshot_key(key_file),
        meter=_meter(at_most),
    )


def _meter(at_most: str | None) -> Callable[[], Meter]:
    """The budget of the run: with the time that is given, counted from now."""
    if at_most is None:
        return Meter
    parts = re.findall(r"([0-9]+(?:\.[0-9]+)?)(ms|s|m|h)", at_most)
    seconds = sum(float(number) * {"ms": 0.001, "s": 1, "m": 60, "h": 3600}[unit] for number, unit in parts)
    if "".join(map("".join, parts)) != at_most or not 0 < seconds < 1e6:
        raise typer.BadParameter(f"{at_most!r} is no time; it looks like 90s or 1h30m.", param_hint="--at-most")
    meter = Meter(time.monotonic, seconds)
    return lambda: meter


def _snapshot_key(key_file: Path | None) -> str:
    """The key of hashes in snapshots, from a file or the process; empty where there is none."""
    key, where = os.environ.get("JOVIAL_SNAPSHOT_KEY", ""), "JOVIAL_SNAPSHOT_KEY"
    if key_file is not None:
        content, where = read_named(str(key_file)), "--key-file"
        if isinstance(content, Refusal):
            raise typer.BadParameter(said(refused(content, str(key_file)).message), param_hint=where)
        key = content.decode("utf-8", "replace").strip()
    if (key or key_file is not None) and len(key) < _KEY_LENGTH:
        raise typer.BadParameter(f"a key has at least {_KEY_LENGTH} characters.", param_hint=where)
    return key


def processors() -> int:
    """How many processors this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def with_known_secrets(file: Path, value: Any) -> Any:
    """What a file holds, with the secrets marked that the project knows to be in it, where the file is one of a project's own."""
    if str(file) == "-":
        return value
    try:
        project = Project.load(file.resolve().parent)
        return project.marked(file.resolve().relative_to(project.folder.where).as_posix(), value)
    except (ProjectError, OSError, ValueError):
        return value


def folder_shown(project: AnyProject) -> str:
    """What to put before file names so that they can be opened from the working folder: nothing where that is the root."""
    return where_shown(project.folder.where)


def where_shown(folder: str) -> str:
    """The same of any folder."""
    try:
        relative = os.path.relpath(folder)
    except (OSError, ValueError):
        return f"{folder}/"
    return "" if relative == "." else f"{relative}/"


def print_findings(findings: list[Finding], project: AnyProject, to_stderr: bool = False, most: int | None = None) -> None:
    """Findings as text, of very many `most`, errors before the others; what is left out is counted."""
    stream = sys.stderr if to_stderr else sys.stdout
    if findings:
        print(text_of_findings(findings, project, style_for(stream, os.environ), most), file=stream)


def text_of_findings(findings: list[Finding], project: AnyProject, style: Style, most: int | None = None) -> str:
    """What `print_findings` prints."""
    findings, closing = first_of(findings, most)
    return findings_text(findings, project.source, style, project.environments, folder_shown(project)) + closing


def first_of(findings: list[Finding], most: int | None) -> tuple[list[Finding], str]:
    """So many findings, errors before the others, and a line that counts what is left out."""
    most = PRINTED_FINDINGS.most if most is None else most
    closing = ""
    if most and len(findings) > most:
        first = sorted(range(len(findings)), key=lambda at: (LEVELS.index(findings[at].level), at))[:most]
        closing = f"\n{counted(len(findings) - most, 'further finding')} not printed; --max-findings prints more.\n"
        findings = [findings[at] for at in sorted(first)]
    return findings, closing


Wrong = list[tuple[AnyProject, list[Finding]]]
"""What is wrong, by the project whose lines show it: one of a revision has lines of its own."""


def errors_of(loaded: Project, views: Iterable[str], known: Mapping[str, list[Finding]] | None = None) -> Wrong:
    """The errors of some views, which leave values unknown; those that are `known` by view are not looked for again. Raises ProjectError."""
    found: Wrong = []
    for side, names in loaded.sides(views):
        here = known if known is not None and side is loaded else {}
        findings = [
            finding
            for name in names
            for finding in (here[name] if name in here else side.render(name).findings)
            if finding.level == "error"
        ]
        if findings:
            found.append((side, merged(findings, side.environments)))
    return found


def all_of(wrong: Wrong) -> list[Finding]:
    """All of them in one list."""
    return [finding for _, findings in wrong for finding in findings]


def show_errors(wrong: Wrong) -> bool:
    """Show on standard error what is wrong, and what that means for the result; False where nothing is."""
    sys.stdout.flush()
    for side, findings in wrong:
        print_findings(findings, side, to_stderr=True)
    if wrong:
        print("What hangs on these errors is unknown in the result.", file=sys.stderr)
    return bool(wrong)


def unusable(error: ProjectError) -> int:
    """Say why a project cannot be used; gives the exit code."""
    style = style_for(sys.stderr, os.environ)

    def source(name: str) -> Source | None:
        return read_source(read_named(name), name, ".yaml")[0]

    print(findings_text(error.findings, source, style, ()), file=sys.stderr)
    tell_as_json(error.findings)
    return exit_codes.UNUSABLE


def tell_as_json(findings: Sequence[Finding], code: int = exit_codes.UNUSABLE) -> None:
    """Findings that end a command, for programs, where JSON is asked for."""
    import click

    context = click.get_current_context(silent=True)
    if findings and context is not None and context.params.get("format") == "json":
        from jovial_scaffold.reports.machine import error_document, json_text

        sys.stdout.write(json_text(error_document(code, said(findings[0].message), findings)))


def style_of(out: Path | None) -> Style:
    """How text is written: as the terminal wants it, or plainly into a file."""
    return style_for(sys.stdout, os.environ) if out is None else Style(colours=False, width=120)


def deliver(text: str, out: Path | None, data: bool = False, silently: bool = False) -> None:
    """Write a result to a file, whole or not at all, or to standard output for `-` or none; `data` goes out as it is. Raises OSError."""
    if out is None or str(out) == "-":
        write = getattr(sys.stdout, "exactly", sys.stdout.write) if data else sys.stdout.write
        write(text)
        return
    from jovial_scaffold.machine import writing

    writing.write(out, text)
    if not silently:
        print(f"Written: {out}", file=sys.stderr)


def deliver_bytes(content: bytes, out: Path | None) -> None:
    """Write a picture to a file, or to standard output where that is no terminal. Raises OSError."""
    if out is None or str(out) == "-":
        if sys.stdout.isatty():
            raise typer.BadParameter("a picture does not belong on a terminal: name a file.", param_hint="--out")
        sys.stdout.buffer.write(content)
        return
    from jovial_scaffold.machine import writing

    writing.write(out, content)
    print(f"Written: {out}", file=sys.stderr)


def exit_code(findings: list[Finding]) -> int:
    """1 where a finding is an error, else 0."""
    return exit_codes.ERRORS if has_errors(findings) else 0
