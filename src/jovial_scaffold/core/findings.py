"""What is wrong in a user's files: a finding with its place, and the merging that makes one mistake one finding."""

from collections.abc import Collection, Iterable, Sequence
from typing import Literal, NamedTuple

from jovial_scaffold.core.limits import RELATED_PLACES
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import NOTHING, Sentence, say

Level = Literal["error", "warning", "note"]
_ONLY_WHERE = "This is so where {}."  # what is said of a mistake that comes about for some values only
_FAILS_HERE = "`{}` fails here."  # what is said of the place inside of a function where a call of it fails
LEVELS: tuple[Level, ...] = ("error", "warning", "note")


class Span(NamedTuple):
    """A stretch of a file. Lines and columns count from 1, in characters; the end is exclusive (as in SARIF 2.1.0, 3.30)."""

    file: str
    line: int
    column: int
    end_line: int
    end_column: int


class Related(NamedTuple):
    """Another place that belongs to a finding, such as the line that set the value."""

    span: Span
    message: Sentence


@value_record
class Finding:
    """One mistake.

    `group` joins what is one mistake seen several times (in a loop's items, in several environments); without it,
    equal messages at the same place are joined. `also_at` holds, where there is more than one, all addresses by environment (nothing for
    what is so before any).
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
    group: str | Sentence | None = None
    also_at: tuple[tuple[str, tuple[str, ...]], ...] = ()
    cause: Span | None = None
    rule: str = ""
    because: Sentence = NOTHING
    fix: Sentence = NOTHING

    @property
    def where(self) -> str:
        """`gates:copies`, or the address alone, or nothing."""
        return f"{self.address}:{self.pointer}" if self.pointer else self.address

    @property
    def said_by(self) -> str:
        """What reports sort it under: the rule that it breaks, or its id. That a rule could be broken is no failure of the rule."""
        return self.rule if self.rule and self.id != "rule-breakable" else self.id

    @property
    def places(self) -> tuple[str, ...]:
        """All addresses, in all environments, its own first; where that is of a template (a loop, or inside of a module), those that are rendered."""
        every = {each for _, addresses in self.also_at for each in addresses}
        own = (self.where,) if self.where and (not every or self.where in every or self.address in every) else ()
        return (*own, *sorted(every - {self.where, self.address}))


def merged(findings: Iterable[Finding], environment_order: Iterable[str] = ()) -> list[Finding]:
    """Join what is one mistake, and sort by file, place and id. The result does not depend on the order of the input."""
    rank = {name: index for index, name in enumerate(environment_order)}
    places: dict[tuple[object, ...], list[Finding]] = {}
    for each in findings:
        finding = _at_its_cause(each)
        places.setdefault((finding.id, finding.level, finding.span), []).append(finding)
    joined = []
    for there in places.values():
        if len(there) == 1:  # as most are: what they say is not asked
            joined += there
            continue
        groups: dict[object, list[Finding]] = {}
        for finding in there:
            groups.setdefault(finding.message if finding.group is None else finding.group, []).append(finding)
        joined += [_join(same, rank) if len(same) > 1 else same[0] for same in groups.values()]
    return sorted(joined, key=_order)


def _at_its_cause(finding: Finding) -> Finding:
    """The finding where a person would mend it; where the value is used is said beside it."""
    cause = finding.cause
    if cause is None or cause == finding.span:
        return finding
    used = (Related(finding.span, say("The value is used here.")),) if finding.span is not None else ()
    related = (*used, *(each for each in finding.related if each.span != cause))
    group = f"{finding.group if finding.id == 'rule-failed' else ''} {without_positions(finding.pointer)}"
    return replace(finding, span=cause, cause=None, related=related, group=group)


_INDEX = regex(r"/[0-9]+")


def without_positions(pointer: str) -> str:
    """The text of a pointer that stands for all items of the lists on its way."""
    return _INDEX.sub("/*", pointer)


# What is declared does not have, and a map does not hold, is one mistake where it is one place.
_SAME = {"key-missing": "field-unknown", "must-failed": "must-never"}


def absorbed(static: Iterable[Finding], others: Iterable[Finding], labelling: Collection[str] = ()) -> list[Finding]:
    """Findings that hold for all environments, and the others without what the first already say.

    A mistake seen in an environment adds that environment, its address and its causes to the static finding of the same id and place,
    which keeps its id: it is the same whether or not an environment is looked at. A label, in one of the files of `labelling`, is known before, too:
    what it makes wrong is said where it stands.
    """
    rest: list[Finding] = []
    found: dict[
        tuple[str, Span | None], list[tuple[Finding, list[Finding], list[Finding]]]
    ] = {}  # each with what shows it, and what labels do
    for each in static:
        found.setdefault((_SAME.get(each.id, each.id), each.cause or each.span), []).append((each, [], []))
    for finding in others:
        id = _SAME.get(finding.id, finding.id)
        same = found.get((id, finding.cause)) or found.get((id, finding.span))
        if same is None:
            through = [each.span for each in finding.related if each.message.template == _FAILS_HERE]
            same = next((found[id, place] for place in through if (id, place) in found), None)
        if same is None:
            rest.append(finding)
            continue
        # Of several at one place, the one about the same property.
        number = next((index for index, (each, *_) in enumerate(same) if each.pointer == finding.pointer), 0) if len(same) > 1 else 0
        at_label = finding.cause is not None and finding.cause.file in labelling and _is_only_somewhere(same[number][0])
        _, seen, labelled = same[number]
        (labelled if at_label else seen).append(finding)
    told = (
        labelled if labelled and not seen else [_with(each, [*seen, *labelled])]
        for several in found.values()
        for each, seen, labelled in several
    )
    return [*(each for several in told for each in several), *rest]


def _is_only_somewhere(finding: Finding) -> bool:
    """Whether a finding has a witness, without which it would not come about."""
    return any(getattr(each, "template", "") == _ONLY_WHERE for each in (finding.hint, *finding.hint.operands))


def _with(static: Finding, seen: Sequence[Finding]) -> Finding:
    """A finding that holds for all environments, with those that show it in some: the value of the first, and what to do about that one."""
    if not seen:
        return static
    shown = seen[0] if static.id == seen[0].id and static.span == seen[0].span and not static.environments else static
    related = dict.fromkeys(static.related)
    environments = dict.fromkeys(static.environments)
    level = static.level
    for each in seen:
        related.update(dict.fromkeys(each.related))
        environments.update(dict.fromkeys(each.environments))
        level = "error" if each.level == "error" else level
    hint = shown.hint or static.hint or next((each.hint for each in seen if each.hint), NOTHING)
    places = tuple([each for each in related if each.span != static.span])[: RELATED_PLACES.most]
    return replace(
        static,
        level=level,
        message=shown.message,
        group=static.message if static.group is None else static.group,  # whatever values an environment of another project shows
        hint=hint,
        environments=tuple(environments),
        also_at=_also_at(static, *seen),
        related=places,
    )


def _join(same: list[Finding], rank: dict[str, int]) -> Finding:
    first = min(same, key=lambda f: (min((rank.get(e, 0) for e in f.environments), default=0), f.where, f.message))
    environments = {name for finding in same for name in finding.environments}
    related = dict.fromkeys(first.related)
    for finding in same:
        related.update(dict.fromkeys(finding.related))
    return replace(
        first,
        hint=first.hint or next((finding.hint for finding in same if finding.hint), NOTHING),
        environments=tuple(sorted(environments, key=lambda name: (rank.get(name, len(rank)), name))),
        also_at=_also_at(*same),
        related=tuple(list(related)[: RELATED_PLACES.most]),
    )


def _also_at(*same: Finding) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """All addresses of what is one mistake, by environment; nothing where there is one only, that of the first."""
    first = same[0]
    if all(each.address == first.address and each.pointer == first.pointer and not each.also_at for each in same):
        return ()
    places: dict[str, set[str]] = {}
    for finding in same:
        own = ((name, (finding.where,)) for name in finding.environments or ("",)) if finding.where else ()
        for environment, addresses in finding.also_at or own:
            places.setdefault(environment, set()).update(addresses)
    if len(places) > 1:
        places.pop("", None)  # where a template has it, before there are resources
    if {address for addresses in places.values() for address in addresses} <= {first.where}:
        return ()
    return tuple((environment, tuple(sorted(places[environment]))) for environment in sorted(places))


def _order(finding: Finding) -> tuple[object, ...]:
    span = finding.span
    place = (span.file, span.line, span.column) if span else ("", 0, 0)
    return (*place, LEVELS.index(finding.level), finding.id, finding.where, finding.message)


def has_errors(findings: Iterable[Finding]) -> bool:
    """Whether any finding is at level error: what decides exit code 1."""
    return any(finding.level == "error" for finding in findings)
