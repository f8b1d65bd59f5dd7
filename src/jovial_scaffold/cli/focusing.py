"""What pipelines ask of a check: only what is new, how loud, and reports beside the text."""

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from enum import StrEnum
from functools import cached_property
from pathlib import Path
from posixpath import normpath, relpath
from typing import TYPE_CHECKING, Annotated, Any

import typer

from jovial_scaffold.cli.options import deliver, folder_shown, where_shown
from jovial_scaffold.cli.workspace import Projects
from jovial_scaffold.core.findings import LEVELS, Finding
from jovial_scaffold.core.fingerprints import Fingerprints, SourceOf
from jovial_scaffold.core.focus import Focus, focused
from jovial_scaffold.core.folders import Refusal
from jovial_scaffold.core.outcomes import CheckResult, ProjectCheck, WorkspaceCheck
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.text.formats import refused
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.reports.words import listed, said

if TYPE_CHECKING:
    from jovial_scaffold.core.authoring.mending import Repair
    from jovial_scaffold.reports.checked import Run


class CheckFormat(StrEnum):
    """What a check can be reported as."""

    json = "json"
    sarif = "sarif"
    junit = "junit"
    markdown = "markdown"
    csv = "csv"
    html = "html"
    lines = "lines"


CHECK_REPORTS = tuple(each.value for each in CheckFormat)
OF_FINDINGS = ("sarif", "junit", "lines")
_SAVED = ("jovial-check/2", "jovial-workspace-check/2")


def _report_option(formats: str) -> Any:
    told = f"Write a report beside the text: {formats}; `-` is standard output. May be repeated."
    return typer.Option("--report", metavar="FORMAT=PATH", help=told, show_default=False)


Reports = Annotated[list[str] | None, _report_option(listed(CHECK_REPORTS, "or"))]
OtherReports = Annotated[list[str] | None, _report_option("as --format has them, or sarif, junit or lines of what is wrong")]
Strict = Annotated[bool, typer.Option("--strict", help="Take warnings for errors.")]
AtLevel = Annotated[str, typer.Option("--level", metavar="error|warning|note", help="Tell of what has this level or a worse one.")]
Only = Annotated[
    list[str] | None,
    typer.Option(
        "--only",
        metavar="ID",
        help="Tell of findings with this id, rule (RULESET/RULE) or tag of a rule, or a pattern of it. May be repeated.",
        show_default=False,
    ),
]
Known = Annotated[
    Path | None,
    typer.Option("--known", help="Tell of what is not in a saved check (--format json), and count the rest.", show_default=False),
]
Since = Annotated[
    str | None,
    typer.Option(
        "--since", metavar="REVISION", help="Tell of what was not found as of a revision, and count the rest.", show_default=False
    ),
]
Quiet = Annotated[bool, typer.Option("--quiet", "-q", help="Print findings and nothing else.")]


def asked_reports(texts: Sequence[str] | None, formats: Sequence[str]) -> list[tuple[str, Path]]:
    """Which reports are to be written where."""
    found = []
    for text in texts or ():
        format, equals, path = text.partition("=")
        if not equals or not path or format not in formats:
            raise typer.BadParameter(f"write FORMAT=PATH, with one of {listed(formats, 'or')}.", param_hint="--report")
        found.append((format, Path(path)))
    return found


def is_on_output(wanted: Sequence[tuple[str, Path]]) -> bool:
    """Whether a report takes the place of the text on standard output."""
    return any(str(path) == "-" for _, path in wanted)


def no_reports(wanted: Sequence[tuple[str, Path]], what: str) -> None:
    """Raises BadParameter where reports are asked for of what has none."""
    if wanted:
        raise typer.BadParameter(f"{what} has no reports: leave it out, or see --format.", param_hint="--report")


def focus_of(only: Sequence[str] | None, level: str, strict: bool, known: Path | None) -> Focus:
    """What is to be heard of, as far as options say it."""
    if level not in LEVELS:
        raise typer.BadParameter(f"it is one of {listed(LEVELS, 'or')}.", param_hint="--level")
    found = next(each for each in LEVELS if each == level)
    return Focus(tuple(only or ()), found, strict, _saved(known) if known is not None else frozenset())


