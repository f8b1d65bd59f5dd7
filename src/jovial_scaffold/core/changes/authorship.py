"""Who wrote a line: the commit since a deployment that brought it, by comparing the versions of its file one after the other."""

from collections.abc import Sequence
from difflib import SequenceMatcher
from itertools import pairwise
from typing import NamedTuple

from jovial_scaffold.core.folders import Folder, History, Refusal, RevisionError

_COMMITS = 100  # that are looked through, at most
_LINES = 20_000  # of a file in which lines are followed, at most


class Authored(NamedTuple):
    """A commit that brought a line, with its date (2026-11-23), author and subject; all empty where it is not committed yet."""

    commit: str
    date: str = ""
    author: str = ""
    subject: str = ""


class Authorship:
    """The commits since a revision, of one project's folder. Raises RevisionError."""

    def __init__(self, here: Folder, history: History, since: str) -> None:
        self._history = history
        self._commits = history.touching(_COMMITS)  #: newest first
        self._folders = [here, *map(history.at, self._commits)]
        self._then = history.at(history.commit(since))
        self._files: dict[str, list[list[str] | None]] = {}

    def of(self, file: str, line: int) -> Authored | None:
        """Who brought a line, as the file is now, counted from 1, or, where the line is as it was, the only change of its file; None where there
        are several, or nobody knows."""
        then, versions = _lines(self._then, file), self._versions(file)
        newest = versions[0]
        if newest is None or newest == then or not 0 < line <= len(newest):
            return None
        changes = self._changes(versions, then)
        if then is not None and _before(newest, then, line - 1) is not None:
            return self._described(changes[0]) if len(changes) == 1 else None
        at: int | None = line - 1
        for number, (newer, older) in enumerate(pairwise(versions)):
            at = _before(newer, older, at) if newer is not None and at is not None else None
            if at is None:
                return self._described(number)
        return None

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
            self._files[file] = [_lines(folder, file) for folder in self._folders]
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


def _before(newer: Sequence[str], older: Sequence[str] | None, at: int) -> int | None:
    """Where a line was before; None where it was not there."""
    if older is None or max(len(newer), len(older)) > _LINES:
        return None
    if newer == older:
        return at
    blocks = SequenceMatcher(None, older, newer, autojunk=False).get_matching_blocks()
    return next((block.a + at - block.b for block in blocks if block.b <= at < block.b + block.size), None)


def authors(here: Folder, history: History, since: str, places: Sequence[str]) -> dict[str, Authored]:
    """Who brought the lines at some places, `FILE:LINE`; what nobody knows is not there."""
    found: dict[str, Authored] = {}
    try:
        authorship = Authorship(here, history, since)
        for place in places:
            file, _, line = place.partition(",")[0].rpartition(":")
            authored = authorship.of(file, int(line)) if file and line.isdigit() else None
            if authored is not None:
                found[place] = authored
    except RevisionError:
        return found
    return found
