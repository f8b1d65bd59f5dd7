"""`jovial tidy`: one layout for all files that people write."""

import sys
from os.path import exists, relpath
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.editing import DryRun, deliver_change, real_path, said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, folder_shown, load
from jovial_scaffold.cli.parameters import Notation
from jovial_scaffold.core.text.written_values import SUFFIXES
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

        loaded = load(project, None, None)
        here = real_path(loaded.folder.where)
        for path in paths or ():
            if not exists(path):
                raise typer.BadParameter(f"There is no file or folder {path} here.", param_hint="PATHS")
        tidied = tidy(loaded, [relpath(real_path(path), here) for path in paths or ()])
        files = [each.name for each in tidied.change.files()]
        if check and not dry_run and format is ReportFormat.text:
            for name in files:
                print(path_shown(folder_shown(loaded), name))
        else:
            deliver_change(loaded, tidied.change, tidied.done, dry_run or check, format)
    if files and check:
        print(f"{counted(len(files), 'file')} not laid out: jovial tidy", file=sys.stderr)
    for name in tidied.stay:
        print(f"{path_shown(folder_shown(loaded), name)} is left as it is: it cannot be read. See: jovial check", file=sys.stderr)
    raise typer.Exit(exit_codes.ERRORS if tidied.stay or (check and files) else 0)


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
