"""Waivers for findings that there are: entries as narrow as they can be, which are shown to waive those and what else."""

from collections.abc import Iterable, Iterator, Sequence
from posixpath import commonprefix
from typing import Any

from jovial_scaffold.core.authoring.promises import after, broken
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.findings import Finding, has_errors
from jovial_scaffold.core.fingerprints import Fingerprints
from jovial_scaffold.core.folders import Found
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import KEYS, ProjectError
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.core.text.written_values import yaml_lines
from jovial_scaffold.core.waivers import UNREADABLE, is_day
from jovial_scaffold.core.words import NOTHING, Sentence, listed, nearest, say

_FILE = "waivers.yaml"
_MOST = 2_000  # entries of one command
_HEADING = "# What somebody has decided to live with, why, and until when. `jovial check --waived` lists it.\n"


def waive(
    project: Project, what: Sequence[str], because: str, until: str = "", at: str = "", environments: Sequence[str] = ()
) -> tuple[Change, list[Done]]:
    """Write an entry for each finding that has one of the ids, or that one of the rules (`RULESET/RULE`) says, at an address (or
    `address:property`) that fits `at`, in some environments or where it holds. Raises ProjectError."""
    if not because.strip():
        raise _refused("waiver-shape", say("A waiver says why."), say("Say it with --because."))
    if until and not is_day(until):
        raise _refused("waiver-shape", say("The last day of a waiver is written as 2030-01-31."))
    names = project.chosen(environments) if environments else ()
    before = _numbered(project)
    found = tuple(before.values())
    numbers = {each: number for number, each in before.items()}
    meant = _Meant(project, at, names)
    chosen = meant.chosen(found, what)
    reasons = {"because": because.strip(), **({"until": until} if until else {})}
    wide: list[Finding] = []  # what is found before any environment, too, is waived in all of them
    while True:
        told: list[dict[str, Any]] = []
        for each in (one for finding in chosen for one in meant.entries(finding, finding in wide)):
            if each | reasons not in told:
                told.append(each | reasons)
        change = _written(project, told)
        left = _numbered(after(project, change))
        fresh = {each: number for number, each in left.items() if number not in before}
        again = [each for each in meant.chosen(fresh, what, at_least_one=False) if fresh[each] not in numbers.values()]
        missed = [each for each in chosen if meant.is_left(each, left.get(numbers[each]))]
        if not missed and not again:
            break
        chosen += again  # the same mistake as it shows in environments, once it is not said before
        numbers |= {each: fresh[each] for each in again}
        name = (missed or again)[0].rule or (missed or again)[0].id
        if names and not all(each.environments for each in missed):
            raise broken(say("`{}` is found before any environment, so it is waived in all or in none.", name))
        if (not again and (names or all(each in wide for each in missed))) or len(told) > _MOST:
            raise broken(say("`{}` would not be waived by an entry of its own.", name))
        wide += missed
    _check_waivers(found, left.values())
    also = [each for each in found if numbers[each] not in left and each not in chosen]
    file = next(each.name for each in change.files() if each.name != project.project_file.file)
    done = [Done(str(each.get("finding") or each.get("rule")), file, f"waived {_told(each)}") for each in told]
    done += [Done(each.rule or each.id, each.span.file if each.span else "", "waived by this, too") for each in also]
    return change, done


def _refused(id: str, message: Sentence, hint: Sentence = NOTHING) -> ProjectError:
    return ProjectError([Finding(id, "error", message, None, hint)])


