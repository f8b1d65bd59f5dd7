"""The name among many that was probably meant by another."""

from collections.abc import Iterable
from typing import Any

from jovial_scaffold.core.limits import NAME_LENGTH, SUGGESTIONS


class Speller:
    """Finds the known name that was probably meant by another. What is prepared for one name serves the next; what it costs is bounded."""

    def __init__(self, known: Iterable[str]) -> None:
        self._given = known
        self._known: list[str] | None = None
        self._folded: dict[str, str] = {}
        self._shortened: dict[str, str] = {}
        self._left = SUGGESTIONS.most

    def __reduce__(self) -> tuple[Any, ...]:
        return Speller, (list(self._given) if self._known is None else self._known,)

    def near(self, name: str) -> str:
        """The known name that was probably meant, or nothing."""
        if self._known is None:
            self._known = [str(each) for each in self._given]
            self._folded = {_folded(each): each for each in reversed(self._known)}
        same = self._folded.get(_folded(name))
        if same is not None and same != name:
            return same
        if len(name) > NAME_LENGTH.most * 4:
            return ""
        if len(self._known) > _FEW:
            one_off = self._one_off(name)
            if one_off or self._left <= 0:
                return one_off
        self._left -= len(self._known)
        import difflib

        candidates = [each for each in self._known if each != name and abs(len(each) - len(name)) <= max(3, len(name))]
        found = difflib.get_close_matches(name, candidates, 1, 0.7)
        return found[0] if found else ""

    def _one_off(self, name: str) -> str:
        """Of many names, one from which this differs by a letter."""
        if not self._shortened:
            for known in reversed(self._known or ()):
                for short in _without_a_letter(_folded(known)):
                    self._shortened[short] = known
        for short in (_folded(name), *_without_a_letter(_folded(name))):
            found = self._shortened.get(short) or self._folded.get(short)
            if found is not None and found != name:
                return found
        return ""


_FEW = 200  # names that are all compared with each one that is looked for


def _folded(name: str) -> str:
    return name.casefold().replace("-", "_")


def _without_a_letter(name: str) -> list[str]:
    short = name[: NAME_LENGTH.most]
    return [short[:at] + short[at + 1 :] for at in range(len(short))]


def near(name: str, known: Iterable[str]) -> str:
    """The known name that was probably meant, or nothing."""
    return Speller(known).near(name)
