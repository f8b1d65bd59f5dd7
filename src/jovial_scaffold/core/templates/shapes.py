"""What resources have in common whose properties differ in constants only: found once, and then looked up for each."""

from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, ListValue, MapValue, ResourceShape

_SIMPLE = frozenset((str, int, bool, type(None)))


class ResourceShapes:
    """The shapes of one template's resources."""

    def __init__(self) -> None:
        self._shapes: dict[tuple[Any, ...], ResourceShape] = {}

    def of(self, properties: MapValue, variables: tuple[str, ...]) -> tuple[ResourceShape, tuple[Any, ...]]:
        """The shape of some properties, and the constants that are their own."""
        described = _Description(frozenset(variables))
        for name, compiled in properties.entries:
            described.property(name, compiled)
        key = (*described.key, described.variables, described.is_plain)
        if key not in self._shapes:
            self._shapes[key] = described.shape(properties)
        return self._shapes[key], tuple(described.constants)


def constants_of(compiled: Compiled, variables: frozenset[str]) -> list[Any] | None:
    """The constants of one property, None where no shape describes it."""
    described = _Description(variables)
    described.property("", compiled)
    return described.constants if described.is_whole else None


def is_plain(value: Any) -> bool:
    """Whether a value holds neither marks nor doubles."""
    kind = type(value)
    if kind in _SIMPLE:
        return True
    if kind is dict or kind is list:
        parts = value.values() if kind is dict else value
        return _SIMPLE.issuperset(map(type, parts)) or all(map(is_plain, parts))
    return False


class _Left(Exception):
    """A form that is computed the careful way."""


class _Description:
    """What tells shapes apart, and the constants in the order in which they stand; `programs` are the expressions."""

    def __init__(self, variables: frozenset[str]) -> None:
        self.variables = variables
        self.key: list[Any] = []
        self.constants: list[Any] = []
        self.programs: list[tuple[int, Program]] = []
        self.is_plain = True
        self.is_whole = True

    def shape(self, properties: MapValue) -> ResourceShape:
        """What was described, as that of these properties."""
        steps: set[tuple[str | int, str]] = set()
        for at, program in self.programs:
            steps |= {(at + name if isinstance(name, int) else name, field) for name, field in program.shape.reading}
        is_simple = all(program.is_simple for _, program in self.programs)
        known = frozenset((name, field) for name, field in steps if isinstance(name, str) and name not in self.variables)
        holes = tuple((name, field) for name, field in sorted(steps, key=str) if isinstance(name, int))
        names = frozenset(name for name, _ in properties.entries)
        return ResourceShape(
            properties, self.variables, names, self.is_plain, self.is_whole, is_simple, known, holes, frozenset(name for name, _ in known)
        )

    def property(self, name: str, compiled: Compiled) -> None:
        """A property; nothing of one that is left to the careful way."""
        self.key.append(name)
        described, constants, programs = len(self.key), len(self.constants), len(self.programs)
        try:
            self._value(compiled)
        except _Left:
            del self.key[described:], self.constants[constants:], self.programs[programs:]
            self.key.append(_Left)
            self.is_whole = False

    def _value(self, compiled: Compiled) -> None:
        kind = type(compiled)
        if kind is Constant:
            value = compiled.value  # type: ignore[union-attr]  # it is a Constant
            self.key.append(Constant)
            self.constants.append(value)
            if type(value) not in _SIMPLE and not is_plain(value):
                self.is_plain = False
        elif kind is Dynamic:
            content = compiled.content  # type: ignore[union-attr]  # it is a Dynamic
            if type(content) is Formula:
                self._program(content.program)
            elif type(content) is Joined:
                self.key.append(len(content.parts))
                for part in content.parts:
                    if type(part) is str:
                        self.key.append(str)
                        self.constants.append(part)
                    else:
                        self._program(part.program)  # type: ignore[union-attr]  # what is no text is a formula
            else:
                raise _Left
        elif kind is MapValue and compiled.when is None and compiled.loop is None:  # type: ignore[union-attr]  # it is a MapValue
            self._map(compiled)  # type: ignore[arg-type]  # it is a MapValue
        elif kind is ListValue:
            self._list(compiled)  # type: ignore[arg-type]  # it is a ListValue
        else:
            raise _Left

    def _map(self, compiled: MapValue) -> None:
        self.key.append(MapValue)
        for name, item in compiled.entries:
            self.key.append(name)
            self._value(item)
        self.key.append(None)

    def _list(self, compiled: ListValue) -> None:
        self.key.append(ListValue)
        for item in compiled.items:
            if type(item) is MapValue and item.when is not None and item.loop is None:
                if type(item.when.content) is not Formula:
                    raise _Left
                self.key.append(Condition)
                self._program(item.when.content.program)
                self._map(item)
            else:
                self._value(item)
        self.key.append(None)

    def _program(self, program: Program) -> None:
        if self.variables and not self.variables.isdisjoint(program.constants):
            raise _Left  # a resource is hidden by a variable of its name
        self.key.append(program.shape)
        self.programs.append((len(self.constants), program))
        self.constants += program.constants
