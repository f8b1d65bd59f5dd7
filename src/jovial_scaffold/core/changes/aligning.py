"""Values side by side, taken apart to leaves: items of lists meet by their `listKey`, else by what they have in common."""

import difflib
import itertools
from collections.abc import Iterator, Mapping, Sequence
from operator import itemgetter
from typing import Any, Final, NamedTuple, TypeVar

from jovial_scaffold.core.expressions.pending import Pending, equal_residuals
from jovial_scaffold.core.expressions.values import UNSEEN, Secret, equal
from jovial_scaffold.core.limits import ALIGNED_ITEMS, ALIGNED_LINES, ALIKE_TEXT
from jovial_scaffold.core.nearness import Nearness
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.schemas.lists import Lists
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN

PLAIN = frozenset((str, int, bool, float, type(None)))
"""The types of values that have no parts and no marks."""


class Alike:
    """What leaves have in common that are written alike, in a comparison of single templates: they differ between the same columns, for the same
    reasons. It is compared by being the same one."""

    __slots__ = ("is_joined",)

    def __init__(self, is_joined: bool) -> None:
        #: whether words may stand around what they have in common
        self.is_joined = is_joined


class Leaf(NamedTuple):
    """A part that is not taken apart further. `label` has keys of list items where `at`, the real pointers, have positions.

    Both maps are from column to what that column has; a column that is in neither has no such part. `text` is what all leaves have in
    common that are written alike, where that is known, and `computed` which of the values it is that a single resource's code computes.
    """

    label: Pointer
    at: dict[int, Pointer]
    values: dict[int, Any]
    differs: bool
    text: Alike | None = None
    computed: int | None = None


Key = TypeVar("Key")
Held = list[tuple[int, Any, Pointer]]
"""Columns that have a value: the column's number, the value, and the pointer to it there."""


def same(a: Any, b: Any) -> bool:
    """Whether two rendered values are equal; pending ones with equal residuals are, unknown ones are not judged."""
    kind = type(a)
    if kind is type(b) and kind in PLAIN:
        return bool(a == b)
    if a is UNKNOWN or b is UNKNOWN:
        return a is b
    if isinstance(a, Pending) or isinstance(b, Pending):
        return isinstance(a, Pending) and isinstance(b, Pending) and equal_residuals(a, b)
    if isinstance(a, Secret) or isinstance(b, Secret):
        if not (isinstance(a, Secret) and isinstance(b, Secret)):
            return False
        # What nobody can see is not said to differ.
        return a.value is UNSEEN or b.value is UNSEEN or same(a.value, b.value)
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(map(same, a, b))
    if isinstance(a, dict) and isinstance(b, dict):
        if a.keys() != b.keys():
            return False
        for key, value in a.items():
            other = b[key]
            kind = type(value)
            if (value != other) if kind is type(other) and kind in PLAIN else not same(value, other):
                return False
        return True
    return equal(a, b)


class _How(NamedTuple):
    """How values are taken apart; `columns` is how many could have each leaf."""

    lists: Lists
    columns: int
    everything: bool
    whole: bool


def leaves(values: Mapping[int, Any], lists: Lists, columns: int, everything: bool = False, whole: bool = False) -> Iterator[Leaf]:
    """The leaves of some columns' values that differ, or all. With `whole`, what only one of two columns has is one leaf, however deep."""
    how = _How(lists, columns, everything, whole)
    yield from _leaves([(column, value, ()) for column, value in values.items()], (), (), how)


def _leaves(held: Held, label: Pointer, within: Pointer, how: _How) -> Iterator[Leaf]:
    first = held[0][1]
    columns, everything = how.columns, how.everything
    if how.whole and len(held) == 1 < columns:
        yield Leaf(label, {held[0][0]: held[0][2]}, {held[0][0]: first}, True)
        return
    values = [value for _, value, _ in held]
    kinds = set(map(type, values))
    if kinds == {dict} and any(values):  # whether they are alike, their entries say
        if everything or len(held) < columns or not all(value is first for value in values):
            yield from _entries(held, label, within, how)
        return
    if len(kinds) == 1 and not kinds.isdisjoint(PLAIN):
        equal_values = values.count(first) == len(values)
    else:
        equal_values = all(value is first or same(first, value) for value in values[1:])
    if kinds == {list} and not equal_values and how.lists.any_order(within):
        equal_values = all(_same_in_any_order(first, value) for value in values[1:])
    alike = len(held) == columns and equal_values
    if alike and not everything:
        return
    if kinds == {list} and any(isinstance(item, dict | list) for value in values for item in value):
        yield from _items(held, label, within, how)
    else:
        yield Leaf(label, {column: at for column, _, at in held}, {column: value for column, value, _ in held}, not alike)


