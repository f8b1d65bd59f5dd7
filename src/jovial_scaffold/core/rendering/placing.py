"""From a part of a rendered value back to the part of the template that made it, and to where that is written."""

from collections.abc import Mapping
from typing import Any, NamedTuple

from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.rendering.computing import OMITTED, Site
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.templates.compiling import written_span
from jovial_scaffold.core.templates.model import Compiled, Dynamic, ListValue, Loop, MapValue, Overlaid
from jovial_scaffold.core.text.source import Pointer, part

Positions = dict[str, tuple[Loop, Any]]
"""The variables of loops, each with its loop and where the item stands in what that goes over; None for any item."""


class Leaf(NamedTuple):
    """A part of the template, what remains of a pointer inside of it, and the loop variables there with their positions."""

    compiled: Compiled
    rest: Pointer
    positions: Positions
    variables: Mapping[str, Any]


class Placer:
    """Finds parts of the template in one environment, or in one use of a module; `keeps` the items of lists that it found."""

    def __init__(self, environment: Surroundings, keeps: bool = False) -> None:
        self.environment = environment
        self.template = environment.template
        self._keeps = keeps
        self._items: dict[tuple[str, Compiled, int], tuple[Compiled, Any, Positions] | None] = {}
        self._last: tuple[Instance, Pointer, Leaf] | None = None  # what was asked for last, which is asked for several times

    @property
    def root(self) -> Surroundings:
        """The outermost environment, whose parameters the layers set."""
        environment = self.environment
        while environment.use is not None:
            environment = environment.use.scope
        return environment

    def leaf(self, instance: Instance, pointer: Pointer) -> Leaf:
        """The part of the template that made the value at a pointer."""
        if self._last is None or self._last[0] is not instance or self._last[1] != pointer:
            self._last = instance, pointer, self._leaf(instance, pointer)
        return self._last[2]

    def _leaf(self, instance: Instance, pointer: Pointer) -> Leaf:
        compiled: Compiled = instance.resource.properties
        positions: Positions = {}
        if instance.resource.loop:
            positions = dict.fromkeys(instance.resource.loop.variables, (instance.resource.loop, instance.position))
        variables = instance.variables
        for depth, step in enumerate(pointer):
            while isinstance(compiled, Overlaid):
                compiled, variables = self.layer(compiled, pointer[depth:], variables)
            if isinstance(compiled, MapValue):
                found = compiled.entry(str(step))
                if found is None:
                    return Leaf(compiled, pointer[depth:], positions, variables)
                compiled = found
            elif isinstance(compiled, ListValue) and isinstance(step, int):
                item = self._item_of(instance, compiled, step, variables)
                if item is None:
                    return Leaf(compiled, pointer[depth:], positions, variables)
                compiled, variables, more = item
                positions = {**positions, **more}
            else:
                return Leaf(compiled, pointer[depth:], positions, variables)
        while isinstance(compiled, Overlaid):
            compiled, variables = self.layer(compiled, (), variables)
        return Leaf(compiled, (), positions, variables)

    def layer(self, compiled: Overlaid, rest: Pointer, variables: Any) -> tuple[Compiled, Any]:
        """Which of the two values of an overlay gave the part at `rest`: the resource's own where it has the part."""
        own = compiled.own
        if rest and isinstance(own, MapValue) and own.when is None:
            written = own.entry(str(rest[0]))
            if written is None:
                return compiled.base, {}
            if not isinstance(written, MapValue):
                return own, variables
        value = self.environment.computer.value(own, variables, Site())
        for step in rest:
            if not isinstance(value, dict | list) or isinstance(value, list) != isinstance(step, int):
                break
            try:
                value = part(value, step)
            except KeyError:
                return compiled.base, {}
        return compiled.own, variables

    def _item_of(self, instance: Instance, compiled: ListValue, index: int, variables: Any) -> tuple[Compiled, Any, Positions] | None:
        """The same as `_item`, found once for the properties of one item."""
        if not self._keeps or variables is not instance.variables:
            return self._item(compiled, index, variables)
        key = (instance.address, compiled, index)
        if key not in self._items:
            self._items[key] = self._item(compiled, index, variables)
        return self._items[key]

    def _item(self, compiled: ListValue, index: int, variables: Any) -> tuple[Compiled, Any, Positions] | None:
        """The entry of a list that gave item `index`, counting what loops repeat and conditions leave out."""
        computer = self.environment.computer
        counted = 0
        for item in compiled.items:
            rounds = [(variables, None)]
            if isinstance(item, MapValue) and item.loop:
                rounds = computer.rounds(item.loop, variables, Site()) or []
            for scope, position in rounds:
                if isinstance(item, MapValue) and item.when and computer.condition(item.when, scope, Site()) is not True:
                    continue
                if isinstance(item, Dynamic) and computer.value(item, scope, Site()) is OMITTED:
                    continue
                if counted == index:
                    more = dict.fromkeys(item.loop.variables, (item.loop, position)) if isinstance(item, MapValue) and item.loop else {}
                    return item, scope, more
                counted += 1
        return None

    def place(self, instance: Instance, pointer: Pointer, on_key: bool = False) -> Span:
        """Where the value at a pointer was written; the resource itself for what was not."""
        compiled, rest, *_ = self.leaf(instance, pointer)
        if not pointer or (compiled is instance.resource.properties and rest):
            return instance.resource.origin.key_span()
        if isinstance(compiled, Dynamic):
            if on_key:  # of a key that was computed, the whole value is the place
                return compiled.origin.value_span() if rest else compiled.origin.key_span()
            return written_span(compiled, rest)
        origin = compiled.origin.child(*rest)
        return origin.key_span() if on_key else origin.value_span()
