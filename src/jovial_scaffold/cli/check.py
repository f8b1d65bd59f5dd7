"""`jovial check`: everything that is wrong."""

import os
import sys
import time
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli.answers import answered
from jovial_scaffold.cli.options import (
    Ask,
    AtMost,
    EnvelopeFile,
    Environments,
    Format,
    MaxFindings,
    ProjectPath,
    ReportFormat,
    WithFiles,
    WithValues,
    exit_code,
    folder_shown,
    load,
    overrides,
    print_findings,
    processors,
    unusable,
)
from jovial_scaffold.cli.workspace import Projects, WholeWorkspace, print_workspace_findings, workspace_asked
from jovial_scaffold.core.outcomes import ProjectCheck, WorkspaceCheck, joined_results, workspace_check
from jovial_scaffold.core.project_file import ProjectError


def command(
    environments: Environments = None,
    template_only: Annotated[
        bool, typer.Option("--template-only", help="Check the template and its modules, and no parameter file.")
    ] = False,
    draft: Annotated[bool, typer.Option("--draft", help="While a template is being written: unused names are notes.")] = False,
    waived: Annotated[bool, typer.Option("--waived", help="List what is waived, and why.")] = False,
    rules: Annotated[bool, typer.Option("--rules", help="Show how each rule turned out, by environment.")] = False,
    ask: Ask = False,
    at_most: AtMost = None,
    max_findings: MaxFindings = None,
    workspace: WholeWorkspace = False,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
    format: Format = ReportFormat.text,
) -> None:
    """Exit code 0: no error. 1: errors were found. 2: the command line or the project file cannot be used.

    Example: jovial check live --with line=alp
    """
    began = time.perf_counter()
    try:
        opened = workspace_asked(project, workspace)
        if opened is not None:
            projects = Projects(opened, overrides(Path(), with_values, with_file, envelope=envelope, at_most=at_most))
            whole = _of_workspace(projects, environments or [], draft, template_only)
            _print_workspace(whole, projects, format, max_findings, began)
            raise typer.Exit(exit_code(list(whole.findings)))
        loaded = load(project, with_values, with_file, envelope=envelope, at_most=at_most, views=environments or ())
        environments = answered(loaded, environments or (), ask)
        results = [
            (side, side.check(names if environments else (), draft, template_only, processors()))
            for side, names in loaded.sides(environments or ())
        ]
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    result = joined_results([each for _, each in results])
    if format is ReportFormat.json:
        from jovial_scaffold.core.authoring.mending import public_repairs
        from jovial_scaffold.reports.machine import check_document, json_text

        offered = [repair for side, each in results if side is loaded for repair in public_repairs(side, each.findings)]
        sys.stdout.write(json_text(check_document(result, offered)))
    else:
        from jovial_scaffold.reports.findings import closing_line, rules_text, waived_text
        from jovial_scaffold.reports.terminal import style_for

        for side, each in results:
            print_findings(list(each.findings), side, most=max_findings)
            if waived and each.waived:
                print(waived_text(each.waived_findings, folder_shown(side)))
        if rules:
            print(rules_text(result))
        seconds = time.perf_counter() - began
        print(closing_line(result, seconds, style_for(sys.stdout, os.environ)))
    raise typer.Exit(exit_code(list(result.findings)))


def _of_workspace(projects: Projects, environments: list[str], draft: bool, template_only: bool) -> WorkspaceCheck:
    """The checks of a workspace's projects. Raises ProjectError."""
    found = []
    for name, folder, project, names in projects.each(environments):
        if project is None:
            found.append(ProjectCheck(name, folder, None, projects.problems[name]))
            continue
        results = [side.check(views if names else (), draft, template_only, processors()) for side, views in project.sides(names)]
        found.append(ProjectCheck(name, folder, joined_results(results)))
    return workspace_check(projects.opened.name, projects.opened.findings, found, projects.place)


def _print_workspace(result: WorkspaceCheck, projects: Projects, format: ReportFormat, max_findings: int | None, began: float) -> None:
    from jovial_scaffold.reports import workspace as writing

    if format is ReportFormat.json:
        from jovial_scaffold.core.authoring.mending import public_repairs
        from jovial_scaffold.reports.machine import json_text

        checked = {each.name: each.result for each in result.projects if each.result is not None}
        offered = {name: public_repairs(projects.loaded[name], each.findings) for name, each in checked.items()}
        sys.stdout.write(json_text(writing.check_document(result, offered)))
        return
    from jovial_scaffold.reports.terminal import style_for

    style = style_for(sys.stdout, os.environ)
    print(writing.check_table(result, style))
    print_workspace_findings(list(result.findings), projects, most=max_findings)
    print(writing.closing_line(result, time.perf_counter() - began, style))