def _entries(held: Held, label: Pointer, within: Pointer, how: _How) -> Iterator[Leaf]:
    maps = [value for _, value, _ in held]
    keys = maps[0].keys()
    if len(held) == how.columns and not how.everything and keys and all(each.keys() == keys for each in maps):
        names = sorted(keys)
        # Most entries are plain and alike: those are told apart without a look at each.
        rows = zip(*map(itemgetter(*names), maps), strict=True) if len(names) > 1 else [tuple(each[names[0]] for each in maps)]
        names = [name for name, row in zip(names, rows, strict=True) if not are_alike(row)]
    else:
        names = sorted(set().union(*maps))
    for key in names:
        below = [(column, value[key], (*at, key)) for column, value, at in held if key in value]
        yield from _leaves(below, (*label, key), (*within, key), how)


def are_alike(values: tuple[Any, ...]) -> bool:
    """Whether plain values are all equal, told quickly."""
    first = values[0]
    return type(first) in PLAIN and len(set(map(type, values))) == 1 and values.count(first) == len(values)


def _items(held: Held, label: Pointer, within: Pointer, how: _How) -> Iterator[Leaf]:
    rows: list[tuple[str | int, dict[int, int]]]
    key = how.lists.key(within)
    found = _by_key(held, key) if key is not None else None
    if found is not None:
        rows = list(found.items())
    else:
        rows = list(enumerate(matched([(column, value) for column, value, _ in held])))
        if _moved(rows, [column for column, *_ in held]) and not how.lists.any_order(within):
            # Their order means something: what only moved is a change of the list as a whole.
            yield Leaf(label, {column: at for column, _, at in held}, {column: value for column, value, _ in held}, True)
            return
    for step, positions in rows:
        below = [(column, value[positions[column]], (*at, positions[column])) for column, value, at in held if column in positions]
        yield from _leaves(below, (*label, step), (*within, 0), how)


def _moved(rows: list[tuple[str | int, dict[int, int]]], columns: list[int]) -> bool:
    """Whether items that belong together do not stand in the same order in all columns."""
    for one, other in itertools.combinations(columns, 2):
        places = [(positions[one], positions[other]) for _, positions in rows if one in positions and other in positions]
        places.sort()
        if any(before > after for (_, before), (_, after) in itertools.pairwise(places)):
            return True
    return False


def _same_in_any_order(some: list[Any], others: list[Any]) -> bool:
    """Whether two lists hold the same items, however often they are in each."""
    if len(some) != len(others):
        return False
    left: dict[str, list[Any]] = {}
    for item in some:
        left.setdefault(repr(item), []).append(item)
    for item in others:
        alike = left.get(repr(item), [])
        spot = next((index for index, each in enumerate(alike) if same(each, item)), None)
        if spot is None:
            return False
        alike.pop(spot)
    return True


def changed_at(before: Any, after: Any, lists: Lists, label: Pointer) -> bool:
    """Whether two values differ at the label of a leaf, inside of it, or around it."""
    sides = [before, after]
    within: Pointer = ()
    for step in label:
        if all(isinstance(side, dict) for side in sides):
            found = [side.get(step, _NONE) for side in sides]
            below = step
        elif all(isinstance(side, list) for side in sides) and (key := lists.key(within)) is not None:
            found = [next((item for item in side if isinstance(item, dict) and str(item.get(key)) == str(step)), _NONE) for side in sides]
            below = 0
        else:  # which items belong together, only both lists as a whole say
            break
        if found[0] is _NONE or found[1] is _NONE:
            return found[0] is not found[1]
        sides, within = found, (*within, below)
    rest = label[len(within) :]
    if not rest and type(sides[0]) in PLAIN and type(sides[1]) in PLAIN:
        return not same(*sides)
    held: Held = [(side, value, ()) for side, value in enumerate(sides)]
    for leaf in _leaves(held, (), within, _How(lists, 2, False, False)):
        if leaf.label[: len(rest)] == rest or rest[: len(leaf.label)] == leaf.label:
            return True
    return False


_NONE: Final = object()


def _by_key(held: Held, key: str) -> dict[str, dict[int, int]] | None:
    """Where each column has the item with a key; None where items have none, or share one."""
    found: dict[str, dict[int, int]] = {}
    for column, value, _ in held:
        keys = [item.get(key) if type(item) is dict else None for item in value]
        if not all(type(each) is str or isinstance(each, int) for each in keys):
            return None
        names = list(map(str, keys))
        if len(set(names)) < len(names):
            return None
        for position, name in enumerate(names):
            found.setdefault(name, {})[column] = position
    return found


