"""`jovial gallery`: starting points of projects."""

import os
import sys
from collections import Counter
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli.options import unusable
from jovial_scaffold.core.authoring.gallery import Entry, entries, entry_named
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.machine.disk import DiskFolder
from jovial_scaffold.reports.terminal import Style, padded, style_for, wrapped
from jovial_scaffold.reports.words import visible

SHIPPED = Path(__file__).parents[1] / "gallery"
Gallery = Annotated[
    Path | None, typer.Option("--gallery", help="A folder with starting points of your own, before those that ship.", show_default=False)
]


def command(
    name: Annotated[str, typer.Argument(help="One of them, to be shown.", show_default=False)] = "",
    gallery: Gallery = None,
) -> None:
    """Whole projects to begin with: what each is, which resources it has, what needs what, and which parameters it asks for. `jovial new
    project NAME --from ONE` makes a project of one.

    Example: jovial gallery web-service
    """
    style = style_for(sys.stdout, os.environ)
    try:
        known = known_entries(gallery)
        lines = _shown(entry_named(known, name), style) if name else _list(known, style)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    sys.stdout.write("".join(f"{line}\n" for line in lines))


def known_entries(gallery: Path | None) -> list[Entry]:
    """Those of a folder, and those that ship, but for what has a name of the former. Raises ProjectError."""
    own = entries(DiskFolder(gallery)) if gallery is not None else []
    names = {each.name for each in own}
    return [*own, *(each for each in entries(DiskFolder(SHIPPED)) if each.name not in names)]


def _list(known: list[Entry], style: Style) -> list[str]:
    width = max((len(each.name) for each in known), default=0)
    return [f"{style.paint('strong', padded(visible(each.name), width))}  {visible(each.title)}" for each in known]


def _shown(entry: Entry, style: Style) -> list[str]:
    project = entry.project
    rendering = project.render(project.environments[-1])
    kinds = Counter(each.type_text for each in rendering.resources.values())
    lines = [style.paint("strong", visible(entry.title)), *wrapped(visible(entry.description), style.width, "")]
    lines += ["", style.paint("strong", f"Resources, in {project.environments[-1]}")]
    lines += [f"  {count} {visible(kind)}" for kind, count in sorted(kinds.items())]
    lines += ["", style.paint("strong", "What needs what")]
    for address, each in sorted(rendering.resources.items()):
        lines.append(f"  {visible(address)}{' ← ' + visible(', '.join(each.after)) if each.after else ''}")
    lines += ["", style.paint("strong", "It asks for")]
    width = max((len(name) for name, _ in entry.questions), default=0)
    lines += [f"  {padded(visible(name), width)}  {visible(ask)}" for name, ask in entry.questions]
    return [*lines, "", f"jovial new project NAME --from {visible(entry.name)}"]
