"""`jovial ripple`: what a commit touches."""

import os
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.focusing import OF_FINDINGS, OtherReports, asked_reports, deliver_all
from jovial_scaffold.cli.options import DifferencesCode, Out, TableFormat, exit_code, processors, style_of, unusable
from jovial_scaffold.core.fingerprints import Fingerprints
from jovial_scaffold.core.folders import RevisionError
from jovial_scaffold.core.project_file import ProjectError, revision_error
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.ripple import Ripple, ripple
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.machine.opening import DiskTree, run_context

if TYPE_CHECKING:
    from jovial_scaffold.reports.checked import Run


def command(
    folders: Annotated[
        list[Path] | None, typer.Argument(help="Folders to look for projects in; this one when none is named.", show_default=False)
    ] = None,
    since: Annotated[str, typer.Option("--since", help="The revision to compare the working tree with.")] = "HEAD",
    most: Annotated[int, typer.Option("--max", help="At most so many changes of each environment; 0 for all.", min=0)] = 12,
    effects: Annotated[
        bool, typer.Option("--effects", help="What deploying it would do to what runs, where a snapshot says that.")
    ] = False,
    differences_code: DifferencesCode = False,
    out: Out = None,
    format: Annotated[TableFormat, typer.Option("--format", help="How the result is written.")] = TableFormat.text,
    report: OtherReports = None,
) -> None:
    """Every environment of every project below the folders that is made from a changed file is rendered as of the revision and as it is
    now. Nothing is checked out; what did not change is not rendered.

    Example: jovial ripple --since HEAD~1 lines/
    """
    for folder in folders or ():
        if not folder.exists():
            raise typer.BadParameter(f"there is no {folder}.", param_hint="FOLDER")
    wanted = asked_reports(report, (*TableFormat, *OF_FINDINGS))
    try:
        tree = DiskTree(folders or [Path()])
        run = partial(run_context, (folders or [Path()])[0], os.environ)
        result = ripple(since, tree, tree.folders, Overrides(os.environ, named=read_named, run=run), processors(), effects)
    except RevisionError as error:
        raise typer.Exit(unusable(revision_error(error))) from None
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    text, others = partial(_written, result, format, most, out), partial(_reported, result, most)
    deliver_all(wanted, text, out, others, _runs(result) if wanted else [])
    findings = [finding for project in result.projects for finding in (*project.problem, *project.new)]
    findings += [one for project in result.projects for each in project.reached if each.deployment for one in each.deployment.findings]
    raise typer.Exit(exit_code(findings) or (exit_codes.DIFFERENCES if differences_code and result.touched else 0))


def _runs(result: Ripple) -> "list[Run]":
    """What is wrong and was not, by project; files are named from the root of the repository."""
    from jovial_scaffold.reports.checked import Run

    runs = []
    for project in result.projects:
        environments = tuple(each.environment for each in project.reached)
        findings = (
            *project.problem,
            *project.new,
            *(one for each in project.reached if each.deployment for one in each.deployment.findings),
        )
        keys = tuple(Fingerprints(lambda _: None).of(findings))
        base = f"{project.folder}/" if project.folder not in ("", ".") else ""
        runs.append(Run(project.name, environments, findings, keys, base=base))
    return runs


def _reported(result: Ripple, most: int, format: str, out: Path) -> str:
    return _written(result, TableFormat(format), most, out)


def _written(result: Ripple, format: TableFormat, most: int, out: Path | None) -> str:
    from jovial_scaffold.reports import ripple as writing

    if format is TableFormat.text:
        return writing.ripple_text(result, style_of(out), most)
    if format is TableFormat.json:
        from jovial_scaffold.reports.machine import json_text

        return json_text(writing.ripple_document(result))
    from jovial_scaffold.reports import tables

    report = writing.ripple_report(result)
    return tables.written(report, format.value)
