"""Where two texts differ, line by line, in a time that grows with their lengths."""

from collections.abc import Iterator, Sequence

_EXACT = 1_000_000  # pairs of lines that are looked at exactly
_WINDOW = 60  # lines within which two long texts are looked for together again

Difference = tuple[int, int, int, int]
"""Lines `first` to `last` of the old text, and `start` to `end` of the new one, which stand in their place."""


def differences(old: Sequence[str], new: Sequence[str]) -> list[Difference]:
    """What differs, in order; all between two of them is the same."""
    least = min(len(old), len(new))
    head = next((at for at in range(least) if old[at] != new[at]), least)
    tail = next((at for at in range(least - head) if old[-1 - at] != new[-1 - at]), least - head)
    before, after = old[head : len(old) - tail], new[head : len(new) - tail]
    found = _exact(before, after) if len(before) * len(after) <= _EXACT else _near(before, after)
    return [(first + head, last + head, start + head, end + head) for first, last, start, end in found]


def _exact(old: Sequence[str], new: Sequence[str]) -> Iterator[Difference]:
    import difflib  # only who shows a change needs it

    for tag, first, last, start, end in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if tag != "equal":
            yield first, last, start, end


def _near(old: Sequence[str], new: Sequence[str]) -> Iterator[Difference]:
    """Those of long texts: each is as short as what follows allows, and where they do not come together again, the rest is one."""
    at = line = 0
    while at < len(old) or line < len(new):
        if at < len(old) and line < len(new) and old[at] == new[line]:
            at, line = at + 1, line + 1
            continue
        gone, come = _passed(old, new, at, line)
        yield at, at + gone, line, line + come
        at, line = at + gone, line + come


def _passed(old: Sequence[str], new: Sequence[str], at: int, line: int) -> tuple[int, int]:
    """How many lines of each are passed until they are the same again, and not blank."""
    for both in range(1, _WINDOW):
        for gone in range(both + 1):
            here, there = at + gone, line + both - gone
            if here < len(old) and there < len(new) and old[here] == new[there] and old[here].strip():
                return gone, both - gone
    return len(old) - at, len(new) - line
