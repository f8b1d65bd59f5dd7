"""The rows of the board: all environments side by side, with what is written for each value and what drives it, as plain data."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import PLAIN
from jovial_scaffold.core.changes.aspects import Aspects, Counts
from jovial_scaffold.core.changes.matrix import WHOLE, Comparison, Row, Share, compare
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.reports.chains import Chains, cut_text, place_text
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.written_alike import WrittenAlike


class BoardRows(NamedTuple):
    """Resources, outputs and documents with their rows, the texts that these name by number and the nodes of why they are what they are; and what
    the rows that differ are about."""

    data: dict[str, Any]
    counts: Counts


def board_rows(renderings: Sequence[Evaluated], share: Share = WHOLE, unfolded: bool = False) -> BoardRows:
    """Those of a share; long texts are cut, secrets masked. What resources that are written alike have in common is told once, unless all is to be
    `unfolded`, as the page does it."""
    chains = Chains(renderings)
    alike = WrittenAlike(renderings, chains)
    comparison = compare(renderings, True if unfolded else lambda found: not alike.takes(found), echoes=True, share=share)
    texts, aspects = _Texts(), Aspects(comparison)
    rows: dict[str, list[Row]] = {address: [] for address in alike.taken}
    for row in comparison.rows:
        rows.setdefault(row.address, []).append(row)
    beside = {address for address, found in rows.items() if found and found[0].kind in ("output", "document")}
    resources = []
    for address in [*sorted(rows.keys() - beside), *[each for each in rows if each in beside]]:
        told = [_row(row, comparison, texts, chains, alike, aspects) for row in rows[address]]
        kind = rows[address][0].type if rows[address] else ""
        resources.append({"address": address, **_place(address, kind, renderings), "rows": told, **alike.entry(address)})
    data = {"texts": list(texts.known), "resources": resources, "alike": alike.groups, "written": alike.written, "nodes": chains.nodes}
    return BoardRows(data, aspects.counts())


class _Texts:
    """Each text once; rows hold its number."""

    def __init__(self) -> None:
        self.known: dict[str, int] = {}
        self.labels: dict[Pointer, str] = {}
        self._properties: dict[Any, dict[Any, int]] = {each: {} for each in PLAIN}

    def number_of(self, row: Row, name: str) -> int:
        """The number of the text of a value."""
        value = row.values[name]
        known = self._properties.get(type(value)) if row.kind == "property" else None
        if known is None:
            return self._number(_value(row, name))
        number = known.get(value)
        if number is None:
            number = known[value] = self._number(cell(value))
        return number

    def label_of(self, row: Row) -> str:
        """How a row is called."""
        if row.kind == "presence":
            return "present"
        if row.kind == "address":
            return "address"
        label = self.labels.get(row.pointer)
        if label is None:
            label = self.labels[row.pointer] = pointer_text(row.pointer) or "value"
        return label

    def _number(self, text: str) -> int:
        return self.known.setdefault(cut_text(text), len(self.known))


def _row(row: Row, comparison: Comparison, texts: _Texts, chains: Chains, alike: WrittenAlike, aspects: Aspects) -> list[Any]:
    """[label, values (a number of a text, or -1), differs, drivers, written, place, nodes read, aspect, what it repeats as an echo]; where what a
    resource has in common with others says what is written, the place of the part stands for the four after the drivers."""
    if row.differs or len(row.values) < len(comparison.environments):
        values = [texts.number_of(row, name) if name in row.values else -1 for name in comparison.environments]
    else:
        values = [texts.number_of(row, comparison.environments[0])] * len(comparison.environments)
    drivers = [[driver.parameter, driver.sources] for driver in row.drivers]
    told, at = [texts.label_of(row), values, int(row.counted), drivers], alike.place_of(row)
    return [*told, *((*chains.of(row), aspects.of(row)) if at is None else (at,)), cut_text(row.echo)]


def _value(row: Row, name: str) -> str:
    return "yes" if row.kind == "presence" else str(row.values[name]) if row.kind == "document" else cell(row.values[name])


def _place(address: str, kind: str, renderings: Sequence[Evaluated]) -> dict[str, Any]:
    """What a resource, output or document is, and where it is written."""
    for each in renderings:
        resource = each.resources.get(address)
        if resource is not None:
            use = resource.instance.scope.use
            found = {
                "type": resource.type_text,
                "place": place_text(resource.instance.resource.origin),
                "module": use.resource.type_text if use else "",
            }
            after = {other.label: list(other.resources[address].after) for other in renderings if address in other.resources}
            needed = sorted({address for addresses in after.values() for address in addresses})
            return {**found, "after": needed, "keep": resource.keep, "formerly": resource.formerly}
        if address in each.documents:
            return {"type": "document", "place": place_text(each.documents[address].document.origin), "module": "", "after": []}
        output = each.scope.template.output_at(address)
        if output is not None:
            return {"type": "output", "place": place_text(output.value.origin), "module": "", "after": []}
    return {"type": kind, "place": "", "module": "", "after": []}
