"""Where a value was found, as text and as versioned JSON."""

from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core.changes.finding import Hit
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.reports.folding import FEW, addresses_text, in_common
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.terminal import Style, cut_within
from jovial_scaffold.reports.words import counted, listed, path_shown, visible

_WORDS = {
    "equal": "Exactly this",
    "part": "As a part",
    "range": "In the same range of addresses",
}
_MOST = 40
_LONGEST = 1_000  # characters of what values have in common
_SOURCES = 4  # lines that are named of where a value comes from


def hits_text(text: str, environments: Sequence[str], hits: Sequence[Hit], style: Style, base: str = "") -> str:
    """The hits, whole values first."""
    return "\n".join(_lines(text, environments, hits, style, base)) + "\n"


def _lines(text: str, environments: Sequence[str], hits: Sequence[Hit], style: Style, base: str) -> Iterator[str]:
    if not hits:
        yield f"Nothing here holds {visible(text)}: it is in no property, output, document or table of {listed(environments)}."
        yield style.paint("faint", "Secrets are not looked through: whoever could search for them could guess them.")
        return
    for how, heading in _WORDS.items():
        found = [hit for hit in hits if hit.how == how]
        if not found:
            continue
        yield style.paint("strong", f"{heading}: {counted(len(found), 'place')}")
        groups = _groups(found)
        for alike in groups[:_MOST]:
            yield from _hit(alike, environments, style, base)
        if len(groups) > _MOST:
            left = sum(map(len, groups[_MOST:]))
            yield style.paint("faint", f"  and {counted(left, 'more place', 'more places')}; --format json has them all")


def _groups(hits: Sequence[Hit]) -> list[list[Hit]]:
    """The hits, those together that many resources have of the same line, in the same property and environments."""
    found: dict[object, list[Hit]] = {}
    for each in hits:
        found.setdefault((each.kind, _parts(each)[1], each.span, each.environments), []).append(each)
    return [group for alike in found.values() for group in ([alike] if len(alike) > FEW else [[each] for each in alike])]


def _parts(hit: Hit) -> tuple[str, str]:
    """The address and the property."""
    address, colon, pointer = hit.name.partition(":")
    return address, colon + pointer


def _with_property(address: str, pointer: str) -> str:
    """Some addresses, as they are folded, with a property; only their number says nothing of it."""
    if address.endswith(" others"):
        return address
    front, times, count = address.partition(" (×")
    return f"{front}{pointer}{times}{count}"


def _hit(alike: Sequence[Hit], environments: Sequence[str], style: Style, base: str) -> Iterator[str]:
    hit, sources = alike[0], list(dict.fromkeys(source for each in alike for source in each.sources))
    where = "every environment" if set(hit.environments) == set(environments) and len(environments) > 1 else listed(hit.environments)
    kind = {"property": "", "catalog": " (a default of its type)", "output": " (output)", "document": " (document)", "table": ""}[hit.kind]
    told = "" if hit.kind == "table" else f" in {where}"
    names = (
        [hit.name]
        if len(alike) == 1
        else [_with_property(each, _parts(hit)[1]) for each in addresses_text(_parts(each)[0] for each in alike)]
    )
    yield f"  {style.paint('strong', visible(', '.join(names)))}{kind}{told}"
    if hit.how != "equal":
        yield f"    {cut_within(visible(in_common([each.value for each in alike], _LONGEST)), style.width - 4)}"
    place = f"{path_shown(base, hit.span.file)}:{hit.span.line}" if hit.span else ""
    shown = [path_shown(base, each) for each in sources[:_SOURCES]]
    behind = f", from {listed([*shown, *([f'{len(sources) - _SOURCES:,} more'] if len(sources) > _SOURCES else [])])}" if sources else ""
    if place:
        yield f"    {style.paint('place', visible(place))}{visible(behind)}"


def find_document(
    project: str, text: str, environments: Sequence[str], hits: Sequence[Hit], findings: Sequence[Finding] = ()
) -> dict[str, Any]:
    """`jovial-find/1`; `findings` are the errors that leave values unknown."""
    return {
        "format": "jovial-find/1",
        "project": project,
        "text": text,
        "environments": list(environments),
        "hits": [
            {
                "kind": hit.kind,
                "name": hit.name,
                "value": hit.value,
                "how": hit.how,
                "environments": list(hit.environments),
                "file": hit.span.file if hit.span else None,
                "line": hit.span.line if hit.span else None,
                "sources": list(hit.sources),
            }
            for hit in hits
        ],
        **({"findings": [finding_entry(each) for each in findings]} if findings else {}),
    }
