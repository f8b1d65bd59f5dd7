"""The rows of the board: all environments side by side, with what is written for each value and what drives it, as plain data."""

from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import chain
from typing import Any, NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.aligning import PLAIN
from jovial_scaffold.core.changes.aspects import Aspects, Counts
from jovial_scaffold.core.changes.matrix import Comparison, Matrix, Row
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.reports.chains import LONGEST, Chains, cut_text
from jovial_scaffold.reports.rendering import cell, cells_beside
from jovial_scaffold.reports.shared_rows import SharedRows, ToldRow, told_drivers
from jovial_scaffold.reports.terminal import cut, cut_apart
from jovial_scaffold.reports.words import visible
from jovial_scaffold.reports.woven_chains import WovenChains
from jovial_scaffold.reports.written_alike import WrittenAlike


class Share(NamedTuple):
    """Some of the addresses of renderings: of so many `shares` of about one size, the one of this `number`."""

    number: int = 0
    shares: int = 1

    def of(self, addresses: Sequence[str]) -> Sequence[str]:
        """Its addresses, of all in order."""
        count = len(addresses)
        return addresses[count * self.number // self.shares : count * (self.number + 1) // self.shares]


class BoardRows(NamedTuple):
    """Resources, outputs and documents with their rows, the texts that these name by number and the nodes of why they are what they are; and what
    the rows that differ are about."""

    data: dict[str, Any]
    counts: Counts


def board_rows(
    renderings: Sequence[Evaluated],
    shares: Iterable[Share] = (Share(),),
    beside: bool = True,
    unfolded: bool = False,
    aspects: Aspects | None = None,
) -> BoardRows:
    """Those of some shares, and those `beside` resources; long texts are cut, secrets masked. What resources that are written alike have in common
    is told once, unless all is to be `unfolded`, as the page does it. Others may have the `aspects`, too."""
    chains = Chains(renderings) if unfolded else WovenChains(renderings)
    alike = WrittenAlike(renderings, chains)
    shared = SharedRows(alike, len({each.scope.template for each in renderings}) == 1)
    matrix = Matrix(renderings, True if unfolded else shared.wanted, echoes=True)
    telling = _Telling([each.label for each in renderings], chains, shared, aspects or Aspects(columns_only(renderings)))
    shared.ask(matrix, telling.texts.of)
    counts: Counter[tuple[str, bool]] = Counter()
    resources = []
    for address in chain.from_iterable(share.of(matrix.addresses) for share in shares):
        rows = shared.own([telling.told(row) for row in matrix.rows(address)])
        if rows:
            counts.update((each.aspect, bool(each.row.echo)) for each in rows if each.row.counted)
        kind = rows[0].row.type if rows else ""
        resources.append(
            {"address": address, **_place(address, kind, renderings, chains), "rows": [each.told for each in rows], **shared.entry()}
        )
    shared.held = None
    others: dict[str, list[ToldRow]] = {}
    for row in matrix.beside() if beside else ():
        others.setdefault(row.address, []).append(telling.told(row))
    for address, rows in others.items():
        counts.update((each.aspect, bool(each.row.echo)) for each in rows if each.row.counted)
        resources.append(
            {"address": address, **_place(address, rows[0].row.type, renderings, chains), "rows": [each.told for each in rows]}
        )
    for aspect, is_echo, times in shared.counts():
        counts[aspect, is_echo] += times
    data = {
        "texts": list(telling.texts.known),
        "resources": resources,
        "alike": alike.groups,
        "written": alike.written,
        "shared": shared.rows,
        "nodes": chains.nodes,
        **({"forms": chains.forms, "uses": chains.uses} if isinstance(chains, WovenChains) else {}),
    }
    return BoardRows(data, {aspect: (counts[aspect, False] + counts[aspect, True], counts[aspect, True]) for aspect, _ in counts})


def columns_only(renderings: Sequence[Evaluated]) -> Comparison:
    """The columns of a comparison, of which the rows are made elsewhere."""
    return Comparison(tuple(each.label for each in renderings), (), 0, 0, tuple(renderings), lambda _: True)


class _Texts:
    """Each text once; rows hold its number."""

    def __init__(self) -> None:
        self.known: dict[str, int] = {}
        self.labels: dict[Pointer, str] = {}
        self._properties: dict[Any, dict[Any, int]] = {each: {} for each in PLAIN}
        self._unclear: set[int] = set()  # the numbers of texts that hold a secret, or are cut: what is not equal may read the same

    def number_of(self, row: Row, name: str) -> int:
        """The number of the text of a value."""
        value = row.values[name]
        return self.of(value) if row.kind == "property" else self._number(_value(row, name))

    def numbers_of(self, row: Row) -> dict[str, int]:
        """Those of all values, of which no two that are not equal have the same: where only secrets, or what is cut off, tell some apart, they say so."""
        numbers = {name: self.number_of(row, name) for name in row.values}
        if not row.differs or self._unclear.isdisjoint(numbers.values()):
            return numbers
        values = [*row.values.values()]
        texts = [visible(each) for each in (map(str, values) if row.kind == "document" else cells_beside(values))]
        return dict(zip(row.values, map(self._numbered, cut_apart(texts, [LONGEST] * len(texts), cut)), strict=True))

    def of(self, value: Any) -> int:
        """The same of a property's."""
        known = self._properties.get(type(value))
        if known is None:
            return self._number(cell(value))
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
        shown = cut_text(text)
        number = self._numbered(shown)
        if len(shown) < len(text) or marks.SECRET in shown:
            self._unclear.add(number)
        return number

    def _numbered(self, shown: str) -> int:
        return self.known.setdefault(shown, len(self.known))


class _Telling:
    """Tells rows as the page has them."""

    def __init__(self, labels: Sequence[str], chains: Chains, shared: SharedRows, aspects: Aspects) -> None:
        self._labels = labels
        self._chains = chains
        self._shared = shared
        self._aspects = aspects
        self.texts = _Texts()

    def told(self, row: Row) -> ToldRow:
        """[label, values (a number of a text, or -1), differs, drivers, written, place, nodes read, aspect, what it repeats as an echo]; where what
        a resource has in common with others says what is written, the part that this is about stands for the four after the drivers."""
        texts, labels = self.texts, self._labels
        if row.differs or len(row.values) < len(labels):
            numbers = texts.numbers_of(row)
            values = [numbers.get(name, -1) for name in labels]
        else:
            values = [texts.number_of(row, labels[0])] * len(labels)
        aspect, at = self._aspects.of(row), self._shared.place_of(row)
        behind = [*self._chains.of(row), aspect] if at is None else [at]
        return ToldRow(row, [texts.label_of(row), values, int(row.counted), told_drivers(row.drivers), *behind, cut_text(row.echo)], aspect)


def _value(row: Row, name: str) -> str:
    return "yes" if row.kind == "presence" else str(row.values[name]) if row.kind == "document" else cell(row.values[name])


def _place(address: str, kind: str, renderings: Sequence[Evaluated], chains: Chains) -> dict[str, Any]:
    """What a resource, output or document is, and where it is written."""
    for each in renderings:
        resource = each.resources.get(address)
        if resource is not None:
            use = resource.instance.scope.use
            after = [other.resources[address].after for other in renderings if address in other.resources]
            return {
                "type": resource.type_text,
                "place": chains.place(resource.instance.resource.origin),
                "module": use.resource.type_text if use else "",
                "after": sorted(after[0] if after.count(after[0]) == len(after) else set().union(*after)),
                "keep": resource.keep,
                "formerly": resource.formerly,
            }
        if address in each.documents:
            return {"type": "document", "place": chains.place(each.documents[address].document.origin), "module": "", "after": []}
        output = each.scope.template.output_at(address)
        if output is not None:
            return {"type": "output", "place": chains.place(output.value.origin), "module": "", "after": []}
    return {"type": kind, "place": "", "module": "", "after": []}
