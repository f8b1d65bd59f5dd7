"""`jovial map`: what depends on what, as a picture."""

import sys
from collections.abc import Sequence
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.completing import addresses, environment_names
from jovial_scaffold.cli.options import (
    EnvelopeFile,
    Out,
    ProjectPath,
    WithFiles,
    WithValues,
    deliver,
    deliver_bytes,
    errors_of,
    load,
    show_errors,
    style_of,
    unusable,
)
from jovial_scaffold.core.changes.matrix import Comparison, compare
from jovial_scaffold.core.graph.picture import Picture, around, picture
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.words import nearest
from jovial_scaffold.reports.words import said, visible


class MapFormat(StrEnum):
    """How a map is written."""

    svg = "svg"
    png = "png"
    dot = "dot"
    mermaid = "mermaid"
    html = "html"
    text = "text"


class Frames(StrEnum):
    """What the frames of a map are."""

    module = "module"
    file = "file"


def command(
    environment: Annotated[
        str | None,
        typer.Argument(
            help="The environment; the one with most resources when none is named.", show_default=False, autocompletion=environment_names
        ),
    ] = None,
    format: Annotated[
        MapFormat | None, typer.Option("--format", help="By the ending of --out where it is not given, else text.", show_default=False)
    ] = None,
    by: Annotated[Frames, typer.Option("--by", help="What stands in a frame of its own.")] = Frames.module,
    unfold: Annotated[bool, typer.Option("--unfold", help="Every resource by itself, however many there are.")] = False,
    near: Annotated[
        str | None, typer.Option("--near", help="Only what is near a resource.", show_default=False, autocompletion=addresses)
    ] = None,
    steps: Annotated[int, typer.Option("--steps", help="How near.", min=0)] = 1,
    both: Annotated[
        tuple[str, str] | None, typer.Option("--compare", help="Two environments, laid over each other.", show_default=False, metavar="A B")
    ] = None,
    out: Out = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
) -> None:
    """Modules are frames, items of a loop are one box with their number, and large projects are folded until they can be read.

    Example: jovial map live --out live.svg
    """
    chosen = _format(format, out)
    try:
        loaded = load(project, with_values, with_file, envelope=envelope, views=[environment] if environment else ())
        names: Sequence[str] = both or ([environment] if environment else loaded.environments)
        renderings = loaded.views(names)
        wrong = errors_of(loaded, names)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if both is None:
        renderings = [max(renderings, key=lambda each: len(each.resources))]
    marks = _marks(compare(renderings, echoes=True)) if both else {}
    found = picture(renderings, by.value, unfold, marks)
    if near is not None:
        found = _near(found, near, steps)
    title = f"{loaded.name} in {found.title}"
    if chosen is MapFormat.png:
        from jovial_scaffold.core.graph.layout import layout
        from jovial_scaffold.reports.drawing.image import png_bytes

        deliver_bytes(png_bytes(layout(found), title), out)
    else:
        deliver(_written(found, title, chosen, out), out)
    raise typer.Exit(exit_codes.ERRORS if show_errors(wrong) else 0)


def _format(format: MapFormat | None, out: Path | None) -> MapFormat:
    if format is not None:
        return format
    endings = {".md": MapFormat.mermaid, ".mmd": MapFormat.mermaid, ".gv": MapFormat.dot, ".txt": MapFormat.text}
    suffix = out.suffix.lower() if out is not None else ""
    named = next((each for each in MapFormat if f".{each.value}" == suffix), None)
    if suffix and named is None and suffix not in endings:
        raise typer.BadParameter(f"what format is {suffix}? Name it with --format.", param_hint="--out")
    return named or endings.get(suffix, MapFormat.text)


def _marks(comparison: Comparison) -> dict[str, str]:
    """Of each address that is not the same in both, the only column that has it, or that it differs; texts that only repeat a parameter aside."""
    marks: dict[str, str] = {}
    for row in comparison.differences:
        if row.kind == "presence":
            marks[row.address] = f"only {next(iter(row.values))}"
        elif not row.echo:
            marks.setdefault(row.address, "differs")
    return marks


def _near(found: Picture, address: str, steps: int) -> Picture:
    names = [name for name, node in found.nodes.items() if address in (name, node.label) or address in node.members]
    if not names:
        known = [address for node in found.nodes.values() for address in node.members] + list(found.nodes)
        print(f"jovial: the map has nothing called {visible(address)}. {said(nearest(address, known))}".rstrip(), file=sys.stderr)
        raise typer.Exit(exit_codes.ERRORS)
    return around(found, names, steps)


def _written(found: Picture, title: str, format: MapFormat, out: Path | None) -> str:
    from jovial_scaffold.reports.drawing import written

    if format is MapFormat.text:
        return written.map_text(found, style_of(out))
    if format is MapFormat.dot:
        return written.dot_text(found)
    if format is MapFormat.mermaid:
        return written.mermaid_text(found)
    from jovial_scaffold.core.graph.layout import layout
    from jovial_scaffold.reports.drawing.svg import svg_text

    if format is MapFormat.svg:
        return svg_text(layout(found), title)
    from jovial_scaffold.reports.pages import Html, fill

    return fill("map.html", title=title, picture=Html(svg_text(layout(found), title, standalone=False)))
