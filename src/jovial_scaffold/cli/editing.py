"""What commands share that change files: they show what they would do, or do it."""

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from os.path import realpath
from pathlib import Path
from posixpath import normpath
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import ReportFormat, folder_shown, print_findings, unusable
from jovial_scaffold.core.authoring.promises import Refused, broken
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.folders import Within
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.edits import Change, FileChange, unified_diff
from jovial_scaffold.core.text.script import Unplaced, Unwritable
from jovial_scaffold.core.words import say
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.reports.terminal import style_for

DryRun = Annotated[bool, typer.Option("--dry-run", help="Print the change as a unified diff, and write nothing.")]


def real_path(path: str) -> str:
    """Where a path leads, for comparing."""
    return realpath(path)


def rooted(loaded: Project, files: list[FileChange]) -> tuple[Path, list[FileChange]]:
    """The folder that nothing is written outside of, and the files by their names there: that of the workspace, where a project has one."""
    folder = loaded.folder
    if not isinstance(folder, Within) or not folder.base:
        return Path(folder.where), files
    return Path(folder.whole.where), [each._replace(name=normpath(f"{folder.base}/{each.name}")) for each in files]


@contextmanager
def said() -> Iterator[None]:
    """What cannot be done is said, and ends with its exit code."""
    try:
        yield
    except Refused as refused:
        print_findings(refused.findings, refused.project, to_stderr=True)
        raise typer.Exit(exit_codes.UNUSABLE) from None
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    except (Unplaced, Unwritable):
        raise typer.Exit(unusable(broken(say("A file has no place where this could be written.")))) from None


def deliver_change(loaded: Project, change: Change, done: list[Done], dry_run: bool, format: ReportFormat) -> None:
    """Write a change, and say what was done; or only show it. Ends with the exit code where that cannot be."""
    from jovial_scaffold.machine.changing import ChangedMeanwhile, carry_out

    files = change.files()

    def hides(name: str, line: int) -> bool:
        source = loaded.source(name)
        return source is not None and source.hides(Span(name, line, 1, line, 1))

    def unquoted(name: str, line: int) -> bool:
        """Comments of parameter files are not quoted: what stood there once may have been a secret."""
        source = loaded.source(name)
        starts = source.line_starts if source is not None else []
        if source is None or line > len(starts):
            return False
        end = starts[line] if line < len(starts) else len(source.text)
        return source.line(line) != source.text[starts[line - 1] : end].rstrip("\r\n")

    if not dry_run and files:
        try:
            carry_out(*rooted(loaded, files))
        except ChangedMeanwhile as changed:
            print(f"jovial: {changed} was changed by somebody else meanwhile. Nothing was written.", file=sys.stderr)
            raise typer.Exit(exit_codes.UNUSABLE) from None
    if format is ReportFormat.json:
        from jovial_scaffold.reports.changes import edits_document
        from jovial_scaffold.reports.machine import json_text

        sys.stdout.write(json_text(edits_document(loaded.name, change, files, not dry_run, loaded.source, hides)))
    elif dry_run:
        sys.stdout.write(unified_diff(files, hides, unquoted))
    else:
        from jovial_scaffold.reports.changes import done_text

        sys.stdout.write(done_text(done, style_for(sys.stdout, os.environ), folder_shown(loaded)))
    if not files:
        print("Nothing changes.", file=sys.stderr)
