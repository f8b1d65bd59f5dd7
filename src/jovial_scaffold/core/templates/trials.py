"""What expressions are tried with before any environment: the finite values that they read, and whether every `must` accepts those."""

from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import islice, product
from typing import Any

from jovial_scaffold.core.expressions.checking import NOT_THERE, Path
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.expressions.syntax import Literal, Node, children
from jovial_scaffold.core.limits import COMPLETED_WITNESSES
from jovial_scaffold.core.templates.knowledge import Assignment, Known, is_of_environment, key_of
from jovial_scaffold.core.templates.model import Condition

Trial = tuple[Assignment, dict[Path, Any]]
"""Values of parameters, and of fields of which the type alone is known otherwise."""


@dataclass(slots=True)
class Choices:
    """Values that an expression may read: of parameters, of fields of which the type alone is known, and of the context."""

    known: Known
    parameters: dict[str, tuple[Any, ...]]
    fields: dict[Path, tuple[Any, ...]]
    contexts: list[dict[Path, Any]]

    @property
    def count(self) -> int:
        """How many combinations there are, whatever `must` allows."""
        total = len(self.contexts)
        for options in (*self.parameters.values(), *self.fields.values()):
            total *= len(options)
        return total

    def each(self, first: Collection[Any] | None = None) -> Iterator[Trial]:
        """All combinations that `must` allows. With `first`, those that hold these values come before the others, and before all of them a few
        in which each value comes about once: most of what is wrong is so for one value."""
        every = (*self.parameters.values(), *self.fields.values())
        if first is None:
            yield from self._trials(every)
            return
        ordered = [sorted(each, key=lambda value: not _is_in(value, first)) for each in every]
        for number in range(max(map(len, ordered), default=0)):
            yield from self._trials([(each[number % len(each)],) for each in ordered])
        yield from self._trials(ordered)

    def _trials(self, options: Sequence[Sequence[Any]]) -> Iterator[Trial]:
        names = len(self.parameters)
        for assignment in self._allowed(options[:names]):
            for values in product(*options[names:]):
                for context in self.contexts:
                    yield assignment, {**context, **dict(zip(self.fields, values, strict=True))}

    def _allowed(self, options: Sequence[Sequence[Any]]) -> Iterator[Assignment]:
        """The combinations of parameters that `must` allows, in order.

        Values are chosen one parameter after the other, and what is not allowed is left as soon as that is known: of millions of
        combinations, a `must` may leave a few.
        """
        names = list(self.parameters)
        if not self.known.is_possible or not names:
            yield from ({},) if self.known.is_possible else ()
            return
        chosen: dict[str, Any] = {}
        levels = [iter(options[0])]
        while levels:
            name = names[len(levels) - 1]
            for value in levels[-1]:
                chosen[name] = value
                if self.known.allows(name, chosen):
                    break
                if not self.known.knowledge.spend():
                    return
            else:
                chosen.pop(name, None)
                levels.pop()
                continue
            if len(levels) < len(names):
                levels.append(iter(options[len(levels)]))
            else:
                yield dict(chosen)


def _is_in(value: Any, values: Collection[Any]) -> bool:
    return any(type(value) is type(each) and value == each for each in values)


def choices_of(known: Known, names: Iterable[str], references: Sequence[Reference], fields: dict[Path, tuple[Any, ...]]) -> Choices:
    """The choices that some names and references leave: parameters with few values, and the declared environments where those are read."""
    read = list(names)
    closed = known.closure(read) & known.finite.keys()
    contexts = _contexts(known) if is_of_environment(references) or known.reads_environment(read) else [{}]
    return Choices(known, {name: known.finite[name] for name in sorted(closed)}, fields, contexts)


def _contexts(known: Known) -> list[dict[Path, Any]]:
    """What `context` holds in each declared environment; where none is declared, nothing is assumed."""
    environments = known.knowledge.environments
    every = dict.fromkeys((str(label) for labels in environments.values() for label in labels), NOT_THERE)
    found: list[dict[Path, Any]] = [
        {("context", ("environment",)): name, **{("context", ("labels", label)): value for label, value in {**every, **labels}.items()}}
        for name, labels in environments.items()
    ]
    return found or [{}]


def literals(formula: Formula, conditions: Sequence[Condition]) -> list[Any]:
    """The constants that an expression and the conditions around it speak of."""
    found = []
    waiting: list[Node] = [formula.node, *(each.content.node for each in conditions if isinstance(each.content, Formula))]
    while waiting:
        node = waiting.pop()
        if isinstance(node, Literal):
            found.append(node.value)
        waiting += children(node)
    return found


class Acceptance:
    """Whether values that show a mistake can be those of a whole set of parameters that every `must` accepts, in some environment."""

    def __init__(self, known: Known) -> None:
        template = known.template
        self._known = known
        self._requirements = [*template.must, *(each for declared in template.parameters.values() for each in declared.must)]
        contents = [each.require.content for each in self._requirements]
        self._reads = [each for content in contents if isinstance(content, Formula) for each in content.program.reads]
        self._answers: dict[tuple[Any, ...], bool] = {}

    @property
    def is_asked(self) -> bool:
        """Whether there is a `must` at all."""
        return bool(self._requirements)

    def accepts(self, assignment: Assignment, assumed: dict[Path, Any]) -> bool:
        """Whether what `must` reads besides can be chosen so that none is false, as far as is tried."""
        if not self._requirements or self._known.disregards_must:
            return True
        context = {path: value for path, value in assumed.items() if path[0] == "context"}
        key = (*key_of(assignment), *sorted(map(repr, context.items())))
        if key not in self._answers:
            self._answers[key] = self._completed(assignment, context)
        return self._answers[key]

    def _completed(self, assignment: Assignment, context: dict[Path, Any]) -> bool:
        choices = choices_of(self._known, [each.name for each in self._reads], self._reads, {})
        choices.parameters = {name: options for name, options in choices.parameters.items() if name not in assignment}
        choices.contexts = [context] if context else choices.contexts
        for more, around in islice(choices.each(), COMPLETED_WITNESSES.most):
            scope = self._known.scope({**assignment, **more}, around)
            if all(self._known.truth(each.require, scope, {}, around) is not False for each in self._requirements):
                return True
        return False
