"""What many things have in common, said once: texts that differ in the middle, and items of one loop."""

import re
from collections import Counter
from collections.abc import Iterable, Sequence

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.reports.terminal import common_start

_IN_WORD, _FIRST_WORD, _LAST_WORD = regex(r"[\w.]"), regex(r"[\w.]+"), regex(r"[\w.]+\Z")
_LONG = 24  # characters of what texts have in common that are shown
FEW = 6  # items of a loop that are named one by one
MANY, _FIRST = 16, 12  # addresses that are named, and those that are where there are more


def in_common(texts: Sequence[str], most: int = _LONG) -> str:
    """What texts begin and end with, and a mark for what is between, where they differ; of either end at `most` so many characters."""
    first = texts[0]
    if all(each == first for each in texts):
        return first if len(first) <= most else f"{first[:most]}…"
    begins, ends = common_ends(texts)
    return f"{begins[:most]}…{ends[-most:]}"


def common_ends(texts: Sequence[str]) -> tuple[str, str]:
    """What texts begin and end with, without counting anything twice."""
    begins = common_start(texts)
    ends = common_start([each[len(begins) :][::-1] for each in texts])[::-1]
    return begins, ends


def whole_ends(texts: Sequence[str]) -> tuple[str, str]:
    """The same without splitting any word or number: of `30 days` and `60 days` it is ` days`."""
    begins, ends = common_ends(texts)
    rests = [each[len(begins) : len(each) - len(ends)] for each in texts]
    if any(_IN_WORD.match(each or ends[:1]) for each in rests):
        begins = begins[: len(begins) - _length(_LAST_WORD.search(begins))]
    if any(_IN_WORD.match((each or begins)[-1:]) for each in rests):
        ends = ends[_length(_FIRST_WORD.match(ends)) :]
    return begins, ends


def _length(found: re.Match[str] | None) -> int:
    return len(found[0]) if found else 0


def addresses_text(addresses: Iterable[str]) -> list[str]:
    """Addresses as `folded`; of very many, the first ones and how many others."""
    found = list(folded(addresses).items())
    if len(found) <= MANY:
        return [text for text, _ in found]
    others = sum(count for _, count in found[_FIRST:])
    return [*(text for text, _ in found[:_FIRST]), f"{others:,} others"]


def folded(addresses: Iterable[str]) -> dict[str, int]:
    """Addresses, and how many each text stands for; many items of one loop as one with their count: `slips/… (×100)`, and so what stands in each of
    many, however deep: `slips/…/gate (×100)`, `slips/…/gate/left (×100)`."""
    counts = Counter(folds(addresses).values())
    return {f"{text} (×{count:,})" if "…" in text.split("/") else text: count for text, count in counts.items()}


def folds(addresses: Iterable[str]) -> dict[str, str]:
    """For each address what it is folded into, without a count: `slips/…`; itself where it stands alone."""
    every = list(dict.fromkeys(addresses))
    kept = _without_steps([tuple(each.split("/")) for each in every], FEW)
    if len(set(kept)) > MANY:
        kept = _without_steps(kept, MANY)
    return dict(zip(every, map("/".join, kept), strict=True))


def _without_steps(addresses: Sequence[tuple[str, ...]], most: int) -> list[tuple[str, ...]]:
    """Addresses by their steps, each without the step, but the first, in which it differs from the most others, if they are more than `most`."""
    distinct = list(dict.fromkeys(addresses))
    alike = Counter(_without(each, at) for each in distinct for at in range(1, len(each)))
    best = {each: max((_without(each, at) for at in range(len(each) - 1, 0, -1)), key=alike.__getitem__, default=each) for each in distinct}
    chosen = Counter(best.values())
    return [best[each] if chosen[best[each]] > most else each for each in addresses]


def _without(steps: tuple[str, ...], at: int) -> tuple[str, ...]:
    return (*steps[:at], "…", *steps[at + 1 :])


def heads_text(addresses: Sequence[str]) -> str:
    """Addresses in one text; of items of one loop, the loop once: `gates/bri, kes`; of what stands in each of them, `slips/{1,2}/gate`; of
    very many items that are those of several loops, too, their count: `fire{0,3}/k… (×66)`."""
    loops: dict[tuple[str, str], list[str]] = {}
    for each in addresses:
        front, slash, last = each.rpartition("/")
        loops.setdefault((front + slash, ""), []).append(last)
    inner: dict[tuple[str, str], list[str]] = {}
    for (front, _), found in loops.items():
        outer, slash, step = front[:-1].rpartition("/")
        is_one = front and len(found) == 1
        inner.setdefault((outer + slash, f"/{found[0]}") if is_one else (front, ""), []).extend([step] if is_one else found)
    alike: dict[tuple[str, tuple[str, ...], str], list[str]] = {}
    for (front, end), found in inner.items():
        alike.setdefault(("" if len(found) > FEW else front, tuple(found), end), []).append(front)
    return ", ".join(
        [_items(fronts, found, end) for (_, found, end), fronts in alike.items()] if len(alike) <= FEW else addresses_text(addresses)
    )


def _items(fronts: Sequence[str], found: Sequence[str], end: str) -> str:
    """Items of a loop, of several that have the same, or what stands in them."""
    if len(found) > FEW:
        return f"{_fronts(fronts)}{common_start(found)}…{end} (×{len(found) * len(fronts):,})"
    return f"{fronts[0]}{{{','.join(found)}}}{end}" if end and len(found) > 1 else f"{fronts[0]}{', '.join(found)}{end}"


def _fronts(fronts: Sequence[str]) -> str:
    begins, ends = common_ends(fronts) if len(fronts) > 1 else (fronts[0], "")
    rests = [each[len(begins) : len(each) - len(ends)] for each in fronts]
    return begins + (f"{{{','.join(rests)}}}" if 1 < len(fronts) <= FEW else "…" if len(fronts) > FEW else "") + ends
