"""Where the names of an expression get their values."""

from collections.abc import Mapping
from typing import Any, Protocol

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.words import nearest, say


class Names(Protocol):
    """Anything that names can be looked up in."""

    def __getitem__(self, name: str, /) -> Any: ...


class Scope(Protocol):
    """Where names get their values.

    `names[name]` gives the same values for generated code, and may raise anything where it cannot.
    """

    @property
    def names(self) -> Names: ...

    def value(self, name: str) -> Any:
        """The value of a name; may be a mark or a Record. Raises EvaluationError where there is none."""

    def function(self, name: str) -> "OwnFunction | None":
        """A function that the template declares."""


class OwnFunction(Protocol):
    """A function that users wrote. Arguments may be marks."""

    def run(self, arguments: list[Any]) -> Any:
        """The result. Raises EvaluationError."""

    def typed(self, arguments: list[Any]) -> Any:
        """The result as far as it is known when arguments may be types. Raises EvaluationError where none can fit."""


class MapScope:
    """A scope over a map. Names may hold dots: of `a.b.c`, the longest name that there is comes first, as the language defines."""

    def __init__(self, names: Mapping[str, Any]) -> None:
        self.names: Names = names
        self._known = names
        self.dotted = frozenset(name for name in names if "." in name)

    def value(self, name: str) -> Any:
        """The entry of the map."""
        if name in self._known:
            return self._known[name]
        raise EvaluationError(say("Nothing is called `{}` here.", name), hint=nearest(name, self._known), id="name-unknown")

    def function(self, name: str) -> OwnFunction | None:
        """There are none."""
        return None


class LookupScope:
    """A scope whose `value` serves generated code as well."""

    @property
    def names(self) -> Names:
        """What generated code looks names up in: the scope itself."""
        return self

    def __getitem__(self, name: str, /) -> Any:
        return self.value(name)

    def value(self, name: str) -> Any:
        """The value of a name. Raises EvaluationError."""
        raise NotImplementedError

    def function(self, name: str) -> OwnFunction | None:
        """A function that the template declares."""
        return None


class LayeredScope(LookupScope):
    """A map of names before another scope."""

    def __init__(self, first: Mapping[str, Any], below: Scope) -> None:
        self.first = first
        self.below = below

    def value(self, name: str) -> Any:
        """The value of a name. Raises EvaluationError."""
        return self.first[name] if name in self.first else self.below.value(name)

    def function(self, name: str) -> OwnFunction | None:
        """A function of the scope below."""
        return self.below.function(name)
