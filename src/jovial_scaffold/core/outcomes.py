"""What a project answers: what a check found, and what a value was at a time."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from posixpath import normpath
from typing import Any

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.findings import Finding, Related, Span, absorbed, merged
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.identities import Identities, PlaceOf, clashes_between
from jovial_scaffold.core.rules.evaluation import Verdicts
from jovial_scaffold.core.waivers import Waived, Waiver


@dataclass(frozen=True, slots=True)
class CheckResult:
    """All findings, sorted; how much was looked at; how the `rules` turned out, by environment, in pairs of them under no name; and what is
    waived."""

    project: str
    environments: tuple[str, ...]
    findings: tuple[Finding, ...]
    resources: int
    rules: tuple[str, ...] = ()
    verdicts: Mapping[str, Verdicts] = field(default_factory=dict)
    waived: tuple[Waived, ...] = ()
    beyond: tuple[Identities, ...] = ()  #: by environment, what must be unique in the whole workspace
    known: int = 0  #: how many findings are left out since they are known
    #: by environment, what was shown of rules and schemas for all parameters: what each is called, what it is about, and the outcome
    proofs: Mapping[str, Sequence[tuple[str, str, str]]] = field(default_factory=dict)

    def turned_out(self, outcome: str = "") -> int:
        """How often a rule turned out that way, or was judged at all."""
        return sum(count for each in self.verdicts.values() for (_, found), count in each.items() if outcome in ("", found))

    @property
    def waived_findings(self) -> list[tuple[Finding, Waiver]]:
        """What is waived, each mistake once, with its waiver."""
        by_waiver: dict[Waiver, list[Finding]] = {}
        for each in self.waived:
            by_waiver.setdefault(each.waiver, []).append(each.finding)
        found = []
        for waiver, findings in by_waiver.items():
            static, others = [each for each in findings if not each.environments], [each for each in findings if each.environments]
            found += [(finding, waiver) for finding in merged(absorbed(static, others), self.environments)]
        return found

    def count(self, level: str) -> int:
        """How many findings have a level."""
        return sum(finding.level == level for finding in self.findings)


@dataclass(frozen=True, slots=True)
class Moment:
    """A value as of a commit; the commit is empty for the working tree. `note` says why there is no value."""

    commit: str
    date: str
    author: str
    subject: str
    value: Any
    note: str
    address: str = ""  #: what it was called then, where it has been renamed since

    def same_as(self, other: "Moment") -> bool:
        """Whether the value was the same, under the same address."""
        return self.note == other.note and self.address == other.address and same(self.value, other.value)


def joined_results(results: Sequence[CheckResult]) -> CheckResult:
    """What was found in a project as it is and as of revisions, as one."""
    first = results[0]
    environments = tuple(name for each in results for name in each.environments)
    findings = tuple(finding for each in results for finding in each.findings)
    return replace(
        first,
        environments=environments,
        findings=findings,
        resources=sum(each.resources for each in results),
        verdicts={name: verdicts for each in results for name, verdicts in each.verdicts.items()},
        waived=tuple(waived for each in results for waived in each.waived),
        known=sum(each.known for each in results),
        proofs={name: shown for each in results for name, shown in each.proofs.items()},
    )


@dataclass(frozen=True, slots=True)
class ProjectCheck:
    """What a check of one project of a workspace found: its result, or why it cannot be used."""

    name: str
    folder: str
    result: CheckResult | None
    problem: tuple[Finding, ...] = ()

    @property
    def findings(self) -> tuple[Finding, ...]:
        """All of them, with files named from the workspace and environments by project."""
        found = self.result.findings if self.result is not None else self.problem
        every = tuple(f"{self.name}:{each}" for each in self.result.environments) if self.result is not None else ()
        return tuple(_in_workspace(each, self.folder, self.name, every) for each in found)

    @property
    def waived(self) -> list[tuple[Finding, Waiver]]:
        """What is waived, as `findings` are told."""
        if self.result is None:
            return []
        every = tuple(f"{self.name}:{each}" for each in self.result.environments)
        return [(_in_workspace(each, self.folder, self.name, every), waiver) for each, waiver in self.result.waived_findings]

    def count(self, level: str, environment: str) -> int:
        """How many findings of a level hold in an environment; what holds before any holds in each."""
        found = self.result.findings if self.result is not None else ()
        return sum(each.level == level and (not each.environments or environment in each.environments) for each in found)


@dataclass(frozen=True, slots=True)
class WorkspaceCheck:
    """What a check of all projects of a workspace found. `findings` are all of them by their cause: one mistake in what is shared is one
    finding, with all that it reaches."""

    workspace: str
    projects: tuple[ProjectCheck, ...]
    findings: tuple[Finding, ...]
    known: int = 0  #: how many findings are left out since they are known

    def count(self, level: str) -> int:
        """How many findings have a level."""
        return sum(finding.level == level for finding in self.findings)


def workspace_check(workspace: str, findings: Sequence[Finding], projects: Sequence[ProjectCheck], place_of: PlaceOf) -> WorkspaceCheck:
    """The checks of some projects put together. `findings` are those of the workspace's own file; `place_of` says where an environment
    (`PROJECT:ENVIRONMENT`) writes a property, as the workspace names files."""
    beyond = [
        each._replace(environment=project.name, label=f"{project.name}:{each.label}")
        for project in projects
        if project.result is not None
        for each in project.result.beyond
    ]
    every = [*findings, *clashes_between(beyond, place_of), *(finding for project in projects for finding in project.findings)]
    order = [f"{project.name}:{name}" for project in projects if project.result is not None for name in project.result.environments]
    return WorkspaceCheck(workspace, tuple(projects), tuple(merged(every, order)))


def _in_workspace(finding: Finding, folder: str, project: str, every: tuple[str, ...]) -> Finding:
    def moved(span: Span | None) -> Span | None:
        return span._replace(file=normpath(f"{folder}/{span.file}")) if span is not None else None

    related = tuple(Related(each.span._replace(file=normpath(f"{folder}/{each.span.file}")), each.message) for each in finding.related)
    environments = tuple(f"{project}:{each}" for each in finding.environments) or every
    also_at = tuple((f"{project}:{name}" if name else "", addresses) for name, addresses in finding.also_at)
    return replace(
        finding, span=moved(finding.span), cause=moved(finding.cause), related=related, environments=environments, also_at=also_at
    )
