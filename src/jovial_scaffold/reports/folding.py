"""What many things have in common, said once: texts that differ in the middle, and items of one loop."""

from collections import Counter
from collections.abc import Iterable, Sequence

from jovial_scaffold.reports.terminal import common_start

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
    """What texts begin and end with, without counting anything twice; whole words and numbers are not split."""
    begins = common_start(texts)
    ends = common_start([each[len(begins) :][::-1] for each in texts])[::-1]
    return begins, ends


def addresses_text(addresses: Iterable[str]) -> list[str]:
    """Addresses as `folded`; of very many, the first ones and how many others."""
    found = list(folded(addresses).items())
    if len(found) <= MANY:
        return [text for text, _ in found]
    others = sum(count for _, count in found[_FIRST:])
    return [*(text for text, _ in found[:_FIRST]), f"{others:,} others"]


def folded(addresses: Iterable[str]) -> dict[str, int]:
    """Addresses, and how many each text stands for; many items of one loop as one with their count: `slips/… (×100)`, and so what stands in each of
    many: `slips/…/gate (×100)`."""
    every = list(dict.fromkeys(addresses))
    loops = Counter(each.rpartition("/")[0] for each in every if "/" in each)
    inner = Counter(_around_step(each) for each in every if each.count("/") > 1 and loops[each.rpartition("/")[0]] <= FEW)
    texts: dict[str, int] = {}
    for each in every:
        name, slash, _ = each.rpartition("/")
        before, behind = _around_step(each)
        if slash and loops[name] > FEW:
            told = f"{name}/… (×{loops[name]:,})"
        elif inner[before, behind] > FEW:
            told = f"{before}/…/{behind} (×{inner[before, behind]:,})"
        else:
            told = each
        texts[told] = texts.get(told, 0) + 1
    return texts


def _around_step(address: str) -> tuple[str, str]:
    """What stands before and behind the last step but one."""
    front, _, last = address.rpartition("/")
    return front.rpartition("/")[0], last


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
    return ", ".join(_items(fronts, found, end) for (_, found, end), fronts in alike.items())


def _items(fronts: Sequence[str], found: Sequence[str], end: str) -> str:
    """Items of a loop, of several that have the same, or what stands in them."""
    if len(found) > FEW:
        return f"{_fronts(fronts)}{common_start(found)}…{end} (×{len(found) * len(fronts):,})"
    return f"{fronts[0]}{{{','.join(found)}}}{end}" if end and len(found) > 1 else f"{fronts[0]}{', '.join(found)}{end}"


def _fronts(fronts: Sequence[str]) -> str:
    begins, ends = common_ends(fronts) if len(fronts) > 1 else (fronts[0], "")
    rests = [each[len(begins) : len(each) - len(ends)] for each in fronts]
    return begins + (f"{{{','.join(rests)}}}" if 1 < len(fronts) <= FEW else "…" if len(fronts) > FEW else "") + ends
