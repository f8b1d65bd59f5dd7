"""What drives a difference (docs/language/comparing.md): found by changing one parameter in one column to the value of another, and looking.

What a value is computed from says which parameters are worth trying; whether one drives it, only the trial says.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.changes.aligning import Alike, Leaf, changed_at, matched_lines, same
from jovial_scaffold.core.changes.trials import Differing, Names, Pairs, Trial, Trials, is_equal, value_of
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.instances import Surroundings
from jovial_scaffold.core.rendering.overlays import (
    CONTEXT,
    MISSING,
    Behind,
    Written,
    alone,
    condition_text,
    written_at,
)
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import Kept, Source, Tracer
from jovial_scaffold.core.schemas.lists import NO_LISTS, Lists
from jovial_scaffold.core.templates.inputs import CONTEXT as CONTEXT_NAME
from jovial_scaffold.core.templates.model import Resource
from jovial_scaffold.core.text.source import Pointer, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN

RUN = "context.run"
LABELS = "context.labels"
_PLAIN = frozenset((str, int, bool, float))
TEMPLATE = "(template)"


@value_record
class Driver:
    """A parameter (or `context.environment` and its like) that differs, and the line that sets it in each column that has it.

    `together` are the others without which it changes nothing; none where it does alone.
    """

    parameter: str
    sources: dict[str, str]
    together: tuple[str, ...] = ()


class Drivers:
    """Finds drivers for the columns of one comparison; what was found once is kept for as long as that lasts."""

    def __init__(self, renderings: Sequence[Evaluated]) -> None:
        self.renderings = renderings
        self._trials = Trials(renderings)
        #: how many rows nobody tried, or not to the end, since the budget was spent
        self.untried = 0
        self._tracers: dict[Surroundings, Tracer] = {}
        self._kept = Kept()
        self._behind = [Behind(rendering) for rendering in renderings]
        self._drivers: dict[tuple[str, Names], Driver] = {}
        self._changed: dict[tuple[Trial, Program, str, Pointer], bool] = {}
        self._parted: dict[str, bool] = {}
        self._of_text: dict[Alike, tuple[Driver, ...]] = {}
        self._alike: dict[tuple[tuple[object, ...], Pairs], tuple[Driver, ...]] = {}
        self._alike_in_part: dict[tuple[tuple[object, ...], Pairs], tuple[Driver, ...]] = {}
        self._text_changed: dict[tuple[Trial, object], bool] = {}
        self._decided: dict[frozenset[str], bool] = {}
        self._lines: dict[tuple[Trial, str], tuple[frozenset[int], frozenset[str]]] = {}
        # Between two templates, what differs may have been written differently: then no parameter explains it.
        self.templates = len({rendering.scope.template for rendering in renderings})

    def tracer(self, scope: Surroundings) -> Tracer:
        """The tracer of an environment."""
        if scope not in self._tracers:
            self._tracers[scope] = Tracer(scope, self._kept)
        return self._tracers[scope]

    def inputs_of(self, column: int, address: str, name: str) -> frozenset[str]:
        """What a property may be computed from in a column, wherever the resource is there."""
        return self._behind[column].value(address, name)

    def differ(self, inputs: Iterable[str]) -> bool:
        """Whether an input, or the context as a whole, is not the same in all columns, or is set in some of them and follows its default in others."""
        return any(self._trials.differs(each) or self._follows_somewhere(each) for each in inputs)

    def _follows_somewhere(self, name: str) -> bool:
        return len({name in each.parameters.defaulted for each in self.renderings}) > 1

    def of_property(self, addresses: Mapping[int, str], leaf: Leaf) -> tuple[Driver, ...]:
        """Behind a part of a property; `addresses` is where each column has the resource."""
        text = leaf.text if self.templates == 1 else None
        known = self._of_text.get(text) if text is not None else None
        if known is not None:
            return known
        values = leaf.values
        pairs = _pairs(values if len(values) == len(addresses) else {column: values.get(column, MISSING) for column in addresses})
        if text is None:
            return self._of_property(addresses, leaf.at, leaf.label, pairs)
        found = self._of_computed(addresses, leaf, pairs)
        if not found and (leaf.computed is None or not self._trials.spent):
            found = self._of_property(addresses, leaf.at, leaf.label, pairs)
        if not self._trials.spent and not any(self.is_parted(each.parameter) for each in found):
            self._of_text[text] = found
        return found

    def _of_computed(self, addresses: Mapping[int, str], leaf: Leaf, pairs: Pairs) -> tuple[Driver, ...]:
        """Behind what the code of a single resource computes; none where that does not say it."""
        index, (column, address) = leaf.computed, next(iter(addresses.items()))
        first = self.renderings[column].resources[address].instance
        if index is None or first.computed is None:
            return ()
        code, _, constants = first.computed
        text = code.texts[index]
        inputs = first.scope.plan.inputs.of_names(text.names(constants))

        def changes(trial: Trial) -> bool:
            before = self.renderings[trial[0]].resources[addresses[trial[0]]].instance.computed
            after = self._trials.overlay(trial).computed(first.resource, index, text)
            if before is None or after is UNKNOWN:
                return self._part_changed(trial, addresses[trial[0]], leaf.label)
            return not is_equal(before[1][index], after)

        return self._driving(Differing(pairs, inputs, changes, lambda column: self._sources(column, addresses, leaf.at)))

    def is_sole(self, addresses: Mapping[int, str], leaf: Leaf, drivers: Sequence[Driver]) -> bool:
        """Whether what the code of a single resource computes hangs on nothing that differs but on one driver, which is set as a whole: then that is
        behind it, whatever the constants in it are."""
        column, address = next(iter(addresses.items()))
        instance = self.renderings[column].resources[address].instance
        if self.templates > 1 or leaf.computed is None or instance.computed is None or len(drivers) != 1 or drivers[0].together:
            return False
        code, _, constants = instance.computed
        inputs = instance.scope.plan.inputs.of_names(code.texts[leaf.computed].names(constants))
        sole = self._trials.sole(Differing(_pairs(leaf.values), inputs, lambda _: True, lambda _: ()))
        return sole == drivers[0].parameter and not self.is_parted(sole)

    def _of_property(self, addresses: Mapping[int, str], at: Mapping[int, Pointer], label: Pointer, pairs: Pairs) -> tuple[Driver, ...]:
        """The same by its label; `at` is where the columns that have it have the property."""
        name = str(label[0])
        if self.templates == 1 and (written := self._written(addresses, label)) is not None:
            return self._of_written(written, addresses, at, label, pairs)
        known = self._alone_in(addresses, label) if self.templates == 1 else None
        alike = self._known(known, pairs)
        if alike is not None:
            return alike

        def changes(trial: Trial) -> bool:
            resource = self.renderings[trial[0]].resources[addresses[trial[0]]]
            program = alone(resource.instance.resource, name) if resource.instance.scope.use is None else None
            if program is None:
                return self._part_changed(trial, addresses[trial[0]], label)
            key = (trial, program, resource.type_text, label)  # all that hold the same expression have the same value
            if key not in self._changed:
                self._changed[key] = self._part_changed(trial, addresses[trial[0]], label)
            return self._changed[key]

        row = Differing(
            pairs,
            self._inputs(
                addresses if self.templates > 1 else (next(iter(addresses)),),
                lambda column: self._inputs_behind(column, addresses[column], name),
            ),
            changes,
            lambda column: self._sources(column, addresses, at),
        )
        found = self._driving(row)
        self._keep(known, pairs, found)
        if self.templates == 1 or (found and all(self._is_driven(row, pair, found) for pair in pairs)):
            return found
        places = {}
        for column, address in addresses.items():
            instance = self.renderings[column].resources[address].instance
            span = self.tracer(instance.scope).place(instance, at.get(column, next(iter(at.values()))))
            places[self.renderings[column].label] = f"{span.file}:{span.line}"
        return (*found, Driver(TEMPLATE, places))

    def _inputs_behind(self, column: int, address: str, name: str) -> frozenset[str]:
        """What may change a property of a resource in a column, where another one has the resource, too: with the only thing that differs of what
        decides about that, it is there as it is in the other one."""
        if self.renderings[column].resources[address].instance.scope.use is None:
            return self._behind[column].property(address, name)
        value, presence = self._behind[column].value(address, name), self._behind[column].presence(address)
        if presence not in self._decided:
            several = sum(map(self._trials.differs, presence)) > 1 or CONTEXT_NAME in presence  # which has several entries
            self._decided[presence] = self.templates == 1 and not several and not any(map(self._follows_somewhere, presence))
        return value if self._decided[presence] else value | presence

    def _is_driven(self, row: Differing, pair: tuple[int, int], drivers: Iterable[Driver]) -> bool:
        """Whether what drives a row at all does so between two columns; where these have two templates and it does not, the templates do."""
        if self.renderings[pair[0]].scope.template is self.renderings[pair[1]].scope.template:
            return True
        names = [tuple(sorted((each.parameter, *each.together))) for each in drivers]
        return any(row.changes((*sides, each)) for each in names for sides in (pair, pair[::-1]) if self._trials.can_be_tried(*sides, each))

    def _part_changed(self, trial: Trial, address: str, label: Pointer) -> bool:
        """Whether a trial changes a part of a property, looked for in the whole of it."""
        resource = self.renderings[trial[0]].resources[address]
        lists = resource.type.lists if resource.type else NO_LISTS
        name = str(label[0])
        after = self._trials.overlay(trial).property(address, name)
        return differs_at(resource.properties.get(name, MISSING), after, lists, label, name)

    def _sources(self, column: int, addresses: Mapping[int, str], at: Mapping[int, Pointer]) -> Iterable[Source]:
        """The parts of parameters that a column reads for a property."""
        if column not in at:
            return ()
        instance = self.renderings[column].resources[addresses[column]].instance
        return self.tracer(instance.scope).sources(instance, at[column])

    def _written(self, addresses: Mapping[int, str], label: Pointer) -> Written | None:
        """How a part of a property is written in all columns, where that is one text and what decides that it is there."""
        column, address = next(iter(addresses.items()))
        instance = self.renderings[column].resources[address].instance
        kind = instance.resource.type
        below = kind.shape.properties.get(str(label[0])) if kind is not None else None
        if instance.scope.use is not None or (below is not None and below.marks):
            return None
        return written_at(instance.resource, label, kind.lists if kind is not None else NO_LISTS)

    def _of_written(
        self, written: Written, addresses: Mapping[int, str], at: Mapping[int, Pointer], label: Pointer, pairs: Pairs
    ) -> tuple[Driver, ...]:
        """Behind a part that is one text: whoever holds the same one hangs on the same."""
        known = written.key
        alike = self._known(known, pairs)
        if alike is not None:
            return alike

        def changes(trial: Trial) -> bool:
            key = (trial, known)
            if key not in self._text_changed:
                resource = self.renderings[trial[0]].resources[addresses[trial[0]]]
                before = value_at(resource.properties, at[trial[0]], MISSING) if trial[0] in at else MISSING
                after = self._trials.overlay(trial).part(written)
                if isinstance(before, list | dict) and isinstance(after, list | dict):  # an order may mean nothing
                    self._text_changed[key] = self._part_changed(trial, addresses[trial[0]], label)
                else:
                    self._text_changed[key] = not is_equal(before, after)
            return self._text_changed[key]

        inputs = self._behind[next(iter(addresses))].part(written, known)
        row = Differing(pairs, inputs, changes, lambda column: self._sources(column, addresses, at))
        if (known, pairs) in self._alike_in_part:
            return tuple(self._driver(each.parameter, row, each.together) for each in self._alike_in_part[known, pairs])
        found = self._driving(row)
        self._keep(known, pairs, found)
        return found

    def _known(self, key: tuple[object, ...] | None, pairs: Pairs) -> tuple[Driver, ...] | None:
        """What drives all rows that hang on the same, where it is the same lines for all of them."""
        return self._alike.get((key, pairs)) if key is not None else None

    def _keep(self, key: tuple[object, ...] | None, pairs: Pairs, found: tuple[Driver, ...]) -> None:
        if key is not None and not self._trials.spent:
            kept = self._alike_in_part if any(self.is_parted(each.parameter) for each in found) else self._alike
            kept[key, pairs] = found

    def _alone_in(self, addresses: Mapping[int, str], label: Pointer) -> tuple[object, ...] | None:
        """What rows have in common that are the same part of the same expression, in all columns."""
        column, address = next(iter(addresses.items()))
        resource = self.renderings[column].resources[address]
        program = alone(resource.instance.resource, str(label[0])) if resource.instance.scope.use is None else None
        return (program, resource.type_text, label) if program is not None else None

    def of_presence(self, address: str, there: Iterable[int], document: bool = False) -> tuple[Driver, ...]:
        """Behind there being a resource, or a `document`, in the columns `there`."""
        present = frozenset(there)

        def changes(trial: Trial) -> bool:
            overlay = self._trials.overlay(trial)
            found = overlay.document(address) if document else overlay.instance(address)
            return (found is not None) != (trial[0] in present)

        def behind(column: int) -> frozenset[str]:
            return self._behind[column].document(address) if document else self._behind[column].presence(address)

        def sources(column: int) -> Iterable[Source]:
            found: dict[Source, None] = {}
            for scope, resource in self.renderings[column].scope.along(address):
                found.update(dict.fromkeys(self.tracer(scope).presence_sources(resource)))
            return found

        pairs = _pairs({column: column in present for column in range(len(self.renderings))})
        resource = self.renderings[0].scope.template.resources.get(address) if self.templates == 1 and not document else None
        known = ("presence", condition_text(resource.when)) if resource is not None and resource.loop is None else None
        found = self._known(known, pairs)
        if found is None:
            found = self._driving(Differing(pairs, self._inputs(range(len(self.renderings)), behind), changes, sources))
            self._keep(known, pairs, found)
        return found or self._rewritten()

    def of_output(self, name: str, label: Pointer, values: Mapping[int, Any], at: Mapping[int, Pointer]) -> tuple[Driver, ...]:
        """Behind an output, or a part of one."""

        def changes(trial: Trial) -> bool:
            return differs_at(
                self.renderings[trial[0]].outputs.get(name, MISSING), self._trials.overlay(trial).output(name), NO_LISTS, label
            )

        def sources(column: int) -> Iterable[Source]:
            scope = self.renderings[column].scope
            output = scope.template.outputs.get(name)
            return self.tracer(scope).compiled_sources(output.value, at[column]) if output and column in at else ()

        pairs = _pairs({column: values.get(column, MISSING) for column in range(len(self.renderings))})
        inputs = self._inputs(range(len(self.renderings)), lambda column: self._behind[column].output(name))
        return self._of_template_too(Differing(pairs, inputs, changes, sources))

    def of_document(self, name: str, lines: Mapping[int, int] | None, texts: Mapping[int, str | None]) -> tuple[Driver, ...]:
        """Behind a line of a document, as columns number it from 0, with its text in each; of its target without lines."""

        def changes(trial: Trial) -> bool:
            if lines is None:
                after = self._trials.overlay(trial).document(name)
                return (after.to if after is not None else None) != texts.get(trial[0])
            gone, new = self._document(trial, name)
            if trial[0] in lines:
                return lines[trial[0]] in gone
            return any(text in new for text in texts.values())

        def sources(column: int) -> Iterable[Source]:
            document = self.renderings[column].documents.get(name)
            if document is None:
                return ()
            tracer = self.tracer(document.scope)
            if lines is None:
                return tracer.compiled_sources(document.document.to, ()) if document.document.to else ()
            return tracer.placeholder_sources(document.document, document.within(lines[column])) if column in lines else ()

        pairs = _pairs({column: texts.get(column, MISSING) for column in range(len(self.renderings))})
        inputs = self._inputs(range(len(self.renderings)), lambda column: self._behind[column].document(name))
        return self._of_template_too(Differing(pairs, inputs, changes, sources))

    def _of_template_too(self, row: Differing) -> tuple[Driver, ...]:
        """What drives a row, and the template where between two columns nothing else does."""
        found = self._driving(row)
        return found if found and all(self._is_driven(row, pair, found) for pair in row.columns) else (*found, *self._rewritten())

    def _rewritten(self) -> tuple[Driver, ...]:
        return (Driver(TEMPLATE, {}),) if self.templates > 1 else ()

    def keeps_items(self, resource: Resource) -> bool:
        """Whether a loop of the template itself has the same items in all columns, whatever is tried."""
        return self.templates == 1 and self._trials.keeps_items(resource)

    def _document(self, trial: Trial, name: str) -> tuple[frozenset[int], frozenset[str]]:
        """The lines of a document that a trial changes, and the texts of those that it brings."""
        key = (trial, name)
        if key not in self._lines:
            before, after = self.renderings[trial[0]].documents.get(name), self._trials.overlay(trial).document(name)
            old = before.compared.split("\n") if before is not None else []
            new = after.compared.split("\n") if after is not None else []
            pairs = matched_lines([(0, old), (1, new)])
            changed = [row for row in pairs if len(row) < 2 or old[row[0]] != new[row[1]]]
            self._lines[key] = (frozenset(row[0] for row in changed if 0 in row), frozenset(new[row[1]] for row in changed if 1 in row))
        return self._lines[key]

    def _driving(self, row: Differing) -> tuple[Driver, ...]:
        """The inputs that change a row alone; where none does, the fewest that do together. None where the budget is spent."""
        sole = self._trials.sole(row) if self.templates == 1 else None
        if sole is not None:
            return (self._driver(sole, row),)
        found = [] if self._trials.spent else self._trials.alone(row)
        together = () if found else next((names for pair in row.columns if (names := self._trials.together(row, pair))), ())
        if self._trials.spent:
            self.untried += 1
            return ()
        if found:
            return tuple(self._driver(name, row) for name in found)
        return tuple(self._driver(name, row, tuple(other for other in together if other != name)) for name in together)

    def _inputs(self, columns: Iterable[int], of: Callable[[int], frozenset[str]]) -> frozenset[str]:
        """What the values of some columns may have been computed from."""
        found = [of(column) for column in columns]
        return found[0] if all(each is found[0] for each in found) else frozenset().union(*found)

    def _driver(self, name: str, row: Differing, together: Names = ()) -> Driver:
        """A driver with the lines that set it: the part that the row reads, where that can be told."""
        if self.is_parted(name):
            return self._placed(name, row, together)
        key = (name, together)  # it is set as a whole: the same for all rows
        if key not in self._drivers:
            self._drivers[key] = self._placed(name, row, together)
        return self._drivers[key]

    def is_parted(self, name: str) -> bool:
        """Whether a parameter has parts, of which a row may read some only."""
        if name not in self._parted:
            self._parted[name] = name == LABELS or any(
                isinstance(each.parameters.values.get(name), dict | list) for each in self.renderings
            )
        return self._parted[name]

    def _placed(self, name: str, row: Differing, together: Names) -> Driver:
        places = {}
        for column, rendering in enumerate(self.renderings):
            paths = [path for each, path in row.sources(column) if each == name]
            others = [each for each in self.renderings if each is not rendering]
            differing = [path for path in paths if any(not _equal_at(rendering, other, name, path) for other in others)]
            place = set_at(rendering, name, next(iter(differing or paths), ()))
            if place:
                places[rendering.label] = place
        return Driver(name, places, together)


class Undriven(Drivers):
    """Finds none: for who does not ask what drives a difference."""

    def of_property(self, addresses: Mapping[int, str], leaf: Leaf) -> tuple[Driver, ...]:
        return ()

    def of_presence(self, address: str, there: Iterable[int], document: bool = False) -> tuple[Driver, ...]:
        return ()

    def of_output(self, name: str, label: Pointer, values: Mapping[int, Any], at: Mapping[int, Pointer]) -> tuple[Driver, ...]:
        return ()

    def of_document(self, name: str, lines: Mapping[int, int] | None, texts: Mapping[int, str | None]) -> tuple[Driver, ...]:
        return ()


def _pairs(values: Mapping[int, Any]) -> Pairs:
    """The first column with each that has another value."""
    first, known = next(iter(values.items()))
    if type(known) is str:
        return tuple([(first, column) for column, value in values.items() if type(value) is not str or value != known])
    if type(known) in _PLAIN and len(set(map(type, values.values()))) == 1:
        return tuple([(first, column) for column, value in values.items() if value != known])
    return tuple([(first, column) for column, value in values.items() if column != first and not is_equal(known, value)])


def differs_at(before: Any, after: Any, lists: Lists, label: Pointer, name: str = "") -> bool:
    """Whether a trial changes the part at a label; the label of a property begins with its `name`."""
    if before is MISSING or after is MISSING:
        return before is not after
    if type(before) in _PLAIN and type(after) in _PLAIN:
        return not same(before, after)
    return changed_at({name: before}, {name: after}, lists, label) if name else changed_at(before, after, lists, label)


def _equal_at(one: Evaluated, other: Evaluated, name: str, path: Pointer) -> bool:
    return is_equal(value_of(one, name, path), value_of(other, name, path))


def set_at(rendering: Evaluated, name: str, path: Pointer) -> str:
    """The line that sets a parameter or a part of the context, or a part of it, as `FILE:LINE`; nothing where none does."""
    if name.startswith(CONTEXT):
        origin = rendering.parameters.context_origins.get(".".join((name.removeprefix(CONTEXT), *map(str, path[:1]))))
        return f"{origin.source.name}:{origin.key_span().line}" if origin is not None else ""
    setting = rendering.parameters.setting((name, *path))
    if setting is not None:
        return setting.text()
    declaration = rendering.scope.template.parameters.get(name)
    if declaration is not None and declaration.default is not None:
        span = declaration.default.origin.value_span()
        return f"{span.file}:{span.line}"
    return ""


def names_of(drivers: Iterable[Driver]) -> Iterator[str]:
    """How people read drivers: those that change something only together stand with a plus between them."""
    done: set[str] = set()
    for driver in drivers:
        if driver.parameter not in done:
            done.update((driver.parameter, *driver.together))
            yield " + ".join(sorted((driver.parameter, *driver.together)))
