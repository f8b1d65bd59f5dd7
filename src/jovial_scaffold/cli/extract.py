"""`jovial extract`: resources move into a module."""

from typing import Annotated

import typer

from jovial_scaffold.cli.completing import resource_names
from jovial_scaffold.cli.editing import DryRun, deliver_change, said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load


def command(
    resources: Annotated[
        list[str], typer.Argument(help="The resources that move, by name.", show_default=False, autocompletion=resource_names)
    ],
    module: Annotated[str, typer.Option("--module", help="The file of the new module, from the project's folder.", show_default=False)],
    name: Annotated[str, typer.Option("--as", help="What its use is called; else as the file.", show_default=False)] = "",
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """They move with what only they use. What else they read is handed over as parameters of the module, and what others read of them are its
    outputs. Their new addresses are noted under `renames`, so that what runs is not removed and made again. Everything is rendered as it was.

    Example: jovial extract track_net central_net --module modules/net.yaml
    """
    with said():
        from jovial_scaffold.core.authoring.extracting import extract

        loaded = load(project, None, None)
        change, done = extract(loaded, resources, module, name)
        deliver_change(loaded, change, done, dry_run, format)
