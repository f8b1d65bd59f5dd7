"""Who wrote a line: the commit since a deployment that brought it, by comparing the versions of its file one after the other."""

from bisect import bisect_left
from collections import Counter
from collections.abc import Sequence
from difflib import SequenceMatcher
from itertools import pairwise
from typing import NamedTuple

from jovial_scaffold.core.folders import Folder, History, Refusal, RevisionError

_COMMITS = 100  # that are looked through, at most
_PAIRS = 250_000  # of lines that are compared between two that are the same in both versions, at most


class Authored(NamedTuple):
    """A commit that brought a line, with its date (2026-11-23), author and subject; all empty where it is not committed yet."""

    commit: str
    date: str = ""
    author: str = ""
    subject: str = ""


class Untraced(Exception):
    """Two versions of a file differ in too much for a line to be followed."""


class _Step:
    """From a version of a file to the one before: where each line was."""

    def __init__(self, newer: Sequence[str], older: Sequence[str]) -> None:
        self._was: dict[int, int] = {}
        self._lost: set[int] = set()
        ends = [-1, -1]
        for at, was in [*_anchors(newer, older), (len(newer), len(older))]:
            self._between(newer[ends[0] + 1 : at], older[ends[1] + 1 : was], ends[0] + 1, ends[1] + 1)
            self._was[at] = was
            ends = [at, was]

    def before(self, at: int) -> int | None:
        """Where a line was; None where it was not there. Raises Untraced."""
        if at in self._lost:
            raise Untraced
        return self._was.get(at)

    def _between(self, newer: Sequence[str], older: Sequence[str], at: int, was: int) -> None:
        """The lines between two that are surely the same, from their places on."""
        least = min(len(newer), len(older))
        begins = next((each for each in range(least) if newer[each] != older[each]), least)
        alike = next((each for each in range(least - begins) if newer[-1 - each] != older[-1 - each]), least - begins)
        self._was.update((at + each, was + each) for each in range(begins))
        self._was.update((at + len(newer) - 1 - each, was + len(older) - 1 - each) for each in range(alike))
        new, old = newer[begins : len(newer) - alike], older[begins : len(older) - alike]
        if len(new) * len(old) > _PAIRS:
            self._lost.update(range(at + begins, at + len(newer) - alike))
            return
        for block in SequenceMatcher(None, old, new, autojunk=False).get_matching_blocks():
            self._was.update((at + begins + block.b + each, was + begins + block.a + each) for each in range(block.size))


def _anchors(newer: Sequence[str], older: Sequence[str]) -> list[tuple[int, int]]:
    """Lines that are there once in both, as many as have the same order in both."""
    counts, olds = Counter(newer), Counter(older)
    places = {line: at for at, line in enumerate(older) if olds[line] == 1}
    found = [(at, places[line]) for at, line in enumerate(newer) if counts[line] == 1 and line in places]
    heads: list[int] = []  # of the longest rows of each length, where the last line was
    lengths = []
    for _, was in found:
        length = bisect_left(heads, was)
        heads[length : length + 1] = [was]
        lengths.append(length)
    chosen: list[tuple[int, int]] = []
    wanted = len(heads) - 1
    for pair, length in zip(reversed(found), reversed(lengths), strict=True):
        if length == wanted and (not chosen or pair[1] < chosen[-1][1]):
            chosen.append(pair)
            wanted -= 1
    return chosen[::-1]


class Authorship:
    """The commits since a revision, of one project's folder. Raises RevisionError."""

    def __init__(self, here: Folder, history: History, since: str) -> None:
        self._history = history
        self._commits = history.touching(_COMMITS)  #: newest first
        self._folders = [here, *map(history.at, self._commits)]
        self._then = history.at(history.commit(since))
        self._files: dict[str, list[list[str] | None]] = {}
        self._all: dict[str, _Step] = {}
        self._steps: dict[tuple[str, int], _Step | None] = {}

    def of(self, file: str, line: int) -> Authored | None:
        """Who brought a line, as the file is now, counted from 1, or, where the line is as it was, the only change of its file; None where there
        are several, or nobody knows."""
        then, versions = _lines(self._then, file), self._versions(file)
        newest = versions[0]
        if newest is None or newest == then or not 0 < line <= len(newest):
            return None
        changes = self._changes(versions, then)
        if then is not None and self._since(file, newest, then).before(line - 1) is not None:
            return self._described(changes[0]) if len(changes) == 1 else None
        at: int | None = line - 1
        for number in range(len(versions) - 1):
            step = self._step(file, number)
            at = step.before(at) if step is not None and at is not None else None
            if at is None:
                return self._described(number)
        return None

    def _since(self, file: str, newest: Sequence[str], then: Sequence[str]) -> _Step:
        """From a file as it is now to what it was when it was deployed."""
        if file not in self._all:
            self._all[file] = _Step(newest, then)
        return self._all[file]

    def _step(self, file: str, number: int) -> _Step | None:
        """From a version of a file to the one before; None where either is not there."""
        key = (file, number)
        if key not in self._steps:
            newer, older = self._versions(file)[number : number + 2]
            self._steps[key] = _Step(newer, older) if newer is not None and older is not None else None
        return self._steps[key]

    def _changes(self, versions: Sequence[Sequence[str] | None], then: Sequence[str] | None) -> list[int]:
        """The versions that are not as the one before, from now on back to what was deployed."""
        found = []
        for number, (newer, older) in enumerate(pairwise(versions)):
            if newer == then:
                break
            found += [number] if newer != older else []
        return found

    def _versions(self, file: str) -> list[list[str] | None]:
        """The lines of a file as it is now, and as of each commit; None where it is not there."""
        if file not in self._files:
            found: list[list[str] | None] = []
            for folder in self._folders:
                lines = _lines(folder, file)
                found.append(found[-1] if found and found[-1] == lines else lines)  # most commits leave a file as it was
            self._files[file] = found
        return self._files[file]

    def _described(self, number: int) -> Authored:
        """The one after which a line is there: the files as they are now are the first."""
        if number == 0:
            return Authored("")
        commit = self._commits[number - 1]
        return Authored(commit, *self._history.described(commit))


def _lines(folder: Folder, file: str) -> list[str] | None:
    content = folder.read(file)
    return None if isinstance(content, Refusal) else content.decode("utf-8", "replace").splitlines()


def authors(here: Folder, history: History, since: str, places: Sequence[str]) -> dict[str, Authored]:
    """Who brought the lines at some places, `FILE:LINE`; what nobody knows is not there."""
    found: dict[str, Authored] = {}
    try:
        authorship = Authorship(here, history, since)
        for place in places:
            file, _, line = place.partition(",")[0].rpartition(":")
            authored = _authored(authorship, file, int(line)) if file and line.isdigit() else None
            if authored is not None:
                found[place] = authored
    except RevisionError:
        return found
    return found


def _authored(authorship: Authorship, file: str, line: int) -> Authored | None:
    try:
        return authorship.of(file, line)
    except Untraced:
        return None
