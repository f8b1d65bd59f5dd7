"""`jovial find`: where a value that someone saw comes from."""

import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import (
    EnvelopeFile,
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
    overrides,
    show_errors,
    unusable,
    where_shown,
)
from jovial_scaffold.cli.workspace import Projects, WholeWorkspace, workspace_asked
from jovial_scaffold.core.project_file import ProjectError


def command(
    text: Annotated[str, typer.Argument(help="A name, an address or range, a size: the whole value or a part of it.", show_default=False)],
    environments: Environments = None,
    workspace: WholeWorkspace = False,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
    format: Format = ReportFormat.text,
) -> None:
    """Look through every rendered property, output and document; an address is found in the ranges that hold it. Never at secrets.

    Example: jovial find 10.20.3.17
    """
    if not text:
        raise typer.BadParameter("there is nothing to look for.", param_hint="TEXT")
    try:
        opened = workspace_asked(project, workspace)
        if opened is not None:
            raise typer.Exit(
                _in_workspace(
                    Projects(opened, overrides(Path(), with_values, with_file, envelope=envelope)), text, environments or [], format
                )
            )
        loaded = load(project, with_values, with_file, envelope=envelope, views=environments or ())
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


def _in_workspace(projects: Projects, text: str, environments: list[str], format: ReportFormat) -> int:
    """What holds a text in all projects of a workspace; the exit code. Raises ProjectError."""
    from jovial_scaffold.core.changes.finding import joined_hits

    hits, labels, wrong = [], [], []
    for name, folder, loaded, views in projects.usable(environments):
        chosen = tuple(views or loaded.environments)
        found = loaded.find(text, chosen)
        labels += [f"{name}:{loaded.label(each)}" for each in chosen]
        hits.append((name, folder, found.hits))
        errors = errors_of(loaded, chosen, found.errors)
        show_errors(errors)
        wrong += all_of(errors)
    every = joined_hits(hits)
    wrong = [*projects.unusable(), *wrong]
    if format is ReportFormat.json:
        from jovial_scaffold.reports.finding import find_document
        from jovial_scaffold.reports.machine import json_text

        sys.stdout.write(json_text(find_document(projects.opened.name, text, labels, every, wrong)))
    else:
        from jovial_scaffold.reports.finding import hits_text
        from jovial_scaffold.reports.terminal import style_for

        base = where_shown(projects.opened.folder.where)
        sys.stdout.write(hits_text(text, labels, every, style_for(sys.stdout, os.environ), base))
    return exit_codes.ERRORS if wrong else 0
