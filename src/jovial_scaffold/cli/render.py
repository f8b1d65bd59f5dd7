"""`jovial render`: one environment, in deployment order."""

import os
import sys
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli.options import (
    OneEnvironment,
    ProjectPath,
    WithFiles,
    WithValues,
    deliver,
    exit_code,
    load,
    print_findings,
    unusable,
)
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rendering.rendering import Rendering


class RenderFormat(StrEnum):
    """How a rendering is written."""

    text = "text"
    json = "json"
    yaml = "yaml"
    manifests = "manifests"


def command(
    environment: OneEnvironment,
    out: Annotated[Path | None, typer.Option("--out", help="A file to write; `-` is standard output.", show_default=False)] = None,
    format: Annotated[
        RenderFormat, typer.Option("--format", help="`manifests` is a YAML stream of the bare properties.")
    ] = RenderFormat.text,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
) -> None:
    """Where something is wrong, the findings go to standard error and nothing is rendered.

    Example: jovial render live --format json --out live.json
    """
    try:
        loaded = load(project, with_values, with_file)
        rendering = loaded.render(environment)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    print_findings([finding for finding in rendering.findings if finding.level == "error"], loaded, to_stderr=True)
    if not has_errors(rendering.findings):
        deliver(_written(loaded.name, rendering, format, out), out)
    raise typer.Exit(exit_code(rendering.findings))


def _written(project: str, rendering: Rendering, format: RenderFormat, out: Path | None) -> str:
    if format is RenderFormat.text:
        from jovial_scaffold.reports.rendering import rendering_text
        from jovial_scaffold.reports.terminal import Style, style_for

        style = style_for(sys.stdout, os.environ) if out is None else Style(colours=False, width=100)
        return rendering_text(project, rendering, style)
    from jovial_scaffold.reports.machine import json_text, public, render_document, yaml_text

    if format is RenderFormat.json:
        return json_text(render_document(project, rendering))
    if format is RenderFormat.yaml:
        return yaml_text([render_document(project, rendering)], explicit=False)
    return yaml_text([public(resource.properties) for resource in rendering.resources.values()], explicit=True)
