"""What is wrong with what is written out is said once, before any environment; each environment says only that it saw it."""

from collections.abc import Iterable, Sequence

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.records import replace

#: What a finding is about, as an environment sees it: the address of a single resource of the project's template, the pointer in it, the id.
Sighting = tuple[str, str, str]


def with_environments(
    findings: Sequence[Finding], sightings: Iterable[tuple[str, Sequence[Sighting]]]
) -> tuple[list[Finding], frozenset[str]]:
    """Findings with the environments in which they were seen, and those environments that saw what none of them says."""
    seen: dict[Sighting, list[str]] = {}
    for environment, found in sightings:
        for each in dict.fromkeys(found):
            seen.setdefault(each, []).append(environment)
    result, said = [], set()
    for finding in findings:
        sighting = finding.address, finding.pointer, finding.id
        environments = seen.get(sighting)
        result.append(finding if environments is None else replace(finding, environments=tuple(environments)))
        said.add(sighting)
    return result, frozenset(name for each, environments in seen.items() if each not in said for name in environments)
