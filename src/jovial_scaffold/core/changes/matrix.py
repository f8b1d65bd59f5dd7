"""Rendered environments as rows: one for each property, output and line of a document; one column for each environment."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, Literal, NamedTuple, TypeVar

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.aligning import PLAIN, Leaf, leaves, matched_lines, same
from jovial_scaffold.core.changes.changing import TYPE
from jovial_scaffold.core.changes.driving import RUN, TEMPLATE, Driver, Drivers, Undriven
from jovial_scaffold.core.changes.echoes import Echoes
from jovial_scaffold.core.changes.shaped import ShapedLeaves
from jovial_scaffold.core.expressions.pending import Pending, renamed
from jovial_scaffold.core.expressions.values import Secret, deep_marks
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import TRIAL_ROUNDS
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.renames import newest
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.templates.model import Resource
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.core.words import Counted, say

__all__ = ("Comparison", "Driver", "Row", "compare", "row_label", "same")

T = TypeVar("T")
_NOWHERE: Mapping[str, Pointer] = {}

Kind = Literal["presence", "address", "property", "output", "document"]


class Row(NamedTuple):
    """A part of a resource, output or document in all columns.

    `kind` presence is the resource itself, with the value True; address is its address, where it was renamed (`$formerly`).
    `pointer` names items of lists by their key, `at` holds each column's real pointer. Of a document, the pointer is `to`, or the
    line's number. `absent` lists the columns without the part (or without the resource). `echo` is, where it only repeats parameters, the text
    with these in it.
    """

    kind: Kind
    address: str
    type: str
    pointer: Pointer
    values: dict[str, Any]
    absent: tuple[str, ...]
    differs: bool
    drivers: tuple[Driver, ...] = ()
    at: Mapping[str, Pointer] = _NOWHERE
    module: str = ""
    echo: str = ""
    within: str = ""  #: what stands before its address inside of the module

    @property
    def counted(self) -> bool:
        """Whether it counts as a difference: what only `context.run` drives is shown, and never counted."""
        return self.differs and not is_of_run(self.drivers)


def is_of_run(drivers: Sequence[Driver]) -> bool:
    """Whether nothing but `context.run` drives a difference."""
    return bool(drivers) and all(each.parameter == RUN for each in drivers)


@value_record
class Comparison:
    """All rows, sorted by address and pointer, outputs and documents last; only those that differ unless all were asked for.

    `resources` were compared, of which `differing` have a row that counts; `fits` says which addresses were compared;
    `findings` what was left undone.
    """

    environments: tuple[str, ...]
    rows: tuple[Row, ...]
    resources: int
    differing: int
    renderings: tuple[Rendering, ...]
    fits: Callable[[str], bool]
    findings: tuple[Finding, ...] = ()
    is_whole: bool = True  #: whether nothing was left out that differs

    @property
    def same(self) -> int:
        """How many resources are equal in all columns."""
        return self.resources - self.differing

    @property
    def differences(self) -> tuple[Row, ...]:
        """The rows that count."""
        return tuple(row for row in self.rows if row.counted)


Everything = bool | Callable[[Mapping[int, EvaluatedResource]], bool | Sequence[int]]
"""Whether rows are wanted that do not differ. Or, of a resource as the columns have it: whether, or that only those are which differ by these
of the values that its code computes; then it has one type everywhere."""


def compare(
    renderings: Sequence[Evaluated],
    everything: bool = False,
    only: str | Sequence[str] = (),
    ignore: Sequence[str] = (),
    echoes: bool = False,
    driven: bool = True,
) -> Comparison:
    """The rows of some renderings, in the order in which they are given; the first is the baseline. Which of them are `echoes` is looked for
    only where that is asked, and what drives them unless they are not to be `driven`.

    `only` and `ignore` are patterns of `*` and `?` over addresses, or over `address:property` where they hold a colon.
    """
    chosen = _Chosen((only,) if isinstance(only, str) else only, ignore)
    matrix = Matrix(renderings, everything, echoes, driven)
    rows: list[Row] = []
    differing = compared = 0
    for address in matrix.addresses:
        if not chosen.address(address):
            continue
        found = list(matrix.rows(address))
        if chosen.judges_rows:
            found = [row for row in found if chosen.row(row)]
        if not found and chosen.narrow:
            continue
        compared += 1
        if any(row.counted for row in found):
            differing += 1
        rows += found
    rows += [row for row in matrix.beside() if chosen.address(row.address) and chosen.row(row)]
    labels = tuple(each.label for each in renderings)
    findings = (_untried(matrix.untried),) if matrix.untried else ()
    finished = tuple(each.finished() for each in renderings)
    return Comparison(labels, tuple(rows), compared, differing, finished, chosen.address, findings, not (only or ignore))


def _untried(rows: int) -> Finding:
    message = say("What drives {} was not tried to the end: that takes too long.", Counted(rows, "difference"))
    hint = say("Compare fewer addresses at a time with --only.")
    return Finding(TRIAL_ROUNDS.finding, "note", message, None, hint)


class _Chosen:
    """Which addresses and rows were asked for."""

    def __init__(self, only: Sequence[str], ignore: Sequence[str]) -> None:
        self._addresses = [pattern(each) for each in only if ":" not in each]
        self._rows = [pattern(each) for each in only if ":" in each]
        self._heads = [pattern(each.partition(":")[0]) for each in only if ":" in each]
        self._not_addresses = [pattern(each) for each in ignore if ":" not in each]
        self._not_rows = [pattern(each) for each in ignore if ":" in each]
        self.narrow = bool(self._rows)
        self.judges_rows = bool(self._rows or self._not_rows)

    def address(self, address: str) -> bool:
        """Whether any row of an address may be meant."""
        wanted = [*self._addresses, *self._heads]
        return (not wanted or any(each.match(address) for each in wanted)) and not any(each.match(address) for each in self._not_addresses)

    def row(self, row: Row) -> bool:
        """Whether a row of such an address is."""
        if not self.judges_rows:
            return True
        labels = [row_label(row), *(f"{row.address}:{pointer_text(at)}" for at in row.at.values())]
        if any(each.match(label) for each in self._not_rows for label in labels):
            return False
        if not self._rows or any(each.match(row.address) for each in self._addresses):
            return True
        return any(each.match(label) for each in self._rows for label in labels)


def _names(renderings: Sequence[Evaluated]) -> list[dict[str, str]]:
    """For each column, the address there of each address of all: a resource that was renamed goes by its newest name. Nothing where all go by
    their own."""
    renaming = [(each.renames, each.resources) for each in renderings]
    renaming = [each for each in renaming if each[0]]
    if not renaming:
        return []
    return [{newest(address, each.resources, renaming): address for address in each.resources} for each in renderings]


class Matrix:
    """The rows of some columns, as they are asked for."""

    def __init__(self, renderings: Sequence[Evaluated], everything: Everything = False, echoes: bool = False, driven: bool = True) -> None:
        self._renderings = renderings
        self._drivers = Drivers(renderings) if driven else Undriven(renderings)
        self._echoes = Echoes(renderings, self._drivers) if echoes else None
        self._everything = everything
        self._resources = [rendering.resources for rendering in renderings]
        self._labels = [rendering.label for rendering in renderings]
        self._names = _names(renderings)
        self._renamed = [{own: newest for newest, own in each.items() if own != newest} for each in self._names] or [{} for _ in renderings]
        self._shaped = None if any(self._renamed) else ShapedLeaves(self.keeps_items)
        self._at: dict[Pointer, tuple[Mapping[int, Pointer], Mapping[str, Pointer]]] = {}
        self._counts: list[int] = []
        self._addresses: list[str] = []

    @property
    def addresses(self) -> list[str]:
        """All that there are in some column, by now."""
        held = self._names or self._resources
        counts = [*map(len, held)]
        if counts != self._counts:  # resources may come in addition
            self._counts, self._addresses = counts, sorted(set().union(*held))
        return self._addresses

    @property
    def untried(self) -> int:
        """How many rows nobody tried, or not to the end, since that takes too long."""
        return self._drivers.untried

    def beside(self) -> Iterator[Row]:
        """The rows of outputs and documents."""
        yield from _output_rows(self._renderings, self._drivers, self._echoes, bool(self._everything))
        yield from _document_rows(self._renderings, self._drivers, self._echoes, bool(self._everything))

    def rows(self, address: str) -> Iterator[Row]:
        """The rows of one resource, by its newest name."""
        labels = self._labels
        if self._shaped is not None:  # as long as nothing was renamed
            present = {column: found for column, each in enumerate(self._resources) if (found := each.get(address)) is not None}
            own = dict.fromkeys(present, address)
        else:
            own = {column: each[address] for column, each in enumerate(self._names) if address in each}
            present = {column: self._resources[column][there] for column, there in own.items()}
        wanted = self._everything(present) if callable(self._everything) else self._everything
        if not isinstance(wanted, bool) and not wanted and len(present) == len(labels):
            return  # it is there in all columns, of one type, and nothing of it differs
        first = next(iter(present.values()))
        kind, module = first.type_text, module_of(first)
        within = first.instance.scope.prefix if module else ""
        missing = tuple([label for column, label in enumerate(labels) if column not in present]) if len(present) < len(labels) else ()
        if missing:
            values: dict[str, Any] = {labels[column]: True for column in present}
            behind = self._drivers.of_presence(address, own)
            yield Row("presence", address, kind, (), values, missing, True, behind, module=module, within=within)
        if self._shaped is None and any(there != address for there in own.values()) and len(set(own.values())) > 1:
            values = {labels[column]: there for column, there in own.items()}
            yield Row("address", address, kind, (), values, missing, True, (Driver(TEMPLATE, {}),), module=module)
        if [each.type_text for each in present.values()].count(kind) < len(present):
            values = {labels[column]: each.type_text for column, each in present.items()}
            yield Row("property", address, kind, TYPE, values, missing, True, (Driver(TEMPLATE, {}),), module=module)
        for leaf in self._leaves(present, wanted):
            without = tuple([labels[column] for column in present if column not in leaf.values]) if len(leaf.values) < len(present) else ()
            drivers, echo = self.behind(own, leaf) if leaf.differs else ((), "")
            absent = (*without, *missing) if without else missing
            values, at = _by_label(labels, leaf.values), self._places(leaf)
            yield Row("property", address, kind, leaf.label, values, absent, leaf.differs, drivers, at, module, echo, within)

    def keeps_items(self, resource: Resource) -> bool:
        """Whether a loop of the template itself has the same items in all columns, whatever is tried."""
        return self._drivers.keeps_items(resource)

    def is_same_for_all(self, inputs: Iterable[str]) -> bool:
        """Whether some inputs, and what is computed from them alone, are the same in all columns."""
        return not self._drivers.differ(inputs)

    def behind(self, own: Mapping[int, str], leaf: Leaf) -> tuple[tuple[Driver, ...], str]:
        """What drives a part of a resource that differs, and what it repeats as an echo; `own` is where each column has the resource."""
        drivers = self._drivers.of_property(own, leaf)
        return drivers, self._echoes.of_property(own, leaf, drivers) if drivers and self._echoes is not None else ""

    def is_always_behind(self, own: Mapping[int, str], leaf: Leaf, drivers: tuple[Driver, ...]) -> bool:
        """Whether the same drivers are surely behind such a part, and it is no echo, whatever the constants in it are, as long as the same columns
        differ; the names that it reads are not among those."""
        never_echoes = self._echoes is None or self._echoes.is_never(own, leaf, drivers)
        return never_echoes and self._drivers.is_sole(own, leaf, drivers)

    def _leaves(self, present: Mapping[int, EvaluatedResource], wanted: bool | Sequence[int]) -> Iterable[Leaf]:
        """The parts of a resource that differ, or all."""
        found = self._shaped.of(present, wanted) if self._shaped is not None else None
        if found is not None:
            return found
        first = next(iter(present.values()))
        lists = first.type.lists if first.type else NO_LISTS
        held = {column: with_names(each.properties, self._renamed[column]) for column, each in present.items()}
        return leaves(held, lists, len(present), wanted is True)

    def _places(self, leaf: Leaf) -> Mapping[str, Pointer]:
        """Where each column has a leaf, by what the column is called; one map for all that stand in the same places."""
        known = self._at.get(leaf.label)
        if known is None or known[0] is not leaf.at:
            known = self._at[leaf.label] = leaf.at, _by_label(self._labels, leaf.at)
        return known[1]


def _by_label(labels: list[str], held: Mapping[int, T]) -> dict[str, T]:
    """What columns have, by what they are called; a column comes before those after it."""
    if len(held) == len(labels):
        return dict(zip(labels, held.values()))  # noqa: B905  # they are as many
    return {labels[column]: each for column, each in held.items()}


def with_names(value: Any, newest: Mapping[str, str]) -> Any:
    """The value with the origins of what is pending renamed; the value itself where nothing was renamed."""
    if not newest:
        return value
    if isinstance(value, Pending):
        return renamed(value, lambda address: newest.get(address, address))
    if isinstance(value, dict):
        return {key: with_names(item, newest) for key, item in value.items()}
    if isinstance(value, list):
        return [with_names(item, newest) for item in value]
    return Secret(with_names(value.value, newest)) if isinstance(value, Secret) else value


def module_of(resource: EvaluatedResource) -> str:
    """The module that a resource stands in, as its use names it; nothing for the project's own template."""
    use = resource.instance.scope.use
    return use.resource.type_text if use is not None else ""


