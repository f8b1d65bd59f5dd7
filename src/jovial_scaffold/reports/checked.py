"""What a check found, for reports that other tools read: findings with fingerprints, repairs and waivers, whichever project they are of."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from jovial_scaffold.core.findings import LEVELS, Finding
from jovial_scaffold.reports.findings import OUTCOMES, verdict
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style
from jovial_scaffold.reports.words import path_shown, said, visible

if TYPE_CHECKING:
    from jovial_scaffold.core.authoring.mending import Repair
    from jovial_scaffold.core.outcomes import CheckResult
    from jovial_scaffold.core.waivers import Waiver


@dataclass(frozen=True, slots=True)
class Waiving:
    """A finding that is waived."""

    finding: Finding
    waiver: "Waiver"
    fingerprint: str


@dataclass(frozen=True, slots=True)
class Run:
    """The findings of a project (or of a workspace) as one run of a tool."""

    name: str  #: of the project or workspace
    environments: tuple[str, ...]
    findings: tuple[Finding, ...]
    fingerprints: tuple[str, ...]  #: one for each finding
    waived: tuple[Waiving, ...] = ()
    repairs: Mapping[Finding, "Repair"] = field(default_factory=dict)
    results: Sequence["CheckResult"] = ()  #: how rules turned out
    base: str = ""  #: leads from where the user is to the folder that files are named from
    known: int = 0  #: findings that are left out since they are known

    def path(self, file: str) -> str:
        """A file as it can be opened from where the user is."""
        return path_shown(self.base, file)

    def verdict(self) -> str:
        """What was found, in one sentence."""
        counts = Counter(each.level for each in self.findings)
        return f"{self.name}: {verdict(counts, self.known, len(self.waived), Style(colours=False, width=0))}."


def check_report(runs: Sequence[Run]) -> Report:
    """The findings as a report of sentences and tables: verdicts, then environments, then findings, errors first."""
    order = {level: number for number, level in enumerate(LEVELS)}
    found = sorted(((run, each) for run in runs for each in run.findings), key=lambda pair: order[pair[1].level])
    environments = Table("Environments", ["environment", *(f"{level}s" for level in LEVELS)], [_counts(run, name) for run in runs for name in run.environments])  # fmt: skip
    findings = Table("Findings", ["level", "where", "what", "id", "environments", "to do"], [_row(run, each) for run, each in found])
    waived = Table(
        "Waived",
        ["id", "where", "until", "because"],
        [
            [each.waiver.rule or each.finding.id, _place(run, each.finding), each.waiver.until, each.waiver.because]
            for run in runs
            for each in run.waived
        ],
    )
    data = Table("Findings", _COLUMNS, [_data(run, finding, key) for run in runs for finding, key in zip(run.findings, run.fingerprints, strict=True)])  # fmt: skip
    return Report(title_of(runs), [run.verdict() for run in runs], [environments, findings, waived], data)


def title_of(runs: Sequence[Run]) -> str:
    """What is to be done about it, in a word or two."""
    levels = {each.level for run in runs for each in run.findings}
    told = "errors were found" if "error" in levels else "warnings were found" if "warning" in levels else "no error was found"
    return f"Check: {told}"


_COLUMNS = ["level", "id", "file", "line", "column", "address", "property", "environments", "message", "hint", "rule", "fingerprint"]


def _data(run: Run, finding: Finding, fingerprint: str) -> list[str]:
    span = finding.span
    place = [run.path(span.file), str(span.line), str(span.column)] if span is not None else ["", "", ""]
    told = [said(finding.message), said(finding.hint), finding.rule, fingerprint]
    return [finding.level, finding.id, *place, finding.address, finding.pointer, " ".join(finding.environments), *told]


def _row(run: Run, finding: Finding) -> list[str]:
    where = f"{_place(run, finding)} {finding.where}".strip()
    reaches = "all" if not finding.environments or set(finding.environments) >= set(run.environments) else ", ".join(finding.environments)
    return [finding.level, where, said(finding.message), finding.said_by, reaches, said(finding.hint)]


def _place(run: Run, finding: Finding) -> str:
    return f"{run.path(finding.span.file)}:{finding.span.line}" if finding.span is not None else ""


def _counts(run: Run, environment: str) -> list[str]:
    held = [each for each in run.findings if not each.environments or environment in each.environments]
    return [environment, *(str(sum(each.level == level for each in held)) for level in LEVELS)]


def rule_outcomes(result: "CheckResult", environment: str) -> dict[str, dict[str, int]]:
    """Of each rule that was judged in an environment, how often it turned out how."""
    verdicts: Mapping[tuple[str, str], int] = result.verdicts.get(environment, {})
    return {
        rule: found
        for rule in result.rules
        if (found := {outcome: count for outcome in OUTCOMES if (count := verdicts.get((rule, outcome), 0))})
    }


def lines_text(runs: Sequence[Run]) -> str:
    """One line for each finding, as editors read what compilers say: `FILE:LINE:COLUMN: LEVEL: MESSAGE [ID]`."""
    lines = []
    for run in runs:
        for finding in run.findings:
            span = finding.span
            place = f"{run.path(span.file)}:{span.line}:{span.column}" if span is not None else run.name
            told = " ".join(part for part in (said(finding.message), said(finding.hint)) if part)
            lines.append(f"{place}: {finding.level}: {told} [{finding.said_by}]")
    return "".join(f"{visible(' '.join(line.split()))}\n" for line in lines)
