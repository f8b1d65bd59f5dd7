"""Trials: one input, or several, of a column are changed to what another column has, and what hangs on them is evaluated again."""

import itertools
from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.limits import DRIVER_TRIALS
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.rendering.overlays import CONTEXT, MISSING, Overlay, trial_meter
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import Source
from jovial_scaffold.core.templates.inputs import CONTEXT as CONTEXT_NAME
from jovial_scaffold.core.templates.model import Resource
from jovial_scaffold.core.text.source import Pointer, part
from jovial_scaffold.core.text.unknown import UNKNOWN

Names = tuple[str, ...]
Trial = tuple[int, int, Names]
"""A column, the column whose values it tries, and the inputs of which it does."""

Pairs = tuple[tuple[int, int], ...]


class Differing(NamedTuple):
    """What a row is about, to be tried."""

    columns: Pairs  #: pairs that differ: the first column with each that does
    inputs: frozenset[str]  #: what its values may have been computed from
    changes: Callable[[Trial], bool]  #: whether a trial changes it
    sources: Callable[[int], Iterable[Source]]  #: the parts of parameters that a column reads for it


class Trials:
    """The trials of one comparison, each made once."""

    def __init__(self, renderings: Sequence[Evaluated]) -> None:
        self._renderings = renderings
        self._meter = trial_meter(renderings[0]) if renderings else Meter()
        self._overlays: dict[Trial, Overlay] = {}
        self._candidates: dict[tuple[int, int], dict[str, Any]] = {}
        self._sorts: dict[str, list[int]] = {}
        self._kept_items: dict[Resource, bool] = {}
        self._sole: dict[tuple[Pairs, frozenset[str]], str | None] = {}
        self._worth: dict[tuple[Pairs, frozenset[str]], dict[str, list[Trial]]] = {}

    @property
    def spent(self) -> bool:
        """Whether no more trials can be made: what they give then means nothing."""
        return self._meter.spent

    def overlay(self, trial: Trial) -> Overlay:
        """The column of a trial with what it tries."""
        if trial not in self._overlays:
            column, other, names = trial
            candidates = self._of_pair(column, other)
            self._overlays[trial] = Overlay(self._renderings[column], {name: candidates[name] for name in names}, self._meter)
        return self._overlays[trial]

    def keeps_items(self, resource: Resource) -> bool:
        """Whether nothing that a loop of the template itself goes over, and no condition on its items, can change by what is tried."""
        if resource not in self._kept_items:
            inputs = self._renderings[0].scope.plan.inputs.of_presence(resource)
            tried = [name for each in self._renderings for name in (*each.parameters.values, *map(CONTEXT.__add__, each.context))]
            self._kept_items[resource] = not any(
                len(set(self._sort(name))) > 1
                for name in set(tried)
                if name in inputs or (name.startswith(CONTEXT) and CONTEXT_NAME in inputs)
            )
        return self._kept_items[resource]

    def differs(self, name: str) -> bool:
        """Whether an input, or the context as a whole, is not the same in all columns."""
        if name == CONTEXT_NAME:
            return any(len(set(self._sort(CONTEXT + each))) > 1 for rendering in self._renderings for each in rendering.context)
        return len(set(self._sort(name))) > 1

    def _sort(self, name: str) -> list[int]:
        """For each column, the first column that has the same value of an input."""
        if name not in self._sorts:
            values = [value_of(each, name, ()) for each in self._renderings]
            found: list[int] = []
            for column, value in enumerate(values):
                found.append(next((first for first in dict.fromkeys(found) if is_equal(values[first], value)), column))
            self._sorts[name] = found
        return self._sorts[name]

    def _of_pair(self, column: int, other: int) -> dict[str, Any]:
        """What differs between two columns and can be changed in the first, with the value that the other has."""
        key = (column, other)
        if key not in self._candidates:
            here, there = self._renderings[column], self._renderings[other]
            found: dict[str, Any] = {}
            for name, value in there.parameters.values.items():
                if name not in here.scope.template.parameters or value is UNKNOWN:
                    continue
                if name in here.parameters.defaulted and name in there.parameters.defaulted:
                    continue  # it follows what its default reads
                sorts = self._sort(name)
                if sorts[column] != sorts[other]:
                    found[name] = value
            for name, value in there.context.items():
                sorts = self._sort(CONTEXT + name)
                if sorts[column] != sorts[other]:
                    found[CONTEXT + name] = value
            self._candidates[key] = found
        return self._candidates[key]

    def can_be_tried(self, column: int, other: int, names: Names) -> bool:
        """Whether inputs differ between two columns, and can be changed in the first."""
        return self._of_pair(column, other).keys() >= set(names)

    def alone(self, row: Differing) -> list[str]:
        """The inputs that change a row by themselves."""
        return [name for name, trials in self._trials(row).items() if any(map(row.changes, trials))]

    def sole(self, row: Differing) -> str | None:
        """The input that surely changes a row by itself, without a trial: nothing else differs of what its values are computed from. None where more
        does, or what is set in one column follows its default in another."""
        key = (row.columns, row.inputs)
        if key not in self._sole:
            found = [*self._trials(row)]
            self._sole[key] = (
                found[0] if len(found) == 1 and all(self._is_sole(found[0], row.inputs, *pair) for pair in row.columns) else None
            )
        return self._sole[key]

    def _is_sole(self, name: str, inputs: frozenset[str], column: int, other: int) -> bool:
        here, there = self._renderings[column], self._renderings[other]
        if CONTEXT_NAME in inputs or name not in self._of_pair(column, other):
            return False
        for each in inputs:
            sorts = self._sort(each)
            if each != name and sorts[column] != sorts[other]:
                return False
            if (each in here.parameters.defaulted) != (each in there.parameters.defaulted):
                return False
        return True

    def _trials(self, row: Differing) -> dict[str, list[Trial]]:
        """All trials of one input that are worth it, by the input: of those that differ, and that the value may have been computed from."""
        key = (row.columns, row.inputs)
        if key not in self._worth:
            found: dict[str, list[Trial]] = {}
            for pair in row.columns:
                for column, other in (pair, pair[::-1]):
                    for name in self._tried(row, column, other):
                        found.setdefault(name, []).append((column, other, (name,)))
            self._worth[key] = dict(sorted(found.items()))
        return self._worth[key]

    def _tried(self, row: Differing, column: int, other: int) -> list[str]:
        """The inputs that differ between two columns, can be changed in the first, and may matter for a row."""
        context = CONTEXT_NAME in row.inputs
        return [name for name in self._of_pair(column, other) if name in row.inputs or (context and name.startswith(CONTEXT))]

    def together(self, row: Differing, pair: tuple[int, int]) -> Names:
        """The smallest set of inputs that changes a row together; one that cannot be smaller, where there are too many to try all."""
        directions = [(column, other, sorted(self._tried(row, column, other))) for column, other in (pair, pair[::-1])]
        tried = 0
        for size in range(2, max(len(names) for *_, names in directions) + 1):
            for column, other, names in directions:
                for chosen in itertools.combinations(names, size):
                    tried += 1
                    if self._meter.spent:
                        return ()
                    if tried > DRIVER_TRIALS.most:
                        return self._narrowed(row, directions)
                    if row.changes((column, other, chosen)):
                        return chosen
        return ()

    def _narrowed(self, row: Differing, directions: list[tuple[int, int, list[str]]]) -> Names:
        for column, other, names in directions:
            if not row.changes((column, other, tuple(names))):
                continue
            kept = list(names)
            for name in names:
                fewer = tuple(each for each in kept if each != name)
                if fewer and row.changes((column, other, fewer)):
                    kept = list(fewer)
            return tuple(kept)
        return ()


def is_equal(a: Any, b: Any) -> bool:
    """Whether two values are equal, one of which may be missing."""
    return a is b if a is MISSING or b is MISSING else same(a, b)


def value_of(rendering: Evaluated, name: str, path: Pointer) -> Any:
    """The value of an input, or a part of it."""
    value: Any
    if name.startswith(CONTEXT):
        value = rendering.context.get(name.removeprefix(CONTEXT), MISSING)
    else:
        value = rendering.parameters.values.get(name, MISSING)
    for step in path:
        try:
            value = part(value, step)
        except (KeyError, TypeError):
            return MISSING
    return value
