"""Which of the findings of a check somebody wants to hear of, and how loud (docs/pipeline.md)."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass

from jovial_scaffold.core.findings import LEVELS, Finding, Level
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.text.patterns import pattern


@dataclass(frozen=True, slots=True)
class Focus:
    """What is heard of: findings of these ids or rules (patterns; none are all), from a level upwards, that are not among the known ones, by
    fingerprint; with warnings as errors where it is `strict`."""

    only: tuple[str, ...] = ()
    level: Level = "note"
    strict: bool = False
    known: Collection[str] = frozenset()

    @property
    def is_everything(self) -> bool:
        """Whether nothing is left out or changed."""
        return self == Focus()


@dataclass(frozen=True, slots=True)
class Focused:
    """What is left of some findings, with their fingerprints, and how many of them were known."""

    findings: tuple[Finding, ...]
    fingerprints: tuple[str, ...]
    known: int


def focused(findings: Iterable[Finding], fingerprints: Iterable[str], focus: Focus) -> Focused:
    """The findings that are heard of. `fingerprints` has one for each."""
    patterns = [pattern(each) for each in focus.only]
    kept, known = [], 0
    for finding, print_ in zip(findings, fingerprints, strict=True):
        heard = replace(finding, level="error") if focus.strict and finding.level == "warning" else finding
        is_meant = not patterns or any(each.match(finding.id) or (finding.rule and each.match(finding.rule)) for each in patterns)
        if not is_meant or LEVELS.index(heard.level) > LEVELS.index(focus.level):
            continue
        if print_ in focus.known:
            known += 1
            continue
        kept.append((heard, print_))
    return Focused(tuple(each for each, _ in kept), tuple(each for _, each in kept), known)
