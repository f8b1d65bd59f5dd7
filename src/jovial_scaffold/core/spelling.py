"""The name among many that was probably meant by another."""

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from jovial_scaffold.core.limits import NAME_LENGTH, SUGGESTIONS

if TYPE_CHECKING:
    from jovial_scaffold.core.nearness import Nearness


class Speller:
    """Finds the known name that was probably meant by another. What is prepared for one name serves the next; what it costs is bounded."""

    def __init__(self, known: Iterable[str]) -> None:
        self._given = known
        self._known: list[str] | None = None
        self._folded: dict[str, str] = {}
        self._shortened: dict[str, str] = {}
        self._nearness: Nearness | None = None
        self._left = SUGGESTIONS.most

    def __reduce__(self) -> tuple[Any, ...]:
        return Speller, (_in_order(self._given) if self._known is None else self._known,)

    def near(self, name: str) -> str:
        """The known name that was probably meant, or nothing."""
        if self._known is None:
            self._known = _in_order(self._given)
            self._folded = {_folded(each): each for each in reversed(self._known)}
        same = self._folded.get(_folded(name))
        if same is not None and same != name:
            return same
        if len(name) > NAME_LENGTH.most * 4:
            return ""
        swapped = next((each for each in self._known if _is_swapped(name, each)), "") if len(name) <= _SHORT else ""
        if swapped:
            return swapped
        if len(self._known) > _FEW:
            one_off = self._one_off(name)
            if one_off or self._left <= 0:
                return one_off
        self._left -= 1
        import difflib

        candidates = [each for each in self._alike(name) if each != name and abs(len(each) - len(name)) <= max(3, len(name))]
        found = difflib.get_close_matches(name, candidates, 1, 0.7)
        return found[0] if found else ""

    def _one_off(self, name: str) -> str:
        """Of many names, one from which this differs by a letter."""
        if not self._shortened:
            for known in reversed(self._known or ()):
                for short in _without_a_letter(_folded(known)):
                    self._shortened[short] = known
        shorts = (_folded(name), *_without_a_letter(_folded(name)))
        # A letter too many is less than one for another.
        for table in (self._folded, self._shortened):
            for short in shorts:
                found = table.get(short)
                if found is not None and found != name:
                    return found
        return ""

    def _alike(self, name: str) -> list[str]:
        """The few known names that share most pairs of letters with this one, the rare pairs first."""
        known = self._known or []
        if len(known) <= _FEW:
            return known
        if self._nearness is None:
            from jovial_scaffold.core.nearness import Nearness

            self._nearness = Nearness(map(_pairs, known))
        return [known[number] for number in self._nearness.of(_pairs(name), _FEW)]


def _in_order(names: Iterable[Any]) -> list[str]:
    """Names as they were given; those of a set by their letters, since which comes first there is chance."""
    texts = map(str, names)
    return sorted(texts) if isinstance(names, set | frozenset) else list(texts)


_SHORT = 4  # letters of a name in which two that are swapped leave little that is alike
_FEW = 12  # names that are compared letter by letter


def _is_swapped(name: str, other: str) -> bool:
    """Whether two letters beside each other are in the other order."""
    apart = [at for at in range(len(name)) if name[at] != other[at]] if len(name) == len(other) else []
    return len(apart) == 2 and apart[1] == apart[0] + 1 and name[apart[0]] == other[apart[1]] and name[apart[1]] == other[apart[0]]


def is_slip(name: str, other: str) -> bool:
    """Whether two names differ by a slip: in case, by one letter, or by two that are in the other order."""
    one, two = _folded(name), _folded(other)
    if one == two or _is_swapped(one, two):
        return True
    if len(one) > len(two):
        one, two = two, one
    at = next((index for index in range(len(one)) if one[index] != two[index]), len(one))
    return (len(two) == len(one) + 1 and one[at:] == two[at + 1 :]) or (len(one) == len(two) and one[at + 1 :] == two[at + 1 :])


def slip_of(name: str, known: Iterable[str]) -> str:
    """The known name that was surely meant, or nothing."""
    close = near(name, known)
    return close if close and is_slip(name, close) else ""


def _folded(name: str) -> str:
    return name.casefold().replace("-", "_")


def _pairs(name: str) -> set[str]:
    folded = f" {_folded(name[: NAME_LENGTH.most])} "
    return {folded[at : at + 2] for at in range(len(folded) - 1)}


def _without_a_letter(name: str) -> list[str]:
    short = name[: NAME_LENGTH.most]
    return [short[:at] + short[at + 1 :] for at in range(len(short))]


def near(name: str, known: Iterable[str]) -> str:
    """The known name that was probably meant, or nothing."""
    return Speller(known).near(name)
