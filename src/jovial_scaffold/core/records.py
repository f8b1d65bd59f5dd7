"""Records that are cheap to make: a program that starts often must not spend its time on writing methods that nobody calls."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar, dataclass_transform

T = TypeVar("T")


@dataclass_transform(frozen_default=True)
def record(cls: type) -> Any:
    """A record whose fields stay as they are, which mypy sees to; two are equal only where they are the same."""
    made: Any = dataclass(slots=True, eq=False, repr=False)(cls)
    made.__reduce__ = _reduced
    return made


@dataclass_transform(frozen_default=True)
def value_record(cls: type) -> Any:
    """The same, of which two are equal where all of their fields are, and which shows them."""
    made = record(cls)
    made.__eq__, made.__hash__, made.__repr__ = _is_equal, _hash, _shown
    return made


def _held(value: Any) -> tuple[Any, ...]:
    return tuple([getattr(value, name) for name in value.__match_args__])


def _reduced(value: Any) -> tuple[type, tuple[Any, ...]]:
    return type(value), _held(value)  # half as long for pickle as a state by names


def _is_equal(one: Any, other: Any) -> bool:
    return one is other or (type(one) is type(other) and _held(one) == _held(other))


def _hash(value: Any) -> int:
    return hash(_held(value))


def _shown(value: Any) -> str:
    fields = ", ".join(f"{name}={getattr(value, name)!r}" for name in value.__match_args__)
    return f"{type(value).__qualname__}({fields})"


def at_once(value: T) -> Callable[[], T]:
    """A value that is there already, where one may be made later."""
    return lambda: value


class Later(Generic[T]):
    """A value that is made when it is first asked for: of very many, most are asked for nothing but what they have in common."""

    __slots__ = ("_make", "_value")

    def __init__(self, make: Callable[[], T]) -> None:
        self._make: Callable[[], T] | None = make

    def __call__(self) -> T:
        if self._make is not None:
            self._value = self._make()
            self._make = None
        return self._value
