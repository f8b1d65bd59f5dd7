"""What a project answers: what a check found, and what a value was at a time."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.comparing.aligning import same
from jovial_scaffold.core.findings import Finding, absorbed, merged
from jovial_scaffold.core.records import replace
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
    )