def _saved(path: Path) -> frozenset[str]:
    """The fingerprints in a saved check."""
    content = read_named(str(path))
    if isinstance(content, Refusal):
        raise typer.BadParameter(said(refused(content, str(path)).message), param_hint="--known")
    try:
        document: Any = json.loads(content)
        if document["format"] not in _SAVED:
            raise ValueError
        return frozenset([str(each["fingerprint"]) for each in document["findings"]])
    except (ValueError, KeyError, TypeError, RecursionError):
        raise typer.BadParameter(
            f"{path} is no check that `jovial check --format json` of this version wrote.", param_hint="--known"
        ) from None


Check = Callable[[Project, Sequence[str]], CheckResult]
"""Checks some environments of a project, or all of it."""


def known_since(project: Project, revision: str, names: Sequence[str], check: Check) -> frozenset[str]:
    """The fingerprints of what was found as of a revision. Raises ProjectError."""
    past: Any = project.at(revision)
    there = [name for name in names if name in past.environments]
    return frozenset(Fingerprints(past.source).of(check(past, there).findings)) if there or not names else frozenset()


def _numbers(source_of: SourceOf, findings: Sequence[Finding], needed: bool) -> list[str]:
    """The fingerprints of findings, where anybody asks for them: places in large files take time."""
    return Fingerprints(source_of).of(findings) if needed else [""] * len(findings)


def tags_of(projects: Iterable[Project]) -> dict[str, tuple[str, ...]]:
    """The tags of the rules of some projects, by the rules' labels."""
    return {rule.label: rule.tags for project in projects for ruleset in project.rulesets for rule in ruleset.rules if rule.tags}


class ProjectFocus:
    """The checks of a project, as it is and as of revisions, with what is heard of them."""

    def __init__(self, results: Iterable[tuple[Project, CheckResult]], focus: Focus, numbered: bool) -> None:
        self.results: list[tuple[Project, CheckResult]] = []
        self.fingerprints: list[tuple[str, ...]] = []
        for side, result in results:
            keys = _numbers(side.source, result.findings, numbered or bool(focus.known))
            found = focused(result.findings, keys, focus, tags_of([side]))
            self.results.append((side, replace(result, findings=found.findings, known=found.known)))
            self.fingerprints.append(found.fingerprints)

    def runs(self) -> "list[Run]":
        """What reports are written of."""
        from jovial_scaffold.core.authoring.mending import public_repairs
        from jovial_scaffold.reports.checked import Run, Waiving

        found = []
        for (side, result), keys in zip(self.results, self.fingerprints, strict=True):
            waived = result.waived_findings
            marks = Fingerprints(side.source).of([each for each, _ in waived])
            waiving = tuple(Waiving(each, waiver, mark) for (each, waiver), mark in zip(waived, marks, strict=True))
            repairs = {each.finding: each for each in public_repairs(side, result.findings)}
            base = folder_shown(side)
            found.append(Run(result.project, result.environments, result.findings, keys, waiving, repairs, [result], base, result.known))
        return found


