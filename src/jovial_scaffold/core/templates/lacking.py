"""Values of parameters from which fields are missing that need not be there."""

from collections.abc import Iterable, Iterator
from itertools import islice, product
from typing import Any

from jovial_scaffold.core.schemas.sampling import leanest, sampled
from jovial_scaffold.core.templates.knowledge import Known
from jovial_scaffold.core.templates.trials import Choices, Trial
from jovial_scaffold.core.text.unknown import UNKNOWN

_MOST = 48  # trials of one expression
_LEAN = ((0, 1), (0, 0), (1, 1), (2, 1))  # the number of a value that lacks all that it may, and how many items are in its lists


class Lacking:
    """Those of one template; what is made up for a parameter is kept."""

    def __init__(self, known: Known) -> None:
        self._known = known
        self._made: dict[str, list[Any]] = {}

    def trials(self, names: Iterable[str], choices: Choices) -> Iterator[Trial]:
        """Values for what some names read: each structured parameter short of something, and as it may be otherwise."""
        structured = [name for name in sorted(self._known.closure([*names])) if self._of(name)]
        if not structured:
            return
        few = islice(choices.each(), _MOST)
        lean = product(*map(self._of, structured))
        for values, (assignment, assumed) in islice(product(lean, few), _MOST):
            yield {**assignment, **dict(zip(structured, values, strict=True))}, assumed

    def _of(self, name: str) -> list[Any]:
        if name not in self._made:
            declaration = self._known.template.parameters[name]
            known = self._known.parameter_types[name]
            is_told = not declaration.secret and name not in self._known.template.secret_names
            is_structured = name not in self._known.finite and known.is_only("map", "list")
            schema = declaration.schema
            lean = [leanest(schema, items, number) for number, items in _LEAN] if is_told and is_structured else []
            found = [*lean, sampled(schema, 0)] if lean else []
            there = [each for each in found if each is not UNKNOWN]
            self._made[name] = [each for index, each in enumerate(there) if each not in there[:index]]
        return self._made[name]
