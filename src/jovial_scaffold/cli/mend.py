"""`jovial mend`: the repairs that findings propose."""

import sys
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.editing import DryRun, deliver_change, said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.registry import known_ids
from jovial_scaffold.reports.words import counted


def command(
    what: Annotated[
        list[str] | None, typer.Argument(help="Ids of findings, and files or folders; all where none is named.", show_default=False)
    ] = None,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """A name becomes the only one that was probably meant, a number gets its quotes or loses them, what nobody declares or uses goes, what is
    missing is left open. Each repair is tried first: what it is for is gone then, and nothing else is wrong. What would change something that
    is rendered is only done where its id is named. What is left is counted at the end.

    Example: jovial mend --dry-run
    """
    ids = set(known_ids())
    with said():
        from jovial_scaffold.core.authoring.mending import mend

        loaded = load(project, None, None)
        change, done = mend(loaded, [each for each in what or () if each in ids], [each for each in what or () if each not in ids])
        left = loaded.edited(change.files()).check().findings if change else loaded.check().findings
        deliver_change(loaded, change, done, dry_run, format)
    if left:
        print(
            f"{counted(len(left), 'finding')} {'would be' if dry_run else 'are' if len(left) > 1 else 'is'} left: jovial check",
            file=sys.stderr,
        )
    raise typer.Exit(exit_codes.ERRORS if has_errors(left) else 0)
