"""`jovial compare`: environments side by side."""

import sys
from collections.abc import Sequence
from enum import StrEnum
from functools import partial
from pathlib import Path
from typing import Annotated, NamedTuple

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.answers import answered
from jovial_scaffold.cli.focusing import OF_FINDINGS, OtherReports, asked_reports, deliver_all, no_reports, run_of
from jovial_scaffold.cli.options import (
    Ask,
    AtMost,
    EnvelopeFile,
    Environments,
    Out,
    PatchFormat,
    ProjectPath,
    WithFiles,
    WithValues,
    Wrong,
    all_of,
    deliver,
    errors_of,
    exit_code,
    load,
    overrides,
    print_findings,
    show_errors,
    style_of,
    unusable,
)
from jovial_scaffold.cli.workspace import Projects, WholeWorkspace, workspace_asked
from jovial_scaffold.core.changes.matrix import Comparison, compare
from jovial_scaffold.core.findings import Finding, merged
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.machine.workspaces import OpenWorkspace
from jovial_scaffold.reports.words import counted

_PAIR = 2


class Grouping(StrEnum):
    """What the rows stand under."""

    resource = "resource"
    type = "type"
    module = "module"
    parameter = "parameter"
    aspect = "aspect"


class _Asked(NamedTuple):
    """What of a comparison is shown, and how: the options of the command."""

    format: PatchFormat
    everything: bool
    only: Sequence[str]
    ignore: Sequence[str]
    by: Grouping
    most: int
    drivers: bool
    totals: bool
    echoes: bool
    out: Path | None
    parity: bool
    families: bool


ExpectFile = Annotated[
    Path | None, typer.Option("--expect", help="A file of intended differences; anything else is a finding.", show_default=False)
]
PatchOrFormat = Annotated[PatchFormat, typer.Option("--format", help="`patch` is a JSON Patch from the first to the second.")]
FamiliesOnly = Annotated[bool, typer.Option("--families", help="Only which environments belong together, and what tells them apart.")]
OnlyRows = Annotated[
    list[str] | None,
    typer.Option("--only", help="Rows whose address, or address:property, fits a pattern of * and ?. May be repeated.", show_default=False),
]


def command(
    environments: Environments = None,
    baseline: Annotated[str | None, typer.Option("--baseline", help="The environment in the first column.", show_default=False)] = None,
    everything: Annotated[bool, typer.Option("--all", help="Also show what is equal.")] = False,
    only: OnlyRows = None,
    ignore: Annotated[list[str] | None, typer.Option("--ignore", help="Leave such rows out. May be repeated.", show_default=False)] = None,
    by: Annotated[Grouping, typer.Option("--by", help="What rows are grouped by.")] = Grouping.resource,
    most: Annotated[int, typer.Option("--max", help="At most so many rows; 0 for all.", min=0)] = 0,
    drivers: Annotated[bool, typer.Option("--drivers", help="Only the parameters behind the differences, ranked.")] = False,
    totals: Annotated[bool, typer.Option("--totals", help="Sums by type, and their ratio to the first column.")] = False,
    echoes: Annotated[bool, typer.Option("--echoes", help="Also show, row by row, what only repeats a parameter in a text.")] = False,
    families: FamiliesOnly = False,
    files: Annotated[bool, typer.Option("--files", help="Compare parameter files instead of environments.")] = False,
    expect: ExpectFile = None,
    differences_code: Annotated[bool, typer.Option("--exit-code", help="End with 3 where something differs.")] = False,
    accept: Annotated[bool, typer.Option("--accept", help="Write the present differences into the file of --expect.")] = False,
    out: Out = None,
    ask: Ask = False,
    at_most: AtMost = None,
    workspace: WholeWorkspace = False,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
    format: PatchOrFormat = PatchFormat.text,
    report: OtherReports = None,
) -> None:
    """Only what differs is shown. Parameters that drive a difference stand beside it, and where they are set below. An environment can
    also be named under other values (live?copies=4) and as of a git revision (live@HEAD~3).

    Example: jovial compare rehearsal live --only 'gates/*'
    """
    chosen: Sequence[str] = environments or ()
    _refuse_together(expect, accept, files, chosen)
    wanted = asked_reports(report, (*PatchFormat, *OF_FINDINGS))
    asked = _Asked(
        format,
        everything,
        only or (),
        ignore or (),
        Grouping.parameter if drivers else by,
        *(most, drivers, totals, echoes or everything, out, expect is not None, families),
    )
    opened = None if files or expect else _workspace(project, workspace)
    if opened is not None:
        no_reports(wanted, "a comparison of several projects")
        projects = Projects(opened, overrides(Path(), with_values, with_file, envelope=envelope, at_most=at_most))
        raise typer.Exit(_in_workspace(projects, chosen, baseline, asked, differences_code))
    try:
        loaded = load(project, with_values, with_file, envelope=envelope, at_most=at_most, views=() if files else chosen)
        renderings, comparison, wrong = _looked_at(loaded, answered(loaded, chosen, ask and not files), baseline, files, asked)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    _refuse_result(comparison, accept, wrong, format)
    judged = _parity(loaded, comparison, renderings, expect, accept)
    if judged is not None:
        found = [*all_of(wrong), *judged]
        runs = [run_of(loaded, comparison.environments, found)] if wanted else []
        deliver_all(wanted, partial(_written, comparison, asked, found), out, partial(_reported, comparison, asked, found), runs)
        raise typer.Exit(_ended(loaded, comparison, judged, wrong, format, differences_code))


