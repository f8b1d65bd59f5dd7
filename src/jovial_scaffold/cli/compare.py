"""`jovial compare`: environments side by side."""

import sys
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.answers import answered
from jovial_scaffold.cli.comparing import PAIR, TOO_FEW, Asked, Grouping, compared, ended, refuse_result, refuse_twice, reported, written
from jovial_scaffold.cli.comparing_projects import over_projects
from jovial_scaffold.cli.focusing import OF_FINDINGS, OtherReports, asked_reports, deliver_all, run_of
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
    errors_of,
    exit_code,
    load,
    overrides,
    print_findings,
    unusable,
)
from jovial_scaffold.cli.workspace import WholeWorkspace
from jovial_scaffold.core.changes.matrix import Comparison
from jovial_scaffold.core.findings import Finding, merged
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.reports.words import counted

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
    asked = Asked(
        format,
        everything,
        only or (),
        ignore or (),
        Grouping.parameter if drivers else by,
        *(most, drivers, totals, echoes or everything, out, expect is not None, families),
    )
    if not files:
        added = overrides(Path(), with_values, with_file, envelope=envelope, at_most=at_most)
        code = over_projects((project, workspace), chosen, baseline, expect, asked, wanted, differences_code, added)
        if code is not None:
            raise typer.Exit(code)
    try:
        loaded = load(project, with_values, with_file, envelope=envelope, at_most=at_most, views=() if files else chosen)
        renderings, comparison, wrong = _looked_at(loaded, answered(loaded, chosen, ask and not files), baseline, files, asked)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    refuse_result(comparison, accept, wrong, format)
    judged = _parity(loaded, comparison, renderings, expect, accept)
    if judged is not None:
        found = [*all_of(wrong), *judged]
        runs = [run_of(loaded, comparison.environments, found)] if wanted else []
        deliver_all(wanted, partial(written, comparison, asked, found), out, partial(reported, comparison, asked, found), runs)
        raise typer.Exit(ended(loaded, comparison, judged, wrong, format, differences_code))


def _looked_at(
    loaded: Project, chosen: Sequence[str], baseline: str | None, files: bool, asked: Asked
) -> tuple[Sequence[Evaluated], Comparison, Wrong]:
    """Environments or parameter files, their rows, and what is wrong with them. Raises ProjectError."""
    views = () if files else _of_two(loaded.in_order(chosen, baseline))
    renderings = loaded.files(list(chosen)) if files else loaded.views(views)
    comparison = compared(renderings, asked)
    return renderings, comparison, _errors_of_files(loaded, comparison) if files else errors_of(loaded, views)


def _of_two(views: Sequence[str]) -> Sequence[str]:
    """Some views, of which there are enough, each once. Raises BadParameter."""
    if len(views) < PAIR:
        raise typer.BadParameter(TOO_FEW, param_hint="ENVIRONMENTS")
    refuse_twice([("", view) for view in views])
    return views


def _refuse_together(expect: Path | None, accept: bool, files: bool, chosen: Sequence[str]) -> None:
    """Options that mean nothing together. Raises BadParameter."""
    if accept and expect is None:
        raise typer.BadParameter("name the file to write: --expect FILE.", param_hint="--accept")
    twice = [each for each in dict.fromkeys(chosen) if list(chosen).count(each) > 1]
    if twice:
        shown = twice[0].partition("?")[0]  # what a view sets may be secret, and is not said
        raise typer.BadParameter(f"{shown} is named twice.", param_hint="ENVIRONMENTS")
    if files and len(chosen) < PAIR:
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
