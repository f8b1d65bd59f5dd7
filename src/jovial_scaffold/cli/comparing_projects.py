"""`jovial compare` over a workspace: each of its projects, or environments of several side by side."""

from collections.abc import Mapping, Sequence
from functools import partial
from pathlib import Path
from posixpath import normpath

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.comparing import PAIR, TOO_FEW, Asked, compared, ended, refuse_result, refuse_twice, reported, written
from jovial_scaffold.cli.focusing import OF_FINDINGS, deliver_all, no_reports
from jovial_scaffold.cli.options import (
    PatchFormat,
    all_of,
    deliver,
    errors_of,
    exit_code,
    print_findings,
    show_errors,
    style_of,
    unusable,
)
from jovial_scaffold.cli.workspace import Named, Projects, of_several, workspace_asked
from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.core.findings import merged
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.records import replace


def over_projects(
    here: tuple[Path | None, bool],
    chosen: Sequence[str],
    baseline: str | None,
    expect: Path | None,
    asked: Asked,
    wanted: Sequence[tuple[str, Path]],
    differences_code: bool,
    added: Overrides,
) -> int | None:
    """The exit code of a comparison that is about several projects, which is made; None of one that is not. `here` is the project that is named, and
    whether the whole workspace is asked for."""
    project, workspace = here
    try:
        several = of_several(project, chosen, added)
        opened = workspace_asked(project, workspace) if not (several or expect) else None
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if several:
        no_reports([each for each in wanted if each[0] in OF_FINDINGS], "a comparison of several projects")
        _refuse_beside(expect, baseline, workspace)
        refuse_twice([(each.name, each.view) for each in several])
        return _apart(several, asked, wanted, differences_code)
    if opened is None:
        return None
    no_reports(wanted, "a comparison of several projects")
    return _in_workspace(Projects(opened, added), chosen, baseline, asked, differences_code)


def _refuse_beside(expect: Path | None, baseline: str | None, workspace: bool) -> None:
    """What says nothing of environments of several projects. Raises BadParameter."""
    if expect is not None:
        raise typer.BadParameter("what is meant to differ is said of the environments of one project.", param_hint="--expect")
    if workspace:
        raise typer.BadParameter("this compares the environments of each project, and these are of several.", param_hint="--workspace")
    if baseline is not None:
        raise typer.BadParameter("of several projects, the environment that is named first is the baseline.", param_hint="--baseline")


def _apart(several: list[Named], asked: Asked, wanted: Sequence[tuple[str, Path]], differences_code: bool) -> int:
    """Environments of several projects side by side; the exit code."""
    try:
        renderings = []
        for each in several:
            (found,) = each.project.views([each.view])
            renderings.append(replace(found, label=f"{each.name}:{found.label}"))
        wrong = [found for each in several for found in errors_of(each.project, [each.view])]
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    comparison = compared(renderings, asked)
    folders = {rendering.label: each.folder for rendering, each in zip(renderings, several, strict=True)}
    comparison = replace(comparison, rows=tuple(_placed(row, folders) for row in comparison.rows))
    refuse_result(comparison, False, wrong, asked.format)
    judged = [*all_of(wrong), *comparison.findings]
    deliver_all(wanted, partial(written, comparison, asked, judged), asked.out, partial(reported, comparison, asked, judged), [])
    return ended(several[0].project, comparison, list(comparison.findings), wrong, asked.format, differences_code)


def _placed(row: Row, folders: Mapping[str, str]) -> Row:
    """A row whose places are named from the workspace's folder: those of several projects are often called alike."""
    drivers = [
        replace(each, sources={label: normpath(f"{folders[label]}/{place}") for label, place in each.sources.items()})
        for each in row.drivers
    ]
    return row._replace(drivers=tuple(drivers))


def _in_workspace(projects: Projects, chosen: Sequence[str], baseline: str | None, asked: Asked, differences_code: bool) -> int:
    """Each project of a workspace that has two environments or more, one after the other; the exit code."""
    from jovial_scaffold.reports.machine import compare_document, json_text

    if asked.format not in (PatchFormat.text, PatchFormat.json):
        raise typer.BadParameter("several projects are compared as text or json.", param_hint="--format")
    texts, documents, wrong, differs = [], [], [], False
    style = style_of(asked.out)
    try:
        for name, folder, loaded, views in projects.usable(chosen):
            names = loaded.in_order(views, baseline if baseline in loaded.environments else None)
            if len(names) < PAIR:
                continue
            renderings = loaded.views(names)
            comparison = compared(renderings, asked)
            errors = errors_of(loaded, names)
            show_errors(errors)
            wrong += all_of(errors)
            differs |= bool(comparison.differences)
            judged = merged([*comparison.findings, *loaded.judge_pairs(renderings)], comparison.environments)
            if judged:
                print_findings(judged, loaded, to_stderr=True)
            wrong += judged
            texts.append(f"{style.paint('strong', name)}  {style.paint('place', folder)}\n{written(comparison, asked, [])}")
            documents.append(
                {"project": name, "folder": folder, "comparison": compare_document(comparison, [], [*all_of(errors), *judged])}
            )
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if baseline is not None and not any(baseline in each.environments for each in projects.loaded.values()):
        raise typer.BadParameter(f"no project of the workspace has an environment {baseline}.", param_hint="--baseline")
    if not documents and not projects.problems:
        raise typer.BadParameter(TOO_FEW, param_hint="ENVIRONMENTS")
    document = {"format": "jovial-workspace-compare/2", "workspace": projects.opened.name, "projects": documents}
    deliver(json_text(document) if asked.format is PatchFormat.json else "\n".join(texts), asked.out)
    return exit_code([*projects.unusable(), *wrong]) or (exit_codes.DIFFERENCES if differences_code and differs else 0)
