"""Where a value was found, as text and as versioned JSON."""

from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core.changes.finding import Hit
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.terminal import Style, cut_within
from jovial_scaffold.reports.words import counted, listed, path_shown, visible

_WORDS = {
    "equal": "Exactly this",
    "part": "As a part",
    "range": "In the same range of addresses",
}
_MOST = 40


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
        for hit in found[:_MOST]:
            yield from _hit(hit, environments, style, base)
        if len(found) > _MOST:
            yield style.paint("faint", f"  and {counted(len(found) - _MOST, 'more place', 'more places')}; --format json has them all")


def _hit(hit: Hit, environments: Sequence[str], style: Style, base: str) -> Iterator[str]:
    where = "every environment" if set(hit.environments) == set(environments) and len(environments) > 1 else listed(hit.environments)
    kind = {"property": "", "catalog": " (a default of its type)", "output": " (output)", "document": " (document)", "table": ""}[hit.kind]
    told = "" if hit.kind == "table" else f" in {where}"
    yield f"  {style.paint('strong', visible(hit.name))}{kind}{told}"
    if hit.how != "equal":
        yield f"    {cut_within(visible(hit.value), style.width - 4)}"
    place = f"{path_shown(base, hit.span.file)}:{hit.span.line}" if hit.span else ""
    behind = f", from {listed(path_shown(base, each) for each in hit.sources)}" if hit.sources else ""
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
