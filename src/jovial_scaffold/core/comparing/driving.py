"""What drives a difference: the parameters behind a value that are not the same in all columns."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jovial_scaffold.core.comparing.aligning import same
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.rendering.environment import Environment
from jovial_scaffold.core.rendering.rendering import Rendering
from jovial_scaffold.core.rendering.tracing import Kept, Source, Tracer
from jovial_scaffold.core.text.source import Pointer, part

_NOTHING = object()
RUN = "context.run"
TEMPLATE = "(template)"


@dataclass(frozen=True, slots=True)
class Driver:
    """A parameter (or `context.environment` and its like) that differs, and the line that sets it in each column that has it."""

    parameter: str
    sources: dict[str, str]


class Drivers:
    """Finds drivers for the columns of one comparison; what was found once is kept for as long as that lasts."""

    def __init__(self, renderings: Sequence[Rendering]) -> None:
        self.renderings = renderings
        self._tracers: dict[tuple[int, bool], Tracer] = {}
        self._presence = False
        self._kept = Kept()
        self._alike: dict[tuple[tuple[Source, ...], tuple[int, ...]], tuple[Driver, ...]] = {}
        self._found: dict[tuple[Any, ...], Driver | None] = {}
        # Between two templates, what differs may have been written differently: then no parameter explains it.
        self.templates = len({id(rendering.scope.template) for rendering in renderings})
        self._uniform = self.templates == 1 and len({rendering.parameters.defaulted for rendering in renderings}) == 1

    def tracer(self, scope: Environment) -> Tracer:
        """The tracer of an environment."""
        key = (id(scope), self._presence)
        found = self._tracers.get(key)
        if found is None:
            found = self._tracers[key] = Tracer(scope, self._kept, self._presence)
        return found

    def of_property(self, addresses: Mapping[int, str], at: Mapping[int, Pointer]) -> tuple[Driver, ...]:
        """Behind a property; each column follows its own path, since a loop's item may stand at another position in each.

        Where a column has no such property, what decides whether it is there counts as well.
        """

        def sources(column: int) -> Iterable[Source]:
            instance = self.renderings[column].resources[addresses[column]].instance
            tracer = self.tracer(instance.scope)
            pointer = at.get(column)
            if pointer is None:
                return ()
            found = tracer.static_sources(instance.resource, pointer)
            found = found if found is not None else tracer.sources(instance, pointer)
            return found if len(at) == len(addresses) else [*found, *tracer.presence_within(instance, pointer)]

        numbers = tuple(addresses)
        pointers = set(at.values())
        if self._uniform and len(pointers) == 1 and len(at) == len(numbers):
            # One part of one template under the same defaults: it is traced once for all columns.
            instance = self.renderings[numbers[0]].resources[addresses[numbers[0]]].instance
            shared = self.tracer(instance.scope).static_sources(instance.resource, pointers.pop())
            if shared is not None:
                driving = self._of_shared(shared, numbers)
                if driving:
                    return driving
        found = self._driving(numbers, sources)
        if found or self.templates == 1:
            return found
        places = {}
        for column, address in addresses.items():
            instance = self.renderings[column].resources[address].instance
            span = self.tracer(instance.scope).place(instance, at.get(column, next(iter(at.values()))))
            places[self.renderings[column].label] = f"{span.file}:{span.line}"
        return (Driver(TEMPLATE, places),)

    def of_presence(self, address: str) -> tuple[Driver, ...]:
        """Behind a resource's being there."""

        def sources(column: int) -> Iterable[Source]:
            found: dict[Source, None] = {}
            for scope, resource in self.renderings[column].scope.along(address):
                found.update(dict.fromkeys(self.tracer(scope).presence_sources(resource)))
            return found

        return self._driving(range(len(self.renderings)), sources) or self._rewritten()

    def of_output(self, name: str, pointer: Pointer) -> tuple[Driver, ...]:
        """Behind an output."""

        def sources(column: int) -> Iterable[Source]:
            scope = self.renderings[column].scope
            output = scope.template.outputs.get(name)
            return self.tracer(scope).compiled_sources(output.value, pointer) if output else ()

        return self._driving(range(len(self.renderings)), sources) or self._rewritten()

    def of_document(self, name: str, lines: Mapping[int, int] | None) -> tuple[Driver, ...]:
        """Behind a line of a document, as columns number it from 0; of its target without lines."""

        def sources(column: int) -> Iterable[Source]:
            document = self.renderings[column].documents.get(name)
            if document is None:
                return ()
            tracer = self.tracer(document.scope)
            if lines is None:
                return tracer.compiled_sources(document.document.to, ()) if document.document.to else ()
            return tracer.placeholder_sources(document.document, document.within(lines[column])) if column in lines else ()

        return self._driving(range(len(self.renderings)), sources) or self._rewritten()

    def _rewritten(self) -> tuple[Driver, ...]:
        return (Driver(TEMPLATE, {}),) if self.templates > 1 else ()

    def _driving(self, columns: Iterable[int], sources_of: Callable[[int], Iterable[Source]]) -> tuple[Driver, ...]:
        numbers = tuple(columns)
        found = self._behind(numbers, sources_of)
        if not found:
            # Where no value explains it, whether something that is read is there may.
            self._presence = True
            found = self._behind(numbers, sources_of)
            self._presence = False
        return found

    def _behind(self, numbers: tuple[int, ...], sources_of: Callable[[int], Iterable[Source]]) -> tuple[Driver, ...]:
        own = [sources_of(column) for column in numbers]
        first = own[0]
        if all(each is first for each in own):
            return self._of_shared(first, numbers)
        own = [tuple(each) for each in own]
        if all(each == own[0] for each in own[1:]):
            return self._of_shared(own[0], numbers)
        return self._of_several(own, numbers)

    def _of_shared(self, sources: Iterable[Source], numbers: tuple[int, ...]) -> tuple[Driver, ...]:
        """Drivers of sources that all columns have; found once, since many properties have the same."""
        key = (tuple(sources), numbers)
        drivers = self._alike.get(key)
        if drivers is None:
            drivers = self._alike[key] = self._of_one(key[0], numbers)
        return drivers

    def _of_one(self, sources: tuple[Source, ...], numbers: tuple[int, ...]) -> tuple[Driver, ...]:
        """Drivers where all columns have the same sources."""
        paths: dict[str, list[Pointer]] = {}
        for name, path in sources:
            paths.setdefault(name, []).append(path)
        return _sorted(self._one(name, numbers, (tuple(found),) * len(numbers)) for name, found in paths.items())

    def _of_several(self, own: Sequence[Iterable[Source]], numbers: tuple[int, ...]) -> tuple[Driver, ...]:
        """Drivers where each column has sources of its own."""
        drivers = []
        for name in dict.fromkeys(name for sources in own for name, _ in sources):
            anywhere = tuple(dict.fromkeys(path for sources in own for other, path in sources if other == name))
            each = tuple(tuple(path for other, path in sources if other == name) or anywhere for sources in own)
            drivers.append(self._one(name, numbers, each))
        return _sorted(drivers)

    def _one(self, name: str, columns: tuple[int, ...], paths: tuple[tuple[Pointer, ...], ...]) -> Driver | None:
        key = (name, columns, paths)
        if key in self._found:
            return self._found[key]
        values = [[_value(self.renderings[column], name, path) for path in each] for column, each in zip(columns, paths, strict=True)]
        found = None
        if any(not _all_alike(values[0], value) for value in values[1:]):
            places = {
                self.renderings[column].label: _set_at(self.renderings[column], name, each[0])
                for column, each in zip(columns, paths, strict=True)
            }
            found = Driver(name, {label: place for label, place in places.items() if place})
        self._found[key] = found
        return found


def _sorted(drivers: Iterable[Driver | None]) -> tuple[Driver, ...]:
    return tuple(sorted((driver for driver in drivers if driver is not None), key=lambda driver: driver.parameter))


def _value(rendering: Rendering, name: str, path: Pointer) -> Any:
    """The value of a source in a column; a mark of its own where there is none."""
    value: Any
    if name.startswith("context."):
        value = rendering.context.get(name.removeprefix("context."))
    else:
        value = rendering.parameters.values.get(name, _NOTHING)
    for step in path:
        if isinstance(value, Secret):
            break
        try:
            value = part(value, step)
        except KeyError:
            return _NOTHING
    return value


def _all_alike(some: list[Any], others: list[Any]) -> bool:
    return len(some) == len(others) and all(
        a is b if a is _NOTHING or b is _NOTHING else same(a, b) for a, b in zip(some, others, strict=True)
    )


def _set_at(rendering: Rendering, name: str, path: Pointer) -> str:
    setting = rendering.parameters.setting((name, *path))
    if setting is not None:
        return setting.text()
    declaration = rendering.scope.template.parameters.get(name)
    if declaration is not None and declaration.default is not None:
        span = declaration.default.origin.value_span()
        return f"{span.file}:{span.line}"
    return ""