def _reported(comparison: Comparison, asked: _Asked, found: list[Finding], format: str, out: Path) -> str:
    return _written(comparison, asked._replace(format=PatchFormat(format), out=out), found)


def _looked_at(
    loaded: Project, chosen: Sequence[str], baseline: str | None, files: bool, asked: _Asked
) -> tuple[Sequence[Evaluated], Comparison, Wrong]:
    """Environments or parameter files, their rows, and what is wrong with them. Raises ProjectError."""
    views = () if files else _of_two(loaded.in_order(chosen, baseline))
    renderings = loaded.files(list(chosen)) if files else loaded.views(views)
    comparison = _compared(renderings, asked)
    return renderings, comparison, _errors_of_files(loaded, comparison) if files else errors_of(loaded, views)


def _refuse_result(comparison: Comparison, accept: bool, wrong: Wrong, format: PatchFormat) -> None:
    """What is wrong cannot be meant, and a patch is of two. Raises BadParameter."""
    if format is PatchFormat.patch and len(comparison.renderings) != _PAIR:
        raise typer.BadParameter("a patch leads from one environment to another: name two.", param_hint="--format")
    if accept and wrong:
        show_errors(wrong)
        print("What differs cannot be accepted while there are errors.", file=sys.stderr)
        raise typer.Exit(exit_codes.ERRORS)


def _of_two(views: Sequence[str]) -> Sequence[str]:
    """Some views, of which there are enough. Raises BadParameter."""
    if len(views) < _PAIR:
        raise typer.BadParameter("a comparison is of two environments or more: name another one.", param_hint="ENVIRONMENTS")
    return views


def _compared(renderings: Sequence[Evaluated], asked: "_Asked") -> Comparison:
    """The rows that are asked for; where nothing tells echoes from others, none is looked for."""
    echoes = asked.parity or asked.format is PatchFormat.json or not (asked.drivers or asked.totals or asked.format is PatchFormat.patch)
    return compare(renderings, asked.everything, asked.only, asked.ignore, echoes=echoes)


def _ended(
    loaded: Project, comparison: Comparison, judged: list[Finding], wrong: Wrong, format: PatchFormat, differences_code: bool
) -> int:
    """Say what was found beside the result; the exit code."""
    sys.stdout.flush()
    if judged:
        print_findings(judged, loaded, to_stderr=format is not PatchFormat.text)
    show_errors(wrong)
    code = exit_code([*all_of(wrong), *judged])
    return code or (exit_codes.DIFFERENCES if differences_code and comparison.differences else 0)


def _refuse_together(expect: Path | None, accept: bool, files: bool, chosen: Sequence[str]) -> None:
    """Options that mean nothing together. Raises BadParameter."""
    if accept and expect is None:
        raise typer.BadParameter("name the file to write: --expect FILE.", param_hint="--accept")
    twice = [each for each in dict.fromkeys(chosen) if list(chosen).count(each) > 1]
    if twice:
        shown = twice[0].partition("?")[0]  # what a view sets may be secret, and is not said
        raise typer.BadParameter(f"{shown} is named twice.", param_hint="ENVIRONMENTS")
    if files and len(chosen) < _PAIR:
        raise typer.BadParameter("name two parameter files or more.", param_hint="--files")
    if files and any("?" in each and not Path(each).exists() for each in chosen):  # what a view sets may be secret, and is not said
        raise typer.BadParameter("this takes files, and one of these is a view of an environment.", param_hint="--files")


def _errors_of_files(loaded: Project, comparison: Comparison) -> Wrong:
    problems = [finding for rendering in comparison.renderings for finding in rendering.findings]
    errors = [each for each in merged([*problems, *loaded.template_findings()], comparison.environments) if each.level == "error"]
    return [(loaded, errors)] if errors else []


