"""`jovial lift`: a literal gets a name."""

import sys
from enum import StrEnum
from typing import Annotated

import typer

from jovial_scaffold.cli.editing import DryRun, deliver_change, said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load
from jovial_scaffold.reports.words import counted, visible

_LISTED = 12


class Kind(StrEnum):
    """What a literal becomes."""

    parameter = "parameter"
    value = "value"


def command(
    places: Annotated[list[str], typer.Argument(help="Where it stands: ADDRESS:PROPERTY.", show_default=False)],
    name: Annotated[str, typer.Option("--name", help="What it is to be called.", show_default=False)],
    kind: Annotated[Kind, typer.Option("--as", help="What it becomes.")] = Kind.value,
    everywhere: Annotated[bool, typer.Option("--everywhere", help="Wherever the same stands, too.")] = False,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """What is written out there becomes a named value of the template, or a parameter that is declared as narrowly as the property, with its
    value in the file that all environments take, or in each one's own. Everything is rendered as it was. What is equal elsewhere is listed.

    Example: jovial lift gates:size --as parameter --name gate_size
    """
    with said():
        from jovial_scaffold.core.authoring.lifting import lift

        loaded = load(project, None, None)
        change, done, equal = lift(loaded, places, name, kind is Kind.parameter, everywhere)
        deliver_change(loaded, change, done, dry_run, format)
    if equal:
        told = ", ".join(visible(each.label) for each in equal[:_LISTED])
        more = f" and {len(equal) - _LISTED} more" if len(equal) > _LISTED else ""
        print(f"The same stands at {counted(len(equal), 'other place')}: {told}{more} (--everywhere)", file=sys.stderr)