class WorkspaceFocus:
    """The checks of the projects of a workspace, with what is heard of them."""

    def __init__(self, whole: WorkspaceCheck, projects: Projects, focus: Focus, numbered: bool) -> None:
        self._projects = projects
        self._tags = tags_of(projects.loaded.values())
        keys = _numbers(projects.source, whole.findings, numbered or bool(focus.known))
        found = focused(whole.findings, keys, focus, self._tags)
        heard = [self._heard(each, focus) for each in whole.projects]
        self.result = replace(whole, projects=tuple(heard), findings=found.findings, known=found.known)
        self.fingerprints = found.fingerprints

    def _heard(self, project: ProjectCheck, focus: Focus) -> ProjectCheck:
        if project.result is None or focus.is_everything:
            return project
        numbers = _numbers(self._projects.source, project.findings, bool(focus.known))
        found = focused(project.result.findings, numbers, focus, self._tags)
        return replace(project, result=replace(project.result, findings=found.findings, known=found.known))

    @cached_property
    def repairs(self) -> "dict[str, list[Repair]]":
        """What would mend findings, by project."""
        from jovial_scaffold.core.authoring.mending import public_repairs

        done = {each.name: each.result for each in self.result.projects if each.result is not None}
        return {name: public_repairs(self._projects.loaded[name], each.findings) for name, each in done.items()}

    def _repairs_here(self) -> "dict[Finding, Repair]":
        """The same by the findings of the whole, with files named from the workspace."""
        offered = {}
        for project in self.result.projects:
            told = {each.finding: each for each in self.repairs.get(project.name, ())}
            for own, finding in zip(project.result.findings if project.result is not None else (), project.findings, strict=False):
                if own in told:
                    edits = [each._replace(file=normpath(f"{project.folder}/{each.file}")) for each in told[own].edits]
                    offered[finding.id, finding.span] = told[own]._replace(edits=tuple(edits))
        return {each: offered[each.id, each.span] for each in self.result.findings if (each.id, each.span) in offered}

    def runs(self) -> "list[Run]":
        """What reports are written of: one run, in which a mistake in what is shared is one."""
        from jovial_scaffold.reports.checked import Run, Waiving

        done = [each for each in self.result.projects if each.result is not None]
        waived = [pair for each in done for pair in each.waived]
        marks = Fingerprints(self._projects.source).of([each for each, _ in waived])
        waiving = tuple(Waiving(each, waiver, mark) for (each, waiver), mark in zip(waived, marks, strict=True))
        environments = tuple(f"{each.name}:{name}" for each in done if each.result is not None for name in each.result.environments)
        base = where_shown(self._projects.opened.folder.where)
        results = [each.result for each in done if each.result is not None]
        own = self.result
        return [Run(own.workspace, environments, own.findings, self.fingerprints, waiving, self._repairs_here(), results, base, own.known)]


def workspace_known_since(projects: Projects, revision: str, asked: Mapping[str, Sequence[str]], check: Check) -> frozenset[str]:
    """The fingerprints of what was found in the projects of a workspace as of a revision; in those that were not there, nothing was.
    Raises ProjectError."""
    found: set[str] = set()
    for name, project in projects.loaded.items():
        folder = projects.opened.folders[name]
        try:
            past: Any = project.at(revision)
        except ProjectError as error:
            if any(each.id == "revision-unknown" for each in error.findings):
                raise
            continue
        there = [each for each in asked.get(name, ()) if each in past.environments]
        result = ProjectCheck(name, folder, check(past, there))

        def source(file: str, folder: str = folder, past: Any = past) -> Source | None:
            given: Source | None = past.source(relpath(file, folder))
            return given

        found.update(Fingerprints(source).of(result.findings))
    return frozenset(found)


def write_reports(
    wanted: Sequence[tuple[str, Path]], runs: "Sequence[Run]", document: Callable[[], dict[str, Any]], silently: bool = False
) -> None:
    """Write each report; `document` is what JSON has. Raises OSError."""
    for format, path in wanted:
        deliver(report_text(format, runs, document), path, silently=silently)


def run_of(project: Project, names: Sequence[str], findings: Sequence[Finding]) -> "Run":
    """Findings of a command that is not a check, as reports have them."""
    from jovial_scaffold.reports.checked import Run

    keys = tuple(Fingerprints(project.source).of(findings))
    return Run(project.name, tuple(names), tuple(findings), keys, base=folder_shown(project))


def deliver_all(
    wanted: Sequence[tuple[str, Path]], text: Callable[[], str], out: Path | None, write: Callable[[str, Path], str], runs: "Sequence[Run]"
) -> None:
    """Write the result of a command that is not a check, and its reports: what `write` makes of a format, or what is wrong as a check has
    it. A report on standard output takes the place of the result. Raises OSError."""
    if not is_on_output(wanted):
        deliver(text(), out)
    for format, path in wanted:
        deliver(report_text(format, runs, dict) if format in OF_FINDINGS else write(format, path), path)


def report_text(format: str, runs: "Sequence[Run]", document: Callable[[], dict[str, Any]]) -> str:
    """A report as text."""
    from jovial_scaffold.reports import checked
    from jovial_scaffold.reports.machine import json_text
    from jovial_scaffold.reports.tables import written

    if format == "json":
        return json_text(document())
    if format == "sarif":
        from jovial_scaffold.reports.sarif import sarif_document

        return json_text(sarif_document(runs))
    if format == "junit":
        from jovial_scaffold.reports.junit import junit_text

        return junit_text(runs)
    return checked.lines_text(runs) if format == "lines" else written(checked.check_report(runs), format)
