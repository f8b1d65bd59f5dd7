"""`jovial compare`: environments side by side."""

import os
import sys
from typing import Annotated

import typer

from jovial_scaffold.cli.options import Environments, Format, ProjectPath, ReportFormat, WithFiles, WithValues, exit_code, load, unusable
from jovial_scaffold.core.project_file import ProjectError


def command(
    environments: Environments = None,
    baseline: Annotated[str | None, typer.Option("--baseline", help="The environment in the first column.", show_default=False)] = None,
    everything: Annotated[bool, typer.Option("--all", help="Also show what is equal.")] = False,
    only: Annotated[
        str | None, typer.Option("--only", help="Rows whose address, or address:property, fits a pattern of * and ?.", show_default=False)
    ] = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    format: Format = ReportFormat.text,
) -> None:
    """Only what differs is shown. Parameters that drive a difference stand beside it, and where they are set below.

    Example: jovial compare rehearsal live --only 'gates/*'
    """
    try:
        loaded = load(project, with_values, with_file)
        comparison = loaded.compare(environments or (), baseline, everything, only or "*")
        findings = [finding for name in comparison.environments for finding in loaded.render(name).findings]
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if format is ReportFormat.json:
        from jovial_scaffold.reports.machine import compare_document, json_text

        sys.stdout.write(json_text(compare_document(comparison)))
    else:
        from jovial_scaffold.reports.matrix import matrix_text
        from jovial_scaffold.reports.terminal import style_for

        sys.stdout.write(matrix_text(comparison, style_for(sys.stdout, os.environ), everything))
    code = exit_code(findings)
    if code:
        sys.stdout.flush()
        print("Some values are unknown because of errors: jovial check shows them.", file=sys.stderr)
    raise typer.Exit(code)