class _Meant:
    """Which findings are meant, and what waives each."""

    def __init__(self, project: Project, at: str, names: Sequence[str]) -> None:
        self._project = project
        self._at = at
        self._names = names
        self._numbers = Fingerprints(project.source)

    def chosen(self, found: Iterable[Finding], what: Sequence[str], at_least_one: bool = True) -> list[Finding]:
        """The findings that are meant. Raises ProjectError where there is none."""
        every = [each for each in found if not each.id.startswith(UNREADABLE)]
        chosen: list[Finding] = []
        for name in what:
            fits = pattern(name)
            mine = [each for each in every if fits.match(each.id) or (each.rule and fits.match(each.rule))]
            here = [each for each in mine if self._places(each) and self._is_in(each)]
            if not here and at_least_one:
                raise self._nothing(name, bool(mine), any(fits.match(each.id) for each in found), every)
            chosen += [each for each in here if each not in chosen]
        return chosen

    def _nothing(self, name: str, is_elsewhere: bool, is_unreadable: bool, every: Iterable[Finding]) -> ProjectError:
        if is_elsewhere:
            return _refused("name-unknown", say("There is no finding `{}` there.", name), say("`jovial check` shows where there is."))
        if is_unreadable:
            return _refused("name-unknown", say("What says that a file cannot be read as it is written is not waived."), say("Mend it."))
        known = sorted({each.id for each in every} | {each.rule for each in every if each.rule})
        hint = nearest(name, known, say("There are {}.", listed(known))) if known else say("Nothing is wrong.")
        return _refused("name-unknown", say("There is no finding `{}` that could be waived.", name), hint)

    def _is_in(self, finding: Finding) -> bool:
        return not self._names or not finding.environments or bool({*finding.environments} & {*self._names})

    def _places(self, finding: Finding) -> list[str]:
        """Where a finding is, as waivers name it, as far as it is meant; one that is nowhere is everywhere."""
        span = finding.cause or finding.span
        places = [*finding.places] if finding.address else [""]
        if not finding.address and span is not None:
            places = [f"{span.file}:{pointer_text(self._numbers.entry(span))}"]
        return [each for each in places if not self._at or pattern(self._at).match(each if ":" in self._at else each.partition(":")[0])]

    def entries(self, finding: Finding, is_wide: bool) -> Iterator[dict[str, Any]]:
        """What waives a finding, as narrowly as its addresses, its entry and its environments say it."""
        key = {"rule": finding.rule} if finding.rule else {"finding": finding.id}
        held = [each for each in finding.environments if not self._names or each in self._names]
        inside = {"environments": held} if held and not is_wide and set(held) != {*self._project.environments} else {}
        for place in _patterns(self._places(finding)) if finding.address else self._places(finding):
            yield {**key, **({"at": place} if place else {}), **inside}

    def is_left(self, finding: Finding, still: Finding | None) -> bool:
        """Whether a finding is still there, at places and in environments that it was to be waived at."""
        if still is None or not self._places(still):
            return False
        return not still.environments or bool({*still.environments} & {*(self._names or finding.environments)})


def _patterns(places: Sequence[str]) -> list[str]:
    """Addresses as patterns: those of the items of one loop as one, with `*` for what differs between them."""
    groups: dict[tuple[str, str], list[str]] = {}
    for each in dict.fromkeys(places):
        address, _, property = each.partition(":")
        groups.setdefault((address.partition("/")[0], property), []).append(address)
    found = []
    for (_, property), addresses in groups.items():
        first = commonprefix(addresses)
        last = commonprefix([each[::-1] for each in addresses])[::-1]
        address = addresses[0] if len(addresses) == 1 else f"{first}*{last if len(first) + len(last) <= min(map(len, addresses)) else ''}"
        found.append(f"{address}:{property}" if property else address)
    return found


def _written(project: Project, entries: Sequence[dict[str, Any]]) -> Change:
    """The entries, behind those that there are, or in a file that the project file names then. Raises ProjectError."""
    change = Change(project.folder)
    lines = [line for each in entries for line in _lines(each)]
    reference = project.project_file.waivers[-1] if project.project_file.waivers else None
    source = project.source(reference.text) if reference is not None else None
    if reference is not None and source is None:
        raise broken(say("{} cannot be read.", reference.text))
    if source is None:
        if isinstance(project.folder.find(_FILE), Found):
            raise broken(say("{} is there already, and the project file does not name it.", _FILE))
        change.write(_FILE, _HEADING + "".join(f"{each}\n" for each in lines))
        own = project.source(project.project_file.file)
        assert own is not None
        script = Script(own)
        script.add_section("waivers", _FILE, KEYS)
        change.add(script.edits)
        return change
    script = Script(source)
    if source.value and source.text.lstrip()[:1] not in ("[", "{"):
        first = next((line for line in source.text.splitlines() if line.lstrip().startswith("-")), "")
        script.add_lines([f"{first[: len(first) - len(first.lstrip())]}{line}" for line in lines])  # as far in as the others
    elif source.value:
        for each in entries:
            script.append((), each)
    else:
        told = [line for line in source.text.splitlines() if line.lstrip().startswith("#")]
        change.write(source.name, "".join(f"{each}\n" for each in (*told, *lines)))
        return change
    change.add(script.edits)
    return change


def _lines(entry: dict[str, Any]) -> Iterator[str]:
    """An entry as lines of its own, whatever its length: a change of one of its keys is one line of a review."""
    first = True
    for key, value in entry.items():
        for line in yaml_lines(key, value, "  "):
            yield f"- {line[2:]}" if first else line
            first = False


def _numbered(project: Project) -> dict[str, Finding]:
    """What a check finds, by fingerprint."""
    found = project.check().findings
    return dict(zip(Fingerprints(project.source).of(found), found, strict=True))


def _check_waivers(before: Iterable[Finding], left: Iterable[Finding]) -> None:
    """Raises ProjectError where something is wrong with the waivers that was not before."""
    known = {*before}
    new = [each for each in left if each.id.startswith("waiver-") and each not in known]
    if has_errors(new):
        raise ProjectError(new)


def _told(entry: dict[str, Any]) -> str:
    parts = [f"at {entry['at']}"] if "at" in entry else []
    parts += [f"in {', '.join(entry['environments'])}"] if "environments" in entry else []
    parts += [f"until {entry['until']}"] if "until" in entry else []
    return " ".join(parts)