def _parity(
    loaded: Project, comparison: Comparison, renderings: Sequence[Evaluated], expect: Path | None, accept: bool
) -> list[Finding] | None:
    """What differs though it should not: by the rules over pairs, and by a file. None where that file was written instead."""
    found = [*comparison.findings, *loaded.judge_pairs(renderings)]
    if expect is None:
        return merged(found, comparison.environments)
    from jovial_scaffold.core.changes.expecting import accepted, read_expectations, renamed, unexpected

    before, source = None, None
    if expect.exists() or not accept:
        source, findings = read_source(read_named(str(expect)), str(expect))
        if source is None or source.broken:
            print_findings(findings, loaded, to_stderr=True)
            raise typer.Exit(exit_codes.UNUSABLE)
        loaded.show(source)
        before, wrong = read_expectations(source)
        before = renamed(before, renderings)
        findings += wrong
        if exit_code(findings):
            print_findings(findings, loaded, to_stderr=True)
            raise typer.Exit(exit_codes.ERRORS)
    if accept:
        from jovial_scaffold.machine import writing
        from jovial_scaffold.reports.machine import expectations_again, expectations_text

        content = accepted(comparison, before)
        given = loaded.name, content, str(expect)
        writing.write(expect, expectations_text(*given) if source is None else expectations_again(*given, source))
        print(f"Written: {expect} ({counted(len(content['differences']), 'address', 'addresses')} with differences)", file=sys.stderr)
        return None
    assert before is not None
    return merged([*found, *unexpected(comparison, before, renderings)], comparison.environments)


def _written(comparison: Comparison, asked: _Asked, judged: list[Finding]) -> str:
    from jovial_scaffold.core.changes.totals import totals as sums
    from jovial_scaffold.reports import drivers as driving
    from jovial_scaffold.reports import matrix, matrix_report

    numbers, format = sums(comparison) if asked.totals else [], asked.format
    if format is PatchFormat.json:
        from jovial_scaffold.reports.machine import compare_document, json_text

        return json_text(compare_document(comparison, numbers, judged, asked.families))
    if format is PatchFormat.patch:
        from jovial_scaffold.core.changes.patching import patch
        from jovial_scaffold.reports.machine import json_text, target_document

        return json_text(patch(*(target_document(rendering, comparison.fits) for rendering in comparison.renderings)))
    if format is not PatchFormat.text:
        from jovial_scaffold.reports import tables

        report = matrix_report.matrix_report(comparison, numbers, asked.echoes)
        return tables.written(report, format.value)
    style = style_of(asked.out)
    if asked.families:
        from jovial_scaffold.core.changes.families import families
        from jovial_scaffold.reports.families import families_text

        return families_text(families(comparison), comparison, style)
    if asked.totals:
        return matrix_report.totals_text(numbers, comparison, style)
    if asked.drivers:
        return "\n".join(driving.drivers_lines(comparison, style)) or "Nothing differs.\n"
    return matrix.matrix_text(comparison, style, asked.everything, asked.by.value, asked.most, asked.echoes)


def _workspace(project: Path | None, workspace: bool) -> OpenWorkspace | None:
    try:
        return workspace_asked(project, workspace)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None


def _in_workspace(projects: Projects, chosen: Sequence[str], baseline: str | None, asked: _Asked, differences_code: bool) -> int:
    """Each project of a workspace that has two environments or more, one after the other; the exit code."""
    from jovial_scaffold.reports.machine import compare_document, json_text

    if asked.format not in (PatchFormat.text, PatchFormat.json):
        raise typer.BadParameter("several projects are compared as text or json.", param_hint="--format")
    texts, documents, wrong, differs = [], [], [], False
    style = style_of(asked.out)
    try:
        for name, folder, loaded, views in projects.usable(chosen):
            names = loaded.in_order(views, baseline if baseline in loaded.environments else None)
            if len(names) < _PAIR:
                continue
            renderings = loaded.views(names)
            comparison = _compared(renderings, asked)
            errors = errors_of(loaded, names)
            show_errors(errors)
            wrong += all_of(errors)
            differs |= bool(comparison.differences)
            judged = merged([*comparison.findings, *loaded.judge_pairs(renderings)], comparison.environments)
            if judged:
                print_findings(judged, loaded, to_stderr=True)
            wrong += judged
            texts.append(f"{style.paint('strong', name)}  {style.paint('place', folder)}\n{_written(comparison, asked, [])}")
            documents.append(
                {"project": name, "folder": folder, "comparison": compare_document(comparison, [], [*all_of(errors), *judged])}
            )
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if baseline is not None and not any(baseline in each.environments for each in projects.loaded.values()):
        raise typer.BadParameter(f"no project of the workspace has an environment {baseline}.", param_hint="--baseline")
    document = {"format": "jovial-workspace-compare/2", "workspace": projects.opened.name, "projects": documents}
    deliver(json_text(document) if asked.format is PatchFormat.json else "\n".join(texts), asked.out)
    return exit_code([*projects.unusable(), *wrong]) or (exit_codes.DIFFERENCES if differences_code and differs else 0)
