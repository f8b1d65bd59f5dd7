"""Environments that belong together: by how many rows tell them apart, texts that only repeat a parameter aside."""

from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import combinations, pairwise
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.matrix import Comparison, Row

_WIDER = 2  # how many times as far apart families are as what they hold, at least
_OWN = 6  # values in a row that one environment alone has, each another: of so many, none tells who belongs together
_IS_OWN = -2


class Family(NamedTuple):
    """Some environments, and the rows in which they differ among themselves."""

    environments: tuple[str, ...]
    rows: tuple[Row, ...]


class Families(NamedTuple):
    """All environments in families, the largest first; of two families, the rows in which all of one differ from all of the other, by their
    numbers in `families`. In the rows of `own`, many environments have a value that no other has: as those, they are alike."""

    families: tuple[Family, ...]
    apart: Mapping[tuple[int, int], tuple[Row, ...]]
    own: tuple[Row, ...]


def families(comparison: Comparison) -> Families:
    """The environments of a comparison, in which echoes were looked for. Complete linkage: two environments of one family are never farther
    apart than where the families were told from each other, which is at the widest step from one joining to the next."""
    names = comparison.environments
    rows = [row for row in comparison.differences if not row.echo]
    sides = [_sides(row, names) for row in rows]
    own = tuple(row for row, side in zip(rows, sides, strict=True) if _IS_OWN in side)
    alike: dict[tuple[int, ...], list[int]] = {}
    for number in range(len(names)):
        alike.setdefault(tuple(side[number] for side in sides), []).append(number)
    heads = {each[0]: each for each in alike.values()}  # of environments that nothing tells apart, one stands for all
    apart = {(one, other): sum(each[one] != each[other] for each in sides) for one, other in combinations(heads, 2)}

    def distance(one: Sequence[int], other: Sequence[int]) -> int:
        return max(apart[min(a, b), max(a, b)] for a in one for b in other)

    groups = [[number] for number in heads]
    joined: list[tuple[int, list[list[int]]]] = [(0, groups)]
    while len(groups) > 1:
        one, other = min(combinations(range(len(groups)), 2), key=lambda pair: (distance(groups[pair[0]], groups[pair[1]]), pair))
        far = distance(groups[one], groups[other])
        rest = [group for number, group in enumerate(groups) if number not in (one, other)]
        groups = sorted([*rest, sorted(groups[one] + groups[other])])
        joined.append((far, groups))
    chosen = [sorted(each for head in group for each in heads[head]) for group in _at_the_widest_step(joined)]
    found = sorted(chosen, key=lambda group: (-len(group), group))
    told = tuple(
        Family(tuple(names[each] for each in group), tuple(row for row, side in zip(rows, sides, strict=True) if _differs(side, group)))
        for group in found
    )
    between = {
        (one, other): tuple(row for row, side in zip(rows, sides, strict=True) if _tells(side, found[one], found[other]))
        for one, other in combinations(range(len(found)), 2)
    }
    return Families(told, between, own)


def _at_the_widest_step(joined: Sequence[tuple[int, list[list[int]]]]) -> list[list[int]]:
    """The groups before the first joining that is much wider than the one before; all in one, where none is."""
    steps = [(after[0] - before[0], number) for number, (before, after) in enumerate(pairwise(joined))]
    wide = [
        (step, -number)
        for step, number in steps
        if step and joined[number + 1][0] >= _WIDER * joined[number][0]  # what is alike is alike, however near the next is
    ]
    return joined[-max(wide)[1]][1] if wide else joined[-1][1]


def _sides(row: Row, names: Sequence[str]) -> list[int]:
    """For each environment a number, the same for those with the same value, and for those of many with a value of their own."""
    kinds: list[Any] = []
    found = []
    for name in names:
        if name not in row.values:
            found.append(-1)
            continue
        value = row.values[name]
        number = next((number for number, each in enumerate(kinds) if same(each, value)), len(kinds))
        if number == len(kinds):
            kinds.append(value)
        found.append(number)
    held = Counter(found)
    alone = {number for number, count in held.items() if count == 1 and number >= 0}
    return [_IS_OWN if number in alone else number for number in found] if len(alone) >= _OWN else found


def _differs(side: Sequence[int], group: Sequence[int]) -> bool:
    return len({side[each] for each in group}) > 1


def _tells(side: Sequence[int], one: Sequence[int], other: Sequence[int]) -> bool:
    """Whether no environment of one group has what one of the other has."""
    return {side[each] for each in one}.isdisjoint(side[each] for each in other)
