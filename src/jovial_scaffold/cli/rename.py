"""`jovial rename`: a name becomes another one, wherever it is meant."""

from typing import Annotated

import typer

from jovial_scaffold.cli.editing import DryRun, deliver_change, said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load


def command(
    old: Annotated[
        str,
        typer.Argument(
            help="What it is called: a parameter, value, resource, function, lookup or document; outputs.NAME.", show_default=False
        ),
    ],
    new: Annotated[str, typer.Argument(help="What it is to be called.", show_default=False)],
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """Its declaration and all uses change together: in the template, in documents, parameter files, examples and rules. A resource remembers
    what it was called (`$formerly`), so that what runs is not removed and made again. What is called the same elsewhere stays, and so does all
    that is rendered, but for the name; where that would not be so, nothing is written.

    Example: jovial rename copies machines --dry-run
    """
    with said():
        from jovial_scaffold.core.authoring.renaming import rename

        loaded = load(project, None, None)
        change, done = rename(loaded, old, new)
        deliver_change(loaded, change, done, dry_run, format)
