"""`jovial inline`: a use of a module is written out."""

from typing import Annotated

import typer

from jovial_scaffold.cli.completing import resource_names
from jovial_scaffold.cli.editing import DryRun, deliver_change, said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load


def command(
    use: Annotated[str, typer.Argument(help="The use of the module, by its name.", show_default=False, autocompletion=resource_names)],
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """The resources of the module stand in the template then, with what was handed over in place of its parameters; what the template has
    already gets the name of the use before it. Their new addresses are noted under `renames`. The module's file stays. Everything is rendered
    as it was.

    Example: jovial inline tickets --dry-run
    """
    with said():
        from jovial_scaffold.core.authoring.inlining import inline

        loaded = load(project, None, None)
        change, done = inline(loaded, use)
        deliver_change(loaded, change, done, dry_run, format)
