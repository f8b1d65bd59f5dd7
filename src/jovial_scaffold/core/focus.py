"""Which of the findings of a check somebody wants to hear of, and how loud (docs/pipeline.md)."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from jovial_scaffold.core.findings import LEVELS, Finding, Level
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.text.patterns import pattern


@dataclass(frozen=True, slots=True)
class Focus:
    """What is heard of: findings of these ids, rules or tags of rules (patterns; none are all), from a level upwards, that are not among the known ones, by
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


def focused(findings: Iterable[Finding], fingerprints: Iterable[str], focus: Focus, tags: Mapping[str, Sequence[str]]) -> Focused:
    """The findings that are heard of. `fingerprints` has one for each, `tags` those of rules by their labels."""
    patterns = [pattern(each) for each in focus.only]
    kept, known = [], 0
    for finding, print_ in zip(findings, fingerprints, strict=True):
        heard = replace(finding, level="error") if focus.strict and finding.level == "warning" else finding
        names = (finding.id, finding.rule, *tags.get(finding.rule, ())) if finding.rule else (finding.id,)
        is_meant = not patterns or any(each.match(name) for each in patterns for name in names)
        if not is_meant or LEVELS.index(heard.level) > LEVELS.index(focus.level):
            continue
        if print_ in focus.known:
            known += 1
            continue
        kept.append((heard, print_))
    return Focused(tuple(each for each, _ in kept), tuple(each for _, each in kept), known)
