"""`jovial check`: everything that is wrong."""

import os
import sys
import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer

from jovial_scaffold.cli.answers import answered
from jovial_scaffold.cli.common import takes_defaults
from jovial_scaffold.cli.focusing import (
    CHECK_REPORTS,
    AtLevel,
    Known,
    Only,
    ProjectFocus,
    Quiet,
    Reports,
    Since,
    Strict,
    WorkspaceFocus,
    asked_reports,
    focus_of,
    is_on_output,
    known_since,
    report_text,
    workspace_known_since,
    write_reports,
)
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
from jovial_scaffold.core.findings import Finding, Level
from jovial_scaffold.core.focus import Focus
from jovial_scaffold.core.outcomes import CheckResult, ProjectCheck, joined_results, workspace_check
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.records import replace
from jovial_scaffold.reports.words import counted, listed

_IN_PASSING = "rule-breakable"
EVERY_RULE = "*"

TemplateOnly = Annotated[bool, typer.Option("--template-only", help="Check the template and its modules, and no parameter file.")]
Draft = Annotated[bool, typer.Option("--draft", help="While a template is being written: unused names are notes.")]
ShowWaived = Annotated[bool, typer.Option("--waived", help="List what is waived, and why.")]
Rules = Annotated[
    list[str] | None,
    typer.Option(
        "--rules",
        metavar="[PATTERN]",
        help="Judge these rules only (RULESET/RULE, RULE or a tag, or a pattern), and show how each turned out, by environment.",
        show_default=False,
    ),
]
Prove = Annotated[bool, typer.Option("--proofs", help="Show what holds for all accepted values, and warn of values that break it.")]


def command(
    environments: Environments = None,
    template_only: TemplateOnly = False,
    draft: Draft = False,
    waived: ShowWaived = False,
    rules: Rules = None,
    proofs: Prove = False,
    ask: Ask = False,
    at_most: AtMost = None,
    max_findings: MaxFindings = None,
    workspace: WholeWorkspace = False,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
    format: Format = ReportFormat.text,
    report: Reports = None,
    known: Known = None,
    since: Since = None,
    strict: Strict = False,
    level: AtLevel = "note",
    only: Only = None,
    quiet: Quiet = False,
) -> None:
    """Exit code 0: no error. 1: errors were found. 2: the command line or the project file cannot be used.

    Example: jovial check live --with line=alp
    """
    asked = _Asked(
        environments or [],
        template_only,
        draft,
        proofs,
        tuple(rules or ()),
        since,
        asked_reports(report, CHECK_REPORTS),
        focus_of(only, level, strict, known),
        format,
        max_findings,
        quiet,
        not rules,
        time.perf_counter(),
    )
    try:
        opened = workspace_asked(project, workspace)
        if opened is not None:
            projects = Projects(opened, overrides(Path(), with_values, with_file, envelope=envelope, at_most=at_most))
            heard = asked.of_workspace(projects)
            asked.refuse_unfitting()
            findings = _print_workspace(asked, heard, projects)
        else:
            loaded = load(project, with_values, with_file, envelope=envelope, at_most=at_most, views=asked.environments)
            asked.sort_out(loaded.environments)
            asked.environments = answered(loaded, asked.environments, ask)
            focused = asked.of_project(loaded)
            asked.refuse_unfitting()
            findings = _print_project(asked, focused, waived)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    raise typer.Exit(exit_code(list(findings)))


