"""`jovial find`: where a value that someone saw comes from."""

import os
import sys
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import (
    Environments,
    Format,
    ProjectPath,
    ReportFormat,
    WithFiles,
    WithValues,
    all_of,
    errors_of,
    folder_shown,
    load,
    show_errors,
    unusable,
)
from jovial_scaffold.core.project_file import ProjectError


def command(
    text: Annotated[str, typer.Argument(help="A name, an address or range, a size: the whole value or a part of it.", show_default=False)],
    environments: Environments = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    format: Format = ReportFormat.text,
) -> None:
    """Look through every rendered property, output and document; an address is found in the ranges that hold it. Never at secrets.

    Example: jovial find 10.20.3.17
    """
    if not text:
        raise typer.BadParameter("there is nothing to look for.", param_hint="TEXT")
    try:
        loaded = load(project, with_values, with_file, views=environments or ())
        chosen = tuple(environments or loaded.environments)
        found = loaded.find(text, chosen)
        labels = [loaded.label(each) for each in chosen]
        wrong = errors_of(loaded, chosen, found.errors)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if format is ReportFormat.json:
        from jovial_scaffold.reports.finding import find_document
        from jovial_scaffold.reports.machine import json_text

        sys.stdout.write(json_text(find_document(loaded.name, text, labels, found.hits, all_of(wrong))))
    else:
        from jovial_scaffold.reports.finding import hits_text
        from jovial_scaffold.reports.terminal import style_for

        sys.stdout.write(hits_text(text, labels, found.hits, style_for(sys.stdout, os.environ), folder_shown(loaded)))
    if show_errors(wrong):
        raise typer.Exit(exit_codes.ERRORS)