def matched(columns: Sequence[tuple[int, list[Any]]]) -> list[dict[int, int]]:
    """Items that belong together, as positions by column: those most alike to the first column's, in its order; others follow."""
    rows: list[tuple[Any, dict[int, int]]] = []
    for column, items in columns:
        taken: set[int] = set()
        placed: dict[int, int] = {}
        for position, index in _pairs([item for item, _ in rows], items):
            placed[position] = index
            taken.add(index)
        for position, item in enumerate(items):
            if position in placed:
                rows[placed[position]][1][column] = position
            else:
                rows.append((item, {column: position}))
    return [positions for _, positions in rows]


def _pairs(known: list[Any], items: list[Any]) -> Iterator[tuple[int, int]]:
    """Pairs (position among the items, index among the known), the most alike first, each used once."""
    left, right = dict.fromkeys(range(len(items))), dict.fromkeys(range(len(known)))
    # What is equal belongs together, wherever it stands; what is left meets by likeness, then by position.
    written: dict[str, list[int]] = {}
    for index in right:
        written.setdefault(repr(known[index]), []).append(index)
    for position in tuple(left):
        written_alike = written.get(repr(items[position]), [])
        spot = next((spot for spot, index in enumerate(written_alike[:_NEAR]) if same(known[index], items[position])), None)
        if spot is not None:
            index = written_alike.pop(spot)
            del left[position], right[index]
            yield position, index
    scored = sorted(
        (-likeness(known[index], items[position]), abs(index - position), position, index)
        for position, index in likely_pairs([(at, items[at]) for at in left], [(at, known[at]) for at in right])
    )
    for score, _, position, index in scored:
        if score <= -_RELATED and position in left and index in right:
            del left[position], right[index]
            yield position, index


def likely_pairs(some: Sequence[tuple[Key, Any]], others: Sequence[tuple[Key, Any]]) -> Iterator[tuple[Key, Key]]:
    """The keys of values that may be much alike: of few every pair, of many those that share most of what stands in them."""
    if len(some) * len(others) <= ALIGNED_ITEMS.most:
        yield from ((one, other) for one, _ in some for other, _ in others)
        return
    nearness = Nearness(set(_features(value)) for _, value in others)
    for one, value in some:
        yield from ((one, others[number][0]) for number in nearness.of(set(_features(value)), _NEAR))


_NEAR = 12
_RELATED = 0.25  # what items have in common at the least, to be one item that changed
_WORDS = regex(r"[^\W_]+")


def _features(value: Any, within: str = "") -> Iterator[str]:
    """The words of a value, each with the keys around it; of secrets none."""
    if isinstance(value, dict):
        for key, item in value.items():
            yield from _features(item, f"{within}/{key}")
    elif isinstance(value, list):
        for item in value:
            yield from _features(item, within)
    elif isinstance(value, str) and len(value) <= ALIKE_TEXT.most:
        yield from (f"{within} {word}" for word in _WORDS.findall(value))
        yield f"{within}={value}"
    elif isinstance(value, Pending):
        yield from (f"{within}<{origin}" for origin in value.origins)
    elif not isinstance(value, Secret):
        yield f"{within}={value!r}"


def likeness(a: Any, b: Any) -> float:
    """How much two values have in common: 0 nothing, 1 everything; of maps the share of entries, of texts that of characters."""
    if isinstance(a, dict) and isinstance(b, dict):
        keys = a.keys() | b.keys()
        return sum(likeness(a[key], b[key]) for key in keys if key in a and key in b) / len(keys) if keys else 1.0
    if isinstance(a, list) and isinstance(b, list):
        longest = max(len(a), len(b))
        return sum(map(likeness, a, b)) / longest if longest else 1.0
    if same(a, b):
        return 1.0
    if isinstance(a, str) and isinstance(b, str) and len(a) + len(b) <= ALIKE_TEXT.most:
        return difflib.SequenceMatcher(None, a, b, autojunk=False).ratio() * 0.8
    return 0.0


def matched_lines(columns: Sequence[tuple[int, list[str]]]) -> list[dict[int, int]]:
    """Lines that belong together, as positions by column, in an order that every column keeps."""
    rows: list[dict[int, int]] = []
    texts: list[str] = []
    for column, lines in columns:
        matcher = difflib.SequenceMatcher(None, texts, lines, autojunk=False) if len(texts) * len(lines) <= ALIGNED_LINES.most else None
        blocks = matcher.get_opcodes() if matcher else [("replace", 0, len(texts), 0, len(lines))]
        following: list[dict[int, int]] = []
        kept: list[str] = []
        for _, first, last, start, end in blocks:
            for offset in range(max(last - first, end - start)):
                row = rows[first + offset] if first + offset < last else {}
                if start + offset < end:
                    row[column] = start + offset
                following.append(row)
                kept.append(texts[first + offset] if first + offset < last else lines[start + offset])
        rows, texts = following, kept
    return rows