@dataclass(slots=True)
class _Asked:
    """What the command line asks for."""

    environments: list[str]
    template_only: bool
    draft: bool
    proofs: bool
    rules: tuple[str, ...]  #: patterns of those that are judged; none are all
    since: str | None  #: a revision
    wanted: list[tuple[str, Path]]  #: reports, by format
    focus: Focus
    format: ReportFormat
    max_findings: int | None
    quiet: bool
    is_fitting: bool  #: whether there is a rule that fits the patterns
    began: float  #: when, by the clock of `time.perf_counter`

    def checked(self, side: Project, names: Sequence[str]) -> CheckResult:
        """The check of some environments, or of all."""
        self.is_fitting = side.judge_only(self.rules) or self.is_fitting
        return side.check(names, self.draft, self.template_only, processors(), proofs=self.proofs_level(side))

    def proofs_level(self, side: Project) -> Level | None:
        """The level at which what can be broken is told, where it is asked for."""
        if self.proofs:
            return "warning"
        return side.proofs_level if takes_defaults() else None

    def sort_out(self, environments: Sequence[str]) -> None:
        """`--rules live` is meant as `--rules`, for live, where that is an environment."""
        meant = [each for each in self.rules if each in environments]
        self.environments = [*meant, *self.environments]
        self.rules = tuple(EVERY_RULE if each in meant else each for each in self.rules)

    def refuse_unfitting(self) -> None:
        """Raises BadParameter where patterns of rules fit none: a slip would judge nothing, and nobody would see it."""
        if not self.is_fitting:
            raise typer.BadParameter(f"no rule is called so: {listed(self.rules, 'or')}. jovial rules lists them.", param_hint="--rules")

    @property
    def numbered(self) -> bool:
        """Whether fingerprints are asked for."""
        return bool(self.wanted) or self.format is ReportFormat.json

    def of_project(self, loaded: Project) -> ProjectFocus:
        """The checks of a project. Raises ProjectError."""
        sides = loaded.sides(self.environments)
        if self.since is not None:
            names = [name for side, found in sides if side is loaded for name in found] if self.environments else []
            self.focus = replace(self.focus, known={*self.focus.known, *known_since(loaded, self.since, names, self.checked)})
        results = [(side, self.checked(side, names if self.environments else ())) for side, names in sides]
        return ProjectFocus(results, self.focus, self.numbered)

    def of_workspace(self, projects: Projects) -> WorkspaceFocus:
        """The checks of a workspace's projects. Raises ProjectError."""
        found, asked = [], {}
        for name, folder, project, names in projects.each(self.environments):
            if project is None:
                found.append(ProjectCheck(name, folder, None, projects.problems[name]))
                continue
            asked[name] = names
            results = [self.checked(side, views if names else ()) for side, views in project.sides(names)]
            found.append(ProjectCheck(name, folder, joined_results(results)))
        if self.since is not None:
            known = workspace_known_since(projects, self.since, asked, self.checked)
            self.focus = replace(self.focus, known={*self.focus.known, *known})
        whole = workspace_check(projects.opened.name, projects.opened.findings, found, projects.place)
        return WorkspaceFocus(whole, projects, self.focus, self.numbered)


def _print_project(asked: _Asked, focused: ProjectFocus, waived: bool) -> Sequence[Finding]:
    result = joined_results([each for _, each in focused.results])
    runs = focused.runs() if asked.numbered else []

    def document() -> dict[str, Any]:
        from jovial_scaffold.reports.machine import check_document

        keys = [key for found in focused.fingerprints for key in found]
        return check_document(result, keys, [repair for run in runs for repair in run.repairs.values()])

    write_reports(asked.wanted, runs, document, asked.quiet)
    if asked.format is ReportFormat.json:
        sys.stdout.write(report_text("json", runs, document))
    elif not is_on_output(asked.wanted):
        from jovial_scaffold.reports.findings import closing_line, proofs_text, rules_text, waived_text
        from jovial_scaffold.reports.terminal import style_for

        style = style_for(sys.stdout, os.environ)
        shown = asked.proofs or bool(asked.focus.only)
        loud = [replace(each, findings=each.findings if shown else _without(each.findings)) for _, each in focused.results]
        heard = joined_results(loud)
        for (side, _), each in zip(focused.results, loud, strict=True):
            print_findings(list(each.findings), side, most=asked.max_findings)
            if waived and each.waived:
                print(waived_text(each.waived_findings, folder_shown(side)))
        if asked.rules and not asked.quiet:
            print(rules_text(result, style.width))
        if asked.proofs and not asked.quiet:
            print(proofs_text(result, style.width))
        if not asked.quiet:
            print(closing_line(heard, time.perf_counter() - asked.began, style))
            if len(result.findings) > len(heard.findings):
                told = counted(len({each.rule for each in result.findings if each.id == _IN_PASSING}), "rule")
                print(f"Values that are accepted would break {told}: see --proofs.")
    return result.findings


def _without(findings: Sequence[Finding]) -> tuple[Finding, ...]:
    """Findings without those that nobody asked for: what might come about is counted."""
    return tuple(each for each in findings if each.id != _IN_PASSING)


def _print_workspace(asked: _Asked, heard: WorkspaceFocus, projects: Projects) -> Sequence[Finding]:
    from jovial_scaffold.reports import workspace as writing

    result = heard.result

    def document() -> dict[str, Any]:
        return writing.check_document(result, heard.fingerprints, heard.repairs)

    runs = heard.runs() if asked.wanted else []
    write_reports(asked.wanted, runs, document, asked.quiet)
    if asked.format is ReportFormat.json:
        sys.stdout.write(report_text("json", runs, document))
    elif not is_on_output(asked.wanted):
        from jovial_scaffold.reports.terminal import style_for

        style = style_for(sys.stdout, os.environ)
        if not asked.quiet:
            print(writing.check_table(result, style))
        print_workspace_findings(list(result.findings), projects, most=asked.max_findings)
        for each in result.projects if asked.proofs and not asked.quiet else ():
            if each.result is not None:
                from jovial_scaffold.reports.findings import proofs_text

                print(f"{each.name}\n\n{proofs_text(each.result, style.width)}")
        if not asked.quiet:
            print(writing.closing_line(result, time.perf_counter() - asked.began, style))
    return result.findings
