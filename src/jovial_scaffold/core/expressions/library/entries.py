"""What an entry of the function table is."""

from collections.abc import Callable
from typing import Any, NamedTuple


class Overload(NamedTuple):
    """One signature of a function: `takes` begins with the target's type where it is a method; `any...` takes any number."""

    takes: tuple[str, ...]
    gives: str
    run: Callable[..., Any]


class Function(NamedTuple):
    """A function with all its signatures. `library` names where it is defined; `shallow` ones may be given lists and maps that
    hold pending or secret leaves. `cost` is how many steps a call counts."""

    name: str
    method: bool
    overloads: tuple[Overload, ...]
    about: str
    example: str
    library: str
    shallow: bool = False
    cost: int = 1


METHOD, GLOBAL = True, False
Signature = tuple[str, str, Callable[..., Any]]


def entry(
    library: str, name: str, method: bool, about: str, example: str, *overloads: Signature, shallow: bool = False, cost: int = 1
) -> Function:
    """An entry; each signature is written (types taken, type given, implementation)."""
    signatures = tuple(Overload(tuple(takes.split()), gives, run) for takes, gives, run in overloads)
    return Function(name, method, signatures, about, example, library, shallow, cost)
