"""What is wrong in a user's files: a finding with its place, and the merging that makes one mistake one finding."""

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

from jovial_scaffold.core.limits import RELATED_PLACES
from jovial_scaffold.core.words import NOTHING, Sentence, say

Level = Literal["error", "warning", "note"]
LEVELS: tuple[Level, ...] = ("error", "warning", "note")


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch of a file. Lines and columns count from 1, in characters; the end is exclusive (as in SARIF 2.1.0, 3.30)."""

    file: str
    line: int
    column: int
    end_line: int
    end_column: int


@dataclass(frozen=True, slots=True)
class Related:
    """Another place that belongs to a finding, such as the line that set the value."""

    span: Span
    message: Sentence


@dataclass(frozen=True, slots=True)
class Finding:
    """One mistake.

    `group` joins what is one mistake seen several times (in a loop's items, in several environments); without it,
    equal messages at the same place are joined. `elsewhere` holds the further addresses that were joined in.
    `rule` is RULESET/RULE of what a rule says, with its reason and what it proposes apart from the hint that holds both. `cause` is where a person would mend it, where that is not `span`: what has one cause, for one property, is one finding there.
    """

    id: str
    level: Level
    message: Sentence
    span: Span | None = None
    hint: Sentence = NOTHING
    address: str = ""
    pointer: str = ""
    environments: tuple[str, ...] = ()
    related: tuple[Related, ...] = ()
    group: str | None = None
    elsewhere: tuple[str, ...] = ()
    cause: Span | None = None
    rule: str = ""
    because: Sentence = NOTHING
    fix: Sentence = NOTHING

    @property
    def where(self) -> str:
        """`gates:copies`, or the address alone, or nothing."""
        return f"{self.address}:{self.pointer}" if self.pointer else self.address


def merged(findings: Iterable[Finding], environment_order: Iterable[str] = ()) -> list[Finding]:
    """Join what is one mistake, and sort by file, place and id. The result does not depend on the order of the input."""
    rank = {name: index for index, name in enumerate(environment_order)}
    groups: dict[tuple[object, ...], list[Finding]] = {}
    for each in findings:
        finding = _at_its_cause(each)
        key = (finding.id, finding.level, finding.span, finding.message.key if finding.group is None else finding.group)
        groups.setdefault(key, []).append(finding)
    joined = [_join(same, rank) if len(same) > 1 else same[0] for same in groups.values()]
    return sorted(joined, key=_order)


def _at_its_cause(finding: Finding) -> Finding:
    """The finding where a person would mend it; where the value is used is said beside it."""
    cause = finding.cause
    if cause is None or cause == finding.span:
        return finding
    used = (Related(finding.span, say("The value is used here.")),) if finding.span is not None else ()
    related = (*used, *(each for each in finding.related if each.span != cause))
    group = f"{finding.group if finding.id == 'rule-failed' else ''} {_INDEX.sub('/*', finding.pointer)}"
    return replace(finding, span=cause, cause=None, related=related, group=group)


_INDEX = re.compile(r"/[0-9]+")


# What a type does not have, a resource does not have, and a map does not hold, is one mistake where it is one place.
_SAME = dict.fromkeys(("field-unknown", "property-unknown", "key-missing", "output-unknown"), "part-unknown") | dict.fromkeys(
    ("must-never", "must-failed"), "must"
)
_SAYS_MORE = frozenset(("must-never",))


def absorbed(static: Iterable[Finding], others: Iterable[Finding]) -> list[Finding]:
    """Findings that hold for all environments, and the others without what the first already say.

    A mistake seen in an environment adds that environment, its address and its causes to the static finding of the same id and place.
    """
    rest: list[Finding] = []
    found = {(_SAME.get(each.id, each.id), each.span): each for each in static}
    for finding in others:
        keys = [(_SAME.get(finding.id, finding.id), place) for place in (finding.span, finding.cause)]
        key = next((each for each in keys if each in found), None)
        if key is None:
            rest.append(finding)
            continue
        same = found[key]
        told = same if same.id in _SAYS_MORE else finding
        found[key] = replace(
            same,
            id=told.id,
            level="error" if "error" in (same.level, finding.level) else same.level,
            message=told.message,
            environments=tuple(dict.fromkeys((*same.environments, *finding.environments))),
            elsewhere=tuple(sorted({*same.elsewhere, finding.where} - {same.where, "", same.address})),
            related=tuple(dict.fromkeys((*same.related, *finding.related)))[: RELATED_PLACES.most],
        )
    return [*found.values(), *rest]


def _join(same: list[Finding], rank: dict[str, int]) -> Finding:
    first = min(same, key=lambda f: (min((rank.get(e, 0) for e in f.environments), default=0), f.where, f.message.key))
    environments = {name for finding in same for name in finding.environments}
    addresses = sorted({finding.where for finding in same} - {first.where, ""})
    related = dict.fromkeys(first.related)
    for finding in same:
        related.update(dict.fromkeys(finding.related))
    return replace(
        first,
        hint=first.hint or next((finding.hint for finding in same if finding.hint), NOTHING),
        environments=tuple(sorted(environments, key=lambda name: (rank.get(name, len(rank)), name))),
        elsewhere=tuple(addresses),
        related=tuple(list(related)[: RELATED_PLACES.most]),
    )


def _order(finding: Finding) -> tuple[object, ...]:
    span = finding.span
    place = (span.file, span.line, span.column) if span else ("", 0, 0)
    return (*place, LEVELS.index(finding.level), finding.id, finding.where, finding.message.key)


def has_errors(findings: Iterable[Finding]) -> bool:
    """Whether any finding is at level error: what decides exit code 1."""
    return any(finding.level == "error" for finding in findings)
