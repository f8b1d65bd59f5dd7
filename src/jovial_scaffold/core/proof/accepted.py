"""The parameter sets that declarations accept, and parts of them: some values settled, some maps and lists opened, all else a symbol.

A symbol is a pending value whose residual reads a field of `SYMBOL`, so that the evaluator computes with it as with what only the deployment
knows, and what it leaves can be read again as an expression over types (`terms`).
"""

from collections.abc import Iterator, Mapping
from dataclasses import field
from itertools import combinations
from types import MappingProxyType
from typing import Any

from jovial_scaffold.core.expressions.pending import Pending, is_bare, shown
from jovial_scaffold.core.expressions.residuals import pending_property
from jovial_scaffold.core.expressions.types import ANY, Type, settled
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.schemas.navigation import by_itself, subschema
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.text.source import pointer_text

SYMBOL = "_accepted"  # which nobody can call anything
Path = tuple[str | int, ...]
"""The name of a parameter, or of an item that stands for all of a loop, and the steps into its value."""

_OPTIONAL_FIELDS = 4  # of a map that is opened: each may be there or not
_OPENED_ITEMS = 3  # of a list that is opened


@value_record
class Part:
    """A part of all parameter sets: what is `settled` to one value, and which maps and lists are `opened`, to these fields or so many items."""

    settled: Mapping[Path, Any] = field(default_factory=lambda: MappingProxyType({}))
    opened: Mapping[Path, tuple[str, ...] | int] = field(default_factory=lambda: MappingProxyType({}))

    @property
    def key(self) -> tuple[str, ...]:
        """What is the same of equal parts."""
        return (*sorted(map(repr, self.settled.items())), *sorted(map(repr, self.opened.items())))

    def with_settled(self, path: Path, value: Any) -> "Part":
        """A smaller part."""
        return Part({**self.settled, path: value}, self.opened)

    def with_opened(self, path: Path, held: tuple[str, ...] | int) -> "Part":
        """The same, looked at more closely."""
        return Part(self.settled, {**self.opened, path: held})


EVERYTHING = Part()


class Symbols:
    """The symbols of one template's parameters, and of items that stand for all of a loop."""

    def __init__(self, template: Template) -> None:
        self._template = template
        self.types: dict[str, Type] = {name: type_of_schema(each.schema) for name, each in template.parameters.items()}
        #: of an item that stands for all of a loop, the list or map, where that is a part of a parameter
        self.sources: dict[str, Path] = {}
        self._paths: dict[str, Path] = {}

    def value(self, path: Path, part: Part) -> Any:
        """What stands for the value at a path: itself where it is settled, its parts where it is opened, else a symbol."""
        return self._built(path, self.type(path), part, self._symbol)

    def of_item(self, label: str, known: Type, over: Pending, part: Part) -> Any:
        """What stands for a variable of a loop over a symbol, whichever item it is: another one for each thing that is looped over."""
        label = f"{label} of {shown(over.segments)}"
        self.types[label] = known
        source = self.path(next(iter(over.origins))) if is_bare(over) else None
        if source is not None and str(source[0]) in self._template.parameters:
            self.sources[label] = source
        return self.value((label,), part)

    def typed(self, path: Path, part: Part, narrowed: Mapping[Path, Type]) -> Any:
        """The same with marks of types in the place of symbols; `narrowed` are types that say more than the declarations."""
        return self._built(path, self.type(path), part, lambda path, known: settled(narrowed.get(path, known)))

    def _built(self, path: Path, known: Type, part: Part, leaf: Any) -> Any:
        if path in part.settled:
            return part.settled[path]
        held = part.opened.get(path)
        if held is None:
            return leaf(path, known)
        if isinstance(held, int):
            return [self._built((*path, index), known.items or ANY, part, leaf) for index in range(held)]
        fields = known.fields or {}
        return {name: self._built((*path, name), fields[name].type, part, leaf) for name in held}

    def _symbol(self, path: Path, known: Type) -> Any:
        pointer = pointer_text(path)
        self._paths[f"{SYMBOL}:{pointer}"] = path
        return pending_property(SYMBOL, pointer)

    def path(self, origin: str) -> Path | None:
        """Where the symbol of an origin stands; None of what only the deployment knows."""
        return self._paths.get(origin)

    def type(self, path: Path) -> Type:
        """What is known of the value at a path."""
        known = self.types.get(str(path[0]), ANY)
        for step in path[1:]:
            if isinstance(step, int):
                known = known.items or ANY
            else:
                below = (known.fields or {}).get(step)
                known = below.type if below is not None else known.others or ANY
        return known

    def origin(self, path: Path) -> Path | None:
        """The part of a parameter that a path leads into: of what stands for all items, the list or map that holds them, where that is
        one."""
        root = str(path[0])
        return path if root in self._template.parameters else self.sources.get(root)

    def schema(self, path: Path) -> dict[str, Any] | None:
        """The schema of the value at a path, where it is said in one place and stands by itself."""
        root = str(path[0])
        whole = self.sources[root] + (0,) + path[1:] if root in self.sources else path
        declared = self._template.parameters.get(str(whole[0]))
        parts = subschema(declared.schema, whole[1:]) if declared is not None else []
        return by_itself(parts[-1], declared.schema) if declared is not None and parts else None

    def names(self, part: Part, narrowed: Mapping[Path, Type]) -> dict[str, Any]:
        """What residuals read, as types."""
        return {SYMBOL: {name: self.typed((name,), part, narrowed) for name in self.types}}

    def splits(self, path: Path, part: Part) -> list[Part] | None:
        """A part as smaller ones that are all of it, by what stands at a path; None where there is no end of them."""
        known = self.type(path)
        if known.options:
            return [part.with_settled(path, option) for option in known.options]
        if known.is_only("map") and known.fields is not None and known.others is None:
            optional = [name for name, each in known.fields.items() if not each.required]
            required = [name for name, each in known.fields.items() if each.required]
            if len(optional) <= _OPTIONAL_FIELDS:
                chosen = (each for count in range(len(optional) + 1) for each in combinations(optional, count))
                return [part.with_opened(path, (*required, *each)) for each in chosen]
        if known.is_only("list") and known.longest is not None and known.longest <= _OPENED_ITEMS:
            return [part.with_opened(path, count) for count in range(known.shortest, known.longest + 1)]
        return None

    def leaves(self, name: str, part: Part) -> Iterator[Path]:
        """The symbols that a parameter is made of in a part."""
        waiting: list[Path] = [(name,)]
        while waiting:
            path = waiting.pop()
            held = part.opened.get(path)
            if path in part.settled:
                continue
            if held is None:
                yield path
            else:
                waiting += [(*path, step) for step in (range(held) if isinstance(held, int) else held)]
