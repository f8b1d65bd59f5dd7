"""`jovial plot`: pictures of where environments differ."""

from enum import StrEnum
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import (
    EnvelopeFile,
    Environments,
    Out,
    ProjectPath,
    WithFiles,
    WithValues,
    deliver_bytes,
    errors_of,
    load,
    show_errors,
    unusable,
)
from jovial_scaffold.core.project_file import ProjectError


class PlotKind(StrEnum):
    """What is plotted."""

    differences = "differences"
    totals = "totals"
    influence = "influence"


class PlotFormat(StrEnum):
    """How it is written."""

    png = "png"
    svg = "svg"


def command(
    kind: Annotated[
        PlotKind, typer.Argument(help="A heat map of differences, totals by type, or the parameters behind it all.")
    ] = PlotKind.differences,
    environments: Environments = None,
    baseline: Annotated[str | None, typer.Option("--baseline", help="What the others are compared with.", show_default=False)] = None,
    only: Annotated[
        list[str] | None, typer.Option("--only", help="Resources or rows that fit a pattern. May be repeated.", show_default=False)
    ] = None,
    ignore: Annotated[list[str] | None, typer.Option("--ignore", help="Leave such rows out. May be repeated.", show_default=False)] = None,
    out: Out = None,
    format: Annotated[
        PlotFormat | None, typer.Option("--format", help="By the ending of --out where it is not given, else PNG.", show_default=False)
    ] = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
) -> None:
    """Without --out the picture is written to standard output.

    Example: jovial plot totals --out totals.png
    """
    suffix = out.suffix.lower() if out is not None else ""
    if format is None and suffix not in ("", ".png", ".svg"):
        raise typer.BadParameter(f"what format is {suffix}? Pictures are png or svg.", param_hint="--out")
    chosen = format or (PlotFormat.svg if suffix == ".svg" else PlotFormat.png)
    try:
        loaded = load(project, with_values, with_file, envelope=envelope, views=environments or ())
        comparison = loaded.compare(environments or (), baseline, False, only or (), ignore or ())
        wrong = errors_of(loaded, (*(environments or loaded.environments), *([baseline] if baseline else ())))
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    from jovial_scaffold.core.changes.totals import totals
    from jovial_scaffold.reports.drawing import plots

    if kind is PlotKind.differences:
        figure = plots.differences(comparison, loaded.name)
    elif kind is PlotKind.totals:
        figure = plots.totals(totals(comparison), comparison, loaded.name)
    else:
        figure = plots.influence(comparison, loaded.name)
    deliver_bytes(plots.plot_bytes(figure, chosen.value), out)
    raise typer.Exit(exit_codes.ERRORS if show_errors(wrong) else 0)
