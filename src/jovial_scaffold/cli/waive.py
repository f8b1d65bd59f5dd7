"""`jovial waive`: findings that somebody decides to live with."""

import sys
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.editing import DryRun, deliver_change, said, shared_change
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load


def command(
    what: Annotated[
        list[str],
        typer.Argument(help="Ids of findings, or rules as RULESET/RULE, or patterns of them.", metavar="FINDING...", show_default=False),
    ],
    because: Annotated[str, typer.Option("--because", help="Why.", show_default=False)] = "",
    until: Annotated[str, typer.Option("--until", metavar="DATE", help="The last day, as 2030-01-31.", show_default=False)] = "",
    at: Annotated[
        str, typer.Option("--at", help="Of an address or ADDRESS:PROPERTY only, or of a pattern of it.", show_default=False)
    ] = "",
    environments: Annotated[
        list[str] | None, typer.Option("--in", help="In this environment only. May be repeated.", show_default=False)
    ] = None,
    ask: Annotated[bool, typer.Option("--ask", help="Ask at the terminal for why and until when.")] = False,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """Each finding gets an entry in the file of waivers, as narrow as its address, its property and its environments say it. What else an
    entry waives is said.

    Example: jovial waive property-range --at gates:copies --because 'The old gates are taken away.' --until 2027-03-31
    """
    if ask:
        because, until = _answers(because, until)
    if not because.strip():
        raise typer.BadParameter("a waiver says why.", param_hint="--because")
    with said():
        from jovial_scaffold.core.authoring.waiving import waive

        loaded = load(project, None, None)
        change, done = waive(loaded, what, because, until, at, environments or ())
        deliver_change(loaded, change, done, dry_run, format, shared_change(loaded, change))


def _answers(because: str, until: str) -> tuple[str, str]:
    """What was not said on the command line. Ends with the exit code where there is nobody to ask."""
    if not (sys.stdin.isatty() and sys.stderr.isatty()):
        print("jovial: --ask asks at a terminal, and there is none.", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE)
    from jovial_scaffold.core.waivers import is_day

    while not because.strip():
        because = typer.prompt("Why", err=True, default="", show_default=False)
    while not until:
        until = typer.prompt("Until when (2030-01-31; nothing is for good)", err=True, default="", show_default=False).strip()
        if not until:
            break
        until = until if is_day(until) else ""
    return because, until
