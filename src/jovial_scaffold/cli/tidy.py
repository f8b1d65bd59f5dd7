"""`jovial tidy`: one layout for all files that people write."""

import sys
from collections.abc import Iterator
from os.path import exists, isfile, relpath
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.editing import DryRun, deliver_change, real_path, said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load
from jovial_scaffold.cli.parameters import Notation
from jovial_scaffold.cli.workspace import workspace_asked
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.text.written_values import SUFFIXES
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.reports.words import counted, path_shown


def command(
    paths: Annotated[
        list[str] | None,
        typer.Argument(help="Files or folders, - for standard input; all of the project where none is named.", show_default=False),
    ] = None,
    check: Annotated[
        bool, typer.Option("--check", help="Write nothing; exit with 1 where a file is not laid out so, and name it.")
    ] = False,
    dry_run: DryRun = False,
    notation: Annotated[Notation, typer.Option("--notation", help="How standard input is written.")] = Notation.yaml,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """Two columns for each step inwards, one space behind colons and commas, quotes only where they are needed, no two blank lines, comments
    behind neighbouring lines in one column, sections in the order of the manual. Every value and every comment stays; where somebody broke a
    line, it stays broken. A file that cannot be read is left as it is.

    Example: jovial tidy --check
    """
    if "-" in (paths or ()):
        _from_stdin(notation, check)
        return
    with said():
        from jovial_scaffold.core.authoring.tidying import tidy

        for path in paths or ():
            if not exists(path):
                raise typer.BadParameter(f"There is no file or folder {path} here.", param_hint="PATHS")
        tidied = [(one, tidy(one, own, beyond)) for one, own, beyond in _asked(project, paths or [])]
        files = {_shown(one, file.name) for one, each in tidied for file in each.change.files()}
        unreadable = {_shown(one, name) for one, each in tidied for name in each.unreadable}
        odd = {_shown(one, name) for one, each in tidied for name in each.odd}
        if check and not dry_run and format is ReportFormat.text:
            print("".join(f"{name}\n" for name in sorted(files)), end="")
        elif tidied:
            first, rest = tidied[0][0], [(one, each.change) for one, each in tidied[1:]]
            done = [
                Done(each.what, relpath(_shown(one, each.file), _folder(first)), each.how) for one, every in tidied for each in every.done
            ]
            deliver_change(first, tidied[0][1].change, list(dict.fromkeys(done)), dry_run or check, format, rest)
    if files and check:
        print(f"{counted(len(files), 'file')} not laid out: jovial tidy", file=sys.stderr)
    for name in sorted(unreadable):
        print(f"{name} is left as it is: it cannot be read as YAML, JSON, TOML or dotenv. See: jovial check", file=sys.stderr)
    for name in sorted(odd):
        print(f"{name} is left as it is: it has anchors, tags, several documents, or keys written with `?`.", file=sys.stderr)
    raise typer.Exit(exit_codes.ERRORS if unreadable or (check and files) else 0)


def _asked(project: Path | None, paths: list[str]) -> Iterator[tuple[Project, list[str], bool]]:
    """The project, or those of the workspace whose root this is; which of its files, by names from its folder (all where none is named), and
    whether those that it shares are meant as well. Raises ProjectError."""
    opened = workspace_asked(project, False)
    if opened is None:
        loaded = load(project, None, None)
        yield loaded, [relpath(real_path(path), _folder(loaded)) for path in paths], False
        return
    folders = [f"{real_path(opened.folder.where)}/{each}/" for each in opened.folders.values()]
    shared = [path for path in paths if isfile(path) and not any(real_path(path).startswith(each) for each in folders)]
    for name in opened.folders:
        loaded = opened.load(name)
        from_here = [relpath(real_path(path), _folder(loaded)) for path in paths]
        own = ["." if not each.strip("./") else each for each in from_here if not each.startswith("../") or not each.strip("./")]
        own += [relpath(real_path(path), _folder(loaded)) for path in shared]
        shared = []  # of several projects, the first one lays it out
        if not paths or own:
            yield loaded, own, not paths


def _folder(loaded: Project) -> str:
    return real_path(loaded.folder.where)


def _shown(loaded: Project, name: str) -> str:
    """A file of a project, from the working folder."""
    return path_shown("", relpath(f"{_folder(loaded)}/{name}"))


def _from_stdin(notation: Notation, check: bool) -> None:
    """From standard input to standard output."""
    from jovial_scaffold.core.authoring.tidying import tidied_text

    text = sys.stdin.buffer.read().decode("utf-8", "surrogateescape")
    made = tidied_text(text, SUFFIXES[notation.value])
    if not check:
        sys.stdout.write(text if made is None else made)
    if made is None:
        print("Standard input is left as it is: it cannot be read.", file=sys.stderr)
    raise typer.Exit(exit_codes.ERRORS if made is None or (check and made != text) else 0)
