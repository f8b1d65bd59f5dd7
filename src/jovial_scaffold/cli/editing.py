"""What commands share that change files: they show what they would do, or do it."""

import os
import re
import sys
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from os.path import realpath, relpath
from pathlib import Path
from posixpath import normpath
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import ReportFormat, folder_shown, print_findings, tell_as_json, unusable
from jovial_scaffold.core.authoring.promises import Refused, broken
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.folders import Within
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.discretion import secret_texts
from jovial_scaffold.core.text.edits import Change, Discretion, FileChange, unified_diff
from jovial_scaffold.core.text.script import Unplaced, Unwritable
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.words import say
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.reports.terminal import style_for

DryRun = Annotated[bool, typer.Option("--dry-run", help="Print the change as a unified diff, and write nothing.")]

Force = Annotated[bool, typer.Option("--force", help="Overwrite files that are there already.")]


def real_path(path: str) -> str:
    """Where a path leads, for comparing."""
    return realpath(path)


@contextmanager
def said() -> Iterator[None]:
    """What cannot be done is said, and ends with its exit code."""
    try:
        yield
    except Refused as refused:
        print_findings(refused.findings, refused.project, to_stderr=True)
        tell_as_json(refused.findings)
        raise typer.Exit(exit_codes.UNUSABLE) from None
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    except (Unplaced, Unwritable):
        raise typer.Exit(unusable(broken(say("A file has no place where this could be written.")))) from None


def deliver_change(
    loaded: Project, change: Change, done: list[Done], dry_run: bool, format: ReportFormat, others: Sequence[tuple[Project, Change]] = ()
) -> None:
    """Write a change, and say what was done; or only show it. `others` are what it makes of other projects of the workspace. Ends with the exit
    code where that cannot be."""
    from jovial_scaffold.machine.changing import ChangedMeanwhile, carry_out

    parts = _Parts([(loaded, change), *others])
    if not dry_run and parts.files:
        try:
            carry_out(parts.root, parts.files)
        except ChangedMeanwhile as changed:
            print(f"jovial: {changed} was changed by somebody else meanwhile. Nothing was written.", file=sys.stderr)
            raise typer.Exit(exit_codes.UNUSABLE) from None
    if format is ReportFormat.json:
        from jovial_scaffold.reports.changes import edits_document
        from jovial_scaffold.reports.machine import json_text

        document = edits_document(loaded.name, parts.edits, parts.shown, not dry_run, parts.source, parts)
        sys.stdout.write(json_text(document))
    elif dry_run:
        sys.stdout.write(unified_diff(parts.shown, parts))
    else:
        from jovial_scaffold.reports.changes import done_text

        sys.stdout.write(done_text(done, style_for(sys.stdout, os.environ), folder_shown(loaded)))
    if not parts.files:
        print("Nothing changes.", file=sys.stderr)


def written(loaded: Project, change: Change) -> None:
    """Write a change of one project. Raises ChangedMeanwhile, OSError."""
    from jovial_scaffold.machine.changing import carry_out

    parts = _Parts([(loaded, change)])
    carry_out(parts.root, parts.files)


def sharing(loaded: Project, files: Iterable[str]) -> list[Project]:
    """The other projects of the workspace, where some files lie outside of the project."""
    folder = loaded.folder
    if not isinstance(folder, Within) or not folder.base or not any(each.startswith("../") for each in files):
        return []
    from jovial_scaffold.machine.workspaces import OpenWorkspace

    opened = OpenWorkspace(Path(folder.whole.where))
    return [opened.load(name) for name, base in opened.folders.items() if base != folder.base]


def shared_change(loaded: Project, change: Change) -> list[tuple[Project, Change]]:
    """What a change makes of the other projects that read the files, which render as before. Raises ProjectError."""
    from jovial_scaffold.core.authoring.promises import adds_no_errors, after, keeps_renderings

    found = []
    for other in sharing(loaded, [each.name for each in change.files()]):
        assert isinstance(loaded.folder, Within)
        assert isinstance(other.folder, Within)
        base, theirs = loaded.folder.base, other.folder.base
        edits = [each._replace(file=relpath(normpath(f"{base}/{each.file}"), theirs)) for each in change.edits]
        also = Change(other.folder)
        also.add(each for each in edits if other.source(each.file) is not None)
        if also:
            then = after(other, also)
            adds_no_errors(other, then)
            keeps_renderings(other, then)
            found.append((other, also))
    return found


class _Parts(Discretion):
    """What a change makes of one project, or of several of a workspace. `files` have names from the folder that nothing is written outside of,
    that of the workspace where there is one; `shown` are the same with the names that people see: those of the project where all lie in it."""

    def __init__(self, parts: Sequence[tuple[Project, Change]]) -> None:
        folder = parts[0][0].folder
        in_workspace = isinstance(folder, Within) and bool(folder.base)
        self.root = Path(folder.whole.where if isinstance(folder, Within) and folder.base else folder.where)
        self._bases = [each.folder.base if in_workspace and isinstance(each.folder, Within) else "" for each, _ in parts]
        self._projects = [each for each, _ in parts]
        own = [change.files() for _, change in parts]
        files: dict[str, FileChange] = {}
        for base, each in zip(self._bases, own, strict=True):
            for file in each:
                was = normpath(f"{base}/{file.was}") if base and file.was else file.was
                whole = file._replace(name=normpath(f"{base}/{file.name}") if base else file.name, was=was)
                if files.setdefault(whole.name, whole) != whole:
                    raise broken(say("Two projects would want {} to be another.", whole.name))
        self.files = sorted(files.values())
        self._prefix = "" if len(parts) > 1 or any(each.name.startswith("../") for each in own[0]) else self._bases[0]
        self.shown = [each._replace(name=self._short(each.name), was=self._short(each.was)) for each in self.files]
        self.edits = list(
            dict.fromkeys(
                edit._replace(file=self._short(normpath(f"{base}/{edit.file}") if base else edit.file))
                for base, (_, change) in zip(self._bases, parts, strict=True)
                for edit in change.edits
            )
        )

    def _short(self, name: str) -> str:
        return name.removeprefix(f"{self._prefix}/") if self._prefix else name

    def source(self, name: str) -> Source | None:
        """A file that was read, by the name that is shown; of several projects that read it, as the one that hides most of it does."""
        whole = f"{self._prefix}/{name}" if self._prefix else name
        found = [project.source(relpath(whole, base) if base else whole) for project, base in zip(self._projects, self._bases, strict=True)]
        return max((each for each in found if each is not None), key=lambda each: each.hidden, default=None)

    def hides(self, name: str, line: int) -> bool:
        """Whether something that is not shown stands in a line."""
        source = self.source(name)
        return source is not None and source.hides(Span(name, line, 1, line, 1))

    def unquoted(self, name: str, line: int) -> bool:
        """Comments of parameter files are not quoted: what stood there once may have been a secret."""
        source = self.source(name)
        starts = source.line_starts if source is not None else []
        if source is None or line > len(starts):
            return False
        end = starts[line] if line < len(starts) else len(source.text)
        return source.line(line) != source.text[starts[line - 1] : end].rstrip("\r\n")

    @cached_property
    def _secrets(self) -> "re.Pattern[str] | None":
        return secret_texts(source for project in self._projects for source in project.sources)

    def tells(self, text: str) -> bool:
        """Whether a text holds what some file of the projects hides."""
        return self._secrets is not None and self._secrets.search(text) is not None