def _output_rows(renderings: Sequence[Evaluated], drivers: Drivers, echoes: Echoes | None, everything: bool) -> Iterator[Row]:
    labels = [rendering.label for rendering in renderings]
    for name in sorted({name for rendering in renderings for name in rendering.outputs}):
        values = {column: each.outputs[name] for column, each in enumerate(renderings) if name in each.outputs}
        address = renderings[next(iter(values))].scope.template.output_address(name)
        for leaf in leaves(values, NO_LISTS, len(renderings), everything):
            absent = tuple(label for column, label in enumerate(labels) if column not in leaf.values)
            found = _by_label(labels, leaf.values)
            behind = drivers.of_output(name, leaf.label, leaf.values, leaf.at) if leaf.differs else ()
            at = _by_label(labels, leaf.at)
            echo = echoes.of_output(name, leaf.at, leaf.values, behind) if echoes is not None and behind and not absent else ""
            yield Row("output", address, "output", leaf.label, found, absent, leaf.differs, behind, at, echo=echo)


def _document_rows(renderings: Sequence[Evaluated], drivers: Drivers, echoes: Echoes | None, everything: bool) -> Iterator[Row]:
    labels = [rendering.label for rendering in renderings]
    for name in sorted({name for rendering in renderings for name in rendering.documents}):
        there = {column: each.documents[name] for column, each in enumerate(renderings) if name in each.documents}
        missing = tuple(label for column, label in enumerate(labels) if column not in there)
        if missing:
            values: dict[str, Any] = {labels[column]: True for column in there}
            yield Row("presence", name, "document", (), values, missing, True, drivers.of_presence(name, there, document=True))
        by_column = {column: each.to for column, each in there.items()}
        targets = {labels[column]: to for column, to in by_column.items()}
        moved = len(set(targets.values())) > 1
        if moved or (everything and any(targets.values())):
            behind = drivers.of_document(name, None, dict(by_column)) if moved else ()
            echo = echoes.of_target(name, there, behind) if echoes is not None and behind else ""
            yield Row("document", name, "document", ("to",), targets, missing, moved, behind, echo=echo)
        if not everything and len({each.compared for each in there.values()}) == 1:
            continue
        lines = [(column, each.compared.split("\n")) for column, each in there.items()]
        compared, texts = dict(lines), {column: each.text.split("\n") for column, each in there.items()}
        for number, row in enumerate(matched_lines(lines), 1):
            values = {labels[column]: texts[column][position] for column, position in row.items()}
            told_apart = [compared[column][position] for column, position in row.items()]
            differs = len(row) < len(there) or len(set(told_apart)) > 1
            alike: dict[str, list[str]] = {}
            for label, exact in zip(values, told_apart, strict=True):
                masked = alike.setdefault(values[label], [])
                masked += [exact] if exact not in masked else []
                if masked[0] != exact:  # only what is masked differs
                    values[label] = values[label].replace(marks.SECRET, marks.other_secret(masked.index(exact)))
            if differs or everything:
                without = tuple(labels[column] for column in there if column not in row)
                behind = drivers.of_document(name, row, dict(zip(row, told_apart, strict=True))) if differs else ()
                at: dict[str, Pointer] = {labels[column]: (position + 1,) for column, position in row.items()}
                echo = echoes.of_line(name, row, behind) if echoes is not None and behind and not without else ""
                yield Row("document", name, "document", (number,), values, (*without, *missing), differs, behind, at, echo=echo)


def masked_alike(row: Row) -> list[list[str]]:
    """Which columns have the same, where secrets tell columns apart, which are masked; else nothing."""
    if not row.differs or not any(type(each) not in PLAIN and deep_marks(each)[1] for each in row.values.values()):
        return []
    groups: list[tuple[Any, list[str]]] = []
    for name, value in row.values.items():
        held = next((names for each, names in groups if same(each, value)), None)
        if held is None:
            groups.append((value, [name]))
        else:
            held.append(name)
    return [names for _, names in groups]


def row_label(row: Row) -> str:
    """`gates:copies`, or the address alone."""
    return f"{row.address}:{pointer_text(row.pointer)}" if row.pointer else row.address
