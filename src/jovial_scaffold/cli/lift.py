"""`jovial lift`: a literal gets a name."""

import os
import shlex
import sys
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli.editing import DryRun, deliver_change, said, shared_change
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, folder_shown, load
from jovial_scaffold.reports.machine import json_text
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import counted, path_shown, visible

_LISTED = 12


class Kind(StrEnum):
    """What a literal becomes."""

    parameter = "parameter"
    value = "value"


def command(
    places: Annotated[list[str] | None, typer.Argument(help="Where it stands: ADDRESS:PROPERTY.", show_default=False)] = None,
    name: Annotated[str, typer.Option("--name", help="What it is to be called.", show_default=False)] = "",
    kind: Annotated[Kind, typer.Option("--as", help="What it becomes.")] = Kind.value,
    everywhere: Annotated[
        bool, typer.Option("--everywhere", help="Wherever the same stands, too, also inside of texts and in documents.")
    ] = False,
    text: Annotated[str, typer.Option("--text", help="A text instead of places: wherever it stands as words of its own.")] = "",
    suggest: Annotated[bool, typer.Option("--suggest", help="List what recurs and is worth a name, the worthiest first.")] = False,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """What is written out there becomes a named value of the template, or a parameter that is declared as narrowly as the property, with its
    value in the file that all environments take, or in each one's own. Everything is rendered as it was. What is equal elsewhere is listed.

    Example: jovial lift gates:size --as parameter --name gate_size
    """
    if suggest:
        _suggested(project, format)
        return
    if bool(places) is bool(text.strip()) or not name:
        raise typer.BadParameter("say what is to get a name, and which: jovial lift ADDRESS:PROPERTY --name NAME", param_hint="PLACES")
    with said():
        from jovial_scaffold.core.authoring.lifting import lift

        loaded = load(project, None, None)
        change, done, equal = lift(loaded, places or (), name, kind is Kind.parameter, everywhere or bool(text), text)
        deliver_change(loaded, change, done, dry_run, format, shared_change(loaded, change))
    if equal:
        told = ", ".join(visible(each.label) for each in equal[:_LISTED])
        more = f" and {len(equal) - _LISTED} more" if len(equal) > _LISTED else ""
        print(f"The same stands at {counted(len(equal), 'other place')}: {told}{more} (--everywhere)", file=sys.stderr)


def _suggested(project: Path | None, format: ReportFormat) -> None:
    """What recurs, and the command that gives it a name."""
    from jovial_scaffold.core.authoring.literals import proposed_name, suggestions

    with said():
        loaded = load(project, None, None)
        loaded.views(loaded.environments)  # reads all files
        found = suggestions(loaded)[:_LISTED]
    if format is ReportFormat.json:
        entries = [
            {
                "text": each.text,
                "name": proposed_name(each.text, loaded.template.names),
                "places": [one.label for one in each.places],
                "files": each.files,
            }
            for each in found
        ]
        sys.stdout.write(json_text({"format": "jovial-suggestions/1", "project": loaded.name, "suggestions": entries}))
        return
    base, style = folder_shown(loaded), style_for(sys.stdout, os.environ)
    for number, each in enumerate(found):
        where = ", ".join(path_shown(base, file) for file in each.files)
        about = style.paint("place", f"{counted(len(each.places), 'place')} in {where}")
        print(f"{chr(10) if number else ''}{style.paint('strong', visible(each.text))}  {about}")
        whole = next((one for one in each.places if one.text == each.text and one.origin.pointer[:1] == ("resources",)), None)
        told = ", ".join(visible(one.label) for one in each.places[:4])
        print(f"    {told}{' …' if len(each.places) > 4 else ''}")
        place = f"{whole.label} --everywhere" if whole is not None else f"--text {shlex.quote(visible(each.text))}"
        print(f"    jovial lift {place} --name {proposed_name(each.text, loaded.template.names)}")
    if not found:
        print("Nothing recurs that would be worth a name.", file=sys.stderr)
