"""`jovial mend`: the repairs that findings propose."""

import sys
from os.path import exists, realpath, relpath
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.editing import DryRun, deliver_change, said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.registry import known_ids
from jovial_scaffold.core.words import nearest, say
from jovial_scaffold.reports.words import counted
from jovial_scaffold.reports.words import said as told


def command(
    what: Annotated[
        list[str] | None, typer.Argument(help="Ids of findings, and files or folders; all where none is named.", show_default=False)
    ] = None,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """A name becomes the only one that was probably meant, a number gets its quotes or loses them, what nobody declares or uses goes, what is
    missing is left open, a secret in clear text goes into a file of its own. Each repair is tried first: what it is for is gone then, and
    nothing else is wrong. What would change something that is rendered is only done where its id is named. What is left is counted at the end.

    Example: jovial mend --dry-run
    """
    known = known_ids()
    with said():
        from jovial_scaffold.core.authoring.mending import mend

        loaded = load(project, None, None)
        paths = [_within(loaded, each, known) for each in what or () if each not in known]
        mended = mend(loaded, [each for each in what or () if each in known], paths)
        left = (loaded.edited(mended.change.files()) if mended.change else loaded).check().findings
        deliver_change(loaded, mended.change, mended.done, dry_run, format)
    if mended.changes:
        print(f"What is rendered {'would change' if dry_run else 'changes'} by it.", file=sys.stderr)
    if left:
        print(
            f"{counted(len(left), 'finding')} {'would be' if dry_run else 'are' if len(left) > 1 else 'is'} left: jovial check",
            file=sys.stderr,
        )
    for id in mended.wait:
        print(f"What {id} proposes would change what is rendered; where that is meant: jovial mend {id}", file=sys.stderr)
    raise typer.Exit(exit_codes.ERRORS if has_errors(left) else 0)


def _within(loaded: Project, path: str, ids: list[str]) -> str:
    """A path as the project names it, which is written from the working folder. Raises BadParameter where nothing is there."""
    if not exists(path):
        hint = told(nearest(path, ids, say("jovial findings lists the ids.")))
        raise typer.BadParameter(f"{path} is no id of a finding, and no such file is here. {hint}", param_hint="WHAT")
    return relpath(realpath(path), realpath(loaded.folder.where))
