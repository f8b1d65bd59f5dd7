"""`jovial survey`: an overview of a template, or of any structured file."""

import os
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load, overrides, unusable, with_known_secrets
from jovial_scaffold.cli.workspace import Projects, WholeWorkspace, workspace_asked
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, has_errors
from jovial_scaffold.core.project_file import NAME, ProjectError
from jovial_scaffold.core.templates.library import standalone
from jovial_scaffold.core.templates.surveying import Survey, survey
from jovial_scaffold.core.text.discretion import discreet
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.roles import role_of
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.words import say
from jovial_scaffold.machine.disk import DiskFolder, read_named
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.terminal import style_for


def command(
    path: Annotated[
        Path | None,
        typer.Argument(help="A template, or any YAML, JSON, TOML or CSV file; else the project's template.", show_default=False),
    ] = None,
    workspace: WholeWorkspace = False,
    project: ProjectPath = None,
    everything: Annotated[bool, typer.Option("--all", help="Every path and literal, not the most frequent ones only.")] = False,
    format: Format = ReportFormat.text,
) -> None:
    """Sections and sizes, types, parameters and where they are used, paths, recurring literals, the longest and most referenced parts.

    Example: jovial survey line.yaml
    """
    try:
        opened = workspace_asked(project, workspace) if path is None else None
        if opened is not None:
            raise typer.Exit(_in_workspace(Projects(opened, overrides(Path())), everything, format))
        found = _project(project) if path is None else _path(path)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if format is ReportFormat.json:
        from jovial_scaffold.reports.machine import json_text
        from jovial_scaffold.reports.surveying import survey_document

        sys.stdout.write(json_text(survey_document(found)))
        return
    from jovial_scaffold.reports.surveying import survey_text

    sys.stdout.write(survey_text(found, style_for(sys.stdout, os.environ), everything))


def _in_workspace(projects: Projects, everything: bool, format: ReportFormat) -> int:
    """Each project of a workspace; the exit code. Raises ProjectError."""
    from jovial_scaffold.reports.machine import json_text
    from jovial_scaffold.reports.surveying import survey_document, survey_text

    found = [(name, folder, survey(each.template_sources, each.templates)) for name, folder, each, _ in projects.usable()]
    if format is ReportFormat.json:
        entries = [{"project": name, "folder": folder, "survey": survey_document(each)} for name, folder, each in found]
        sys.stdout.write(json_text({"format": "jovial-workspace-survey/1", "workspace": projects.opened.name, "projects": entries}))
    else:
        style = style_for(sys.stdout, os.environ)
        heads = [f"{style.paint('strong', name)}  {style.paint('place', folder)}\n" for name, folder, _ in found]
        sys.stdout.write("\n".join(f"{head}{survey_text(each, style, everything)}" for head, (*_, each) in zip(heads, found, strict=True)))
    return exit_codes.ERRORS if projects.problems else 0


def _project(project: Path | None) -> Survey:
    loaded = load(project, None, None)
    return survey(loaded.template_sources, loaded.templates)


def _path(path: Path) -> Survey:
    if path.is_dir() and (path / NAME).is_file():
        return _project(path)
    if path.is_dir() or role_of(_value(path)) == "a template":
        sources, templates = standalone(DiskFolder(path if path.is_dir() else path.parent), "" if path.is_dir() else path.name)
        if sources:
            return survey(sources, templates)
    source, findings = read_source(read_named(str(path)), str(path), ".yaml")
    if source is None or source.broken:
        _stop(findings if source is None else discreet(source, findings, unreadable=True))
    assert source is not None
    if not isinstance(source.value, dict | list):
        told = say("{} holds one value, and no structure to look at.", str(path))
        _stop([Finding("survey-shape", "error", told, source.span(0, 0), say("Name a YAML, JSON, TOML or CSV file with maps or lists."))])
    shown = Source(source.name, source.text, without_secrets(with_known_secrets(path, source.value)), lambda _: source.places())
    return survey([shown], [])


def without_secrets(value: Any) -> Any:
    """The value with texts in the place of its secrets."""
    if isinstance(value, Secret):
        return repr(value)
    if isinstance(value, dict):
        return {key: without_secrets(item) for key, item in value.items()}
    return [without_secrets(item) for item in value] if isinstance(value, list) else value


def _value(path: Path) -> object:
    source, _ = read_source(read_named(str(path)), str(path), ".yaml")
    return source.value if source is not None else None


def _stop(findings: list[Finding]) -> None:
    if has_errors(findings):
        print(findings_text(findings, lambda _: None, style_for(sys.stderr, os.environ), ()), file=sys.stderr)
    raise typer.Exit(exit_codes.ERRORS)
