"""`jovial demo`: a project to look at, and a walk through it."""

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import print_findings
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.machine.writing import new_folder
from jovial_scaffold.reports.findings import closing_line
from jovial_scaffold.reports.matrix import matrix_text
from jovial_scaffold.reports.terminal import style_for, wrapped

_SHIPPED = Path(__file__).parents[1] / "demo"


def command(
    into: Annotated[
        Path | None, typer.Option("--into", help="The folder to write; it must not exist yet.", show_default="./ridgeline")
    ] = None,
    flawed: Annotated[bool, typer.Option("--flawed", help="A project with planted mistakes, to see how they are reported.")] = False,
    workspace: Annotated[bool, typer.Option("--workspace", help="Two projects that share a module.")] = False,
) -> None:
    """The demo is the Ridgeline mountain railway: ticket gates, a timetable, telemetry and an archive in three environments.

    Example: jovial demo --into /tmp/ridgeline
    """
    if flawed and workspace:
        raise typer.BadParameter("there is one demo at a time.", param_hint="--workspace")
    name = "flawed" if flawed else "workspace" if workspace else "ridgeline"
    folder = into or Path({"flawed": "ridgeline-flawed", "workspace": "railways"}.get(name, name))
    try:
        with new_folder(folder) as whole:
            _copy(_SHIPPED / name, whole)
            if workspace:
                _share(whole)
    except FileExistsError:
        print(f"jovial: {folder} is there already, and nothing is overwritten. Name another folder with --into.", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE) from None
    if workspace:
        _walk_workspace(folder)
        return
    project = Project.load(folder, Overrides(os.environ))
    if flawed:
        _walk_flawed(folder, project)
    else:
        _walk(folder, project)


def _copy(shipped: Path, folder: Path) -> None:
    for path in sorted(shipped.rglob("*")):
        target = folder / path.relative_to(shipped)
        if path.is_dir():
            target.mkdir()
        else:
            target.write_bytes(path.read_bytes())


def _share(workspace: Path) -> None:
    """Make the demo's project one of the workspace's: its module is that of all lines."""
    line = workspace / "lines" / "ridgeline"
    line.mkdir()
    _copy(_SHIPPED / "ridgeline", line)
    (line / "shared").rename(workspace / "shared")
    project = line / "jovial.yaml"
    project.write_text("".join(each for each in project.read_text("utf-8").splitlines(True) if not each.startswith("modules:")), "utf-8")


def _say(text: str) -> None:
    for line in wrapped(text, style_for(sys.stdout, os.environ).width, ""):
        print(line)
    print()


def _heading(text: str) -> None:
    style = style_for(sys.stdout, os.environ)
    print(style.paint("strong", text))
    print(style.paint("faint", "─" * min(len(text), style.width)))


def _check(project: Project) -> None:
    result = project.check()
    print_findings(list(result.findings), project)
    line = closing_line(result, None, style_for(sys.stdout, os.environ))
    print(line)
    print()


def _walk(folder: Path, project: Project) -> None:
    _heading(f"A project in {folder}")
    _say(
        "The Ridgeline mountain railway keeps one template, line.yaml, and one parameter file for each environment: sandbox, rehearsal "
        "and live. The template declares parameters, names values such as sizes, and loops over the stations of the line."
    )
    _heading("jovial check: is anything wrong?")
    _check(project)
    _heading("jovial compare: what differs between the environments, and why?")
    sys.stdout.write(matrix_text(project.compare(only="gates/*", echoes=True), style_for(sys.stdout, os.environ), everything=False))
    print()
    _say("These are the rows of the ticket gates only. Each names the parameters that drive it; --drivers says where they are set.")
    _heading("What to try next")
    for command_line, about in (
        (f"cd {folder}", ""),
        ("jovial compare", "all rows"),
        ("jovial render live", "the resources of live, in deployment order"),
        ("jovial effects live", "what a deployment would do to what runs"),
        ("jovial map live --out live.svg", "what depends on what"),
        ("jovial why gates/kes:image live", "where a value comes from"),
        ("jovial check --with archive_days=0", "a value out of bounds"),
        ("jovial demo --flawed", "mistakes, and how they are reported"),
        ("jovial demo --workspace", "two projects that share a module"),
    ):
        print(f"  {command_line.ljust(36)}{about}".rstrip())


def _walk_flawed(folder: Path, project: Project) -> None:
    _heading(f"A project with planted mistakes in {folder}")
    _say("Each mistake is one that people really make. Each is reported once, at its place, with what to do about it.")
    _check(project)
    _heading("What to try next")
    print(f"  cd {folder}")
    print("  Mend a line, and run: jovial check")


def _walk_workspace(folder: Path) -> None:
    from jovial_scaffold.machine.workspaces import OpenWorkspace

    opened = OpenWorkspace(folder)
    _heading(f"A workspace in {folder}")
    _say(
        "workspace.yaml lists two lines of the railways, each a project with environments of its own, and the module that they share: "
        "shared/queue_pair.yaml. Whatever is wrong in it is one finding, with all that it reaches."
    )
    for name, path in opened.folders.items():
        print(f"  {name.ljust(12)}{path.ljust(20)}{', '.join(opened.load(name).environments)}")
    print()
    _heading("What to try next")
    for command_line, about in (
        (f"cd {folder}", ""),
        ("jovial check", "all projects"),
        ("jovial check live", "live of each"),
        ("jovial render funicular:live", "an environment of one, from anywhere below"),
        ("jovial ripple", "after an edit of what is shared, in a git repository"),
    ):
        print(f"  {command_line.ljust(32)}{about}".rstrip())
