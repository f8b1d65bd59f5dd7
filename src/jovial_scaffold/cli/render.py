"""`jovial render`: one environment, in deployment order."""

import errno
import os
import sys
from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli import ending, exit_codes
from jovial_scaffold.cli.answers import answered
from jovial_scaffold.cli.options import (
    Ask,
    AtMost,
    EnvelopeFile,
    OneEnvironment,
    Out,
    ProjectPath,
    WithFiles,
    WithValues,
    deliver,
    exit_code,
    load,
    print_findings,
    unusable,
)
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rendering.results import Rendering, without_masks
from jovial_scaffold.reports.words import counted


class RenderFormat(StrEnum):
    """How a rendering is written."""

    text = "text"
    json = "json"
    yaml = "yaml"
    yaml_stream = "yaml-stream"


def command(
    environment: OneEnvironment,
    out: Out = None,
    format: Annotated[
        RenderFormat, typer.Option("--format", help="`yaml-stream` is a stream of YAML documents, one for each resource.")
    ] = RenderFormat.text,
    documents: Annotated[
        Path | None, typer.Option("--documents", help="A folder to write the documents into, secrets masked.", show_default=False)
    ] = None,
    reveal: Annotated[
        bool, typer.Option("--reveal-secrets", help="Write secrets as they are; only with --out, to a file that nobody else may read.")
    ] = False,
    ask: Ask = False,
    at_most: AtMost = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
) -> None:
    """Where something is wrong, the findings go to standard error and nothing is rendered.

    Example: jovial render live --format json --out live.json
    """
    if reveal and (out is None or str(out) == "-" or not (out.is_file() or not out.exists())):
        raise typer.BadParameter("secrets are written to a file only: add --out FILE.", param_hint="--reveal-secrets")
    try:
        loaded = load(project, with_values, with_file, envelope=envelope, at_most=at_most, views=[environment])
        (environment,) = answered(loaded, [environment], ask)
        side, here = loaded.side(environment)
        rendering = side.render(here)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    print_findings([finding for finding in rendering.findings if finding.level == "error"], side, to_stderr=True)
    if not has_errors(rendering.findings):
        if reveal:
            from jovial_scaffold.machine import writing

            assert out is not None
            writing.write(out, _written(loaded.name, without_masks(rendering), format, out), private=True)
            print(f"Written, with secrets: {out}", file=sys.stderr)
        elif documents is None or out is not None:
            deliver(_written(loaded.name, rendering, format, out), out, data=format is not RenderFormat.text)
        if documents is not None:
            _write_documents(rendering, documents)
    raise typer.Exit(exit_code(rendering.findings))


def _written(project: str, rendering: Rendering, format: RenderFormat, out: Path | None) -> str:
    if format is RenderFormat.text:
        from jovial_scaffold.reports.rendering import rendering_text
        from jovial_scaffold.reports.terminal import Style, style_for

        style = style_for(sys.stdout, os.environ) if out is None else Style(colours=False, width=100)
        return rendering_text(project, rendering, style)
    from jovial_scaffold.core.expressions.marked import to_json
    from jovial_scaffold.reports.machine import render_document, render_text, yaml_text

    if format is RenderFormat.json:
        return render_text(project, rendering)
    if format is RenderFormat.yaml:
        return yaml_text([render_document(project, rendering)], explicit=False)
    entries = [
        {"address": address, "type": resource.type_text, "properties": to_json(resource.properties)}
        for address, resource in rendering.resources.items()
    ]
    return yaml_text(entries, explicit=True)


def _write_documents(rendering: Rendering, folder: Path) -> None:
    """Each document that has a target, below a folder; nothing outside of it is written, whatever links there are. Raises OSError."""
    from jovial_scaffold.machine import writing

    written = [document for document in rendering.documents.values() if document.to is not None]
    with writing.Staged() as staged:
        for document in written:
            try:
                staged.add_below(folder, document.to or "", document.text)
            except OSError as error:
                code = ending.refused(error)
                raise typer.Exit(exit_codes.ERRORS if error.errno == errno.EXDEV else code) from None
        staged.commit()
    for document in written:
        if isinstance(document.value, Secret):
            print(f"Secrets are masked in {folder / (document.to or '')}.", file=sys.stderr)
    print(f"Written: {counted(len(written), 'document')} in {folder}", file=sys.stderr)
