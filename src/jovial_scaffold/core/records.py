"""Records that are cheap to make: a program that starts often must not spend its time on writing methods that nobody calls."""

import dataclasses
import inspect
from collections.abc import Callable
from dataclasses import Field, field
from operator import attrgetter
from typing import Any, Generic, TypeVar, dataclass_transform

T = TypeVar("T")
_NONE: Any = object()  # there is no default


@dataclass_transform(frozen_default=True, field_specifiers=(field,))
def record(cls: type) -> Any:
    """A record whose fields stay as they are, which mypy sees to; two are equal only where they are the same.

    It is what `dataclasses` would make with slots, in a quarter of the time, of which a start has little: one method is written, not five.
    """
    own = [*inspect.get_annotations(cls)]
    defaults = dict(getattr(cls, "__record_defaults__", {}))
    defaults.update((name, cls.__dict__[name]) for name in own if name in cls.__dict__)
    names = [*getattr(cls, "__match_args__", ()), *own]
    body = {name: value for name, value in cls.__dict__.items() if name not in (*own, "__dict__", "__weakref__")}
    body |= {"__slots__": tuple(own), "__match_args__": tuple(names), "__record_defaults__": defaults}
    body |= {"__init__": _init(names, defaults, hasattr(cls, "__post_init__")), "__reduce__": _reduced, "_held": _getter(names)}
    return type(cls)(cls.__name__, cls.__bases__, body)


def _init(names: list[str], defaults: dict[str, Any], is_followed: bool) -> Callable[..., None]:
    """A method that sets the fields; what a field is by default, or what makes it, is a name of the method's own."""
    scope: dict[str, Any] = {}
    arguments, lines = [], []
    for name in names:
        default = defaults.get(name, _NONE)
        if default is _NONE:
            arguments.append(name)
        else:
            made = isinstance(default, Field)
            scope[f"_{name}"] = default.default_factory if isinstance(default, Field) else default
            arguments.append(f"{name}=_none" if made else f"{name}=_{name}")
            if made:
                lines.append(f" if {name} is _none: {name} = _{name}()")
        lines.append(f" self.{name} = {name}")
    lines += [" self.__post_init__()"] if is_followed else []
    scope["_none"] = _NONE
    exec(f"def __init__(self, {', '.join(arguments)}):\n" + "\n".join(lines or [" pass"]), scope)
    made_method: Callable[..., None] = scope["__init__"]
    return made_method


def replace(value: T, /, **changes: Any) -> T:
    """The same record, or object of a dataclass, with some fields changed."""
    kind = type(value)
    if not hasattr(kind, "__record_defaults__"):
        made: T = dataclasses.replace(value, **changes)  # type: ignore[type-var]
        return made
    if hasattr(kind, "__post_init__"):
        return kind(**{**{name: getattr(value, name) for name in kind.__match_args__}, **changes})  # type: ignore[attr-defined]
    changed = kind(*value._held(value))  # type: ignore[attr-defined]
    try:
        for name, new in changes.items():
            setattr(changed, name, new)
    except AttributeError:
        raise TypeError(f"{kind.__name__} has no field {name}") from None
    return changed


@dataclass_transform(frozen_default=True, field_specifiers=(field,))
def value_record(cls: type) -> Any:
    """The same, of which two are equal where all of their fields are, and which shows them."""
    made = record(cls)
    made.__eq__, made.__hash__, made.__repr__ = _is_equal, _hash, _shown
    return made


def _getter(names: list[str]) -> Callable[[Any], tuple[Any, ...]]:
    """A function that gives all fields: of very many records it is asked when they are handed to another process."""
    get = attrgetter(*names) if names else None
    if get is None:
        return staticmethod(lambda value: ())
    return staticmethod(get if len(names) > 1 else lambda value: (get(value),))


def _reduced(value: Any) -> tuple[type, tuple[Any, ...]]:
    return type(value), value._held(value)  # half as long for pickle as a state by names


def _is_equal(one: Any, other: Any) -> bool:
    return one is other or (type(one) is type(other) and one._held(one) == other._held(other))


def _hash(value: Any) -> int:
    return hash(value._held(value))


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
