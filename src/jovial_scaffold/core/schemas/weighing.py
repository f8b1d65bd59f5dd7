"""How many parts of a schema judge one and the same value (JSON Schema 2020-12, section 10.2: in-place applicators).

Parts that refer to parts may multiply, so that a short schema could otherwise take for ever to judge a value.
"""

from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.limits import SCHEMA_WEIGHT
from jovial_scaffold.core.schemas.keywords import in_place
from jovial_scaffold.core.schemas.navigation import steps_of
from jovial_scaffold.core.text.source import Pointer, value_at


def overweight(schema: Any) -> Pointer | None:
    """Where a value would be judged by more parts than anybody writes; None where it is nowhere."""
    if "$ref" not in repr(schema):
        return None  # then it is judged by no more than are written
    known: dict[Pointer, int] = {}
    for start in _places(schema):
        waiting, under_way = [start], set()
        while waiting:
            place = waiting[-1]
            below = [each for each in _in_place(value_at(schema, place), place) if each not in under_way]
            unknown = [each for each in below if each not in known]
            if place not in known and unknown:
                under_way.add(place)
                waiting += [each for each in unknown if each not in under_way]
                continue
            waiting.pop()
            under_way.discard(place)
            known[place] = min(1 + sum(known.get(each, 0) for each in below), SCHEMA_WEIGHT.most + 1)
            if known[place] > SCHEMA_WEIGHT.most:
                return place
    return None


_APART = frozenset(("$defs", "definitions", "types"))


def _places(schema: Any) -> Iterator[Pointer]:
    """All maps of a schema that judge anything; definitions, as far as something refers to them."""
    waiting: list[Pointer] = [()]
    seen: set[Pointer] = {()}
    while waiting:
        place = waiting.pop()
        part = value_at(schema, place)
        below: list[Pointer] = []
        if isinstance(part, dict):
            yield place
            below = [(*place, key) for key in part if place or key not in _APART]
            below += [each for each in (_referred(part),) if each is not None]
        elif isinstance(part, list):
            below = [(*place, index) for index in range(len(part))]
        waiting += [each for each in below if each not in seen]
        seen.update(below)


def _referred(part: dict[str, Any]) -> Pointer | None:
    reference = part.get("$ref")
    if not isinstance(reference, str) or not reference.startswith("#/"):
        return None
    return steps_of(reference)


def _in_place(part: Any, place: Pointer) -> Iterator[Pointer]:
    """The parts that judge the same value as this one."""
    if not isinstance(part, dict):
        return
    yield from ((*place, *pointer) for pointer, _ in in_place(part))
    reference = _referred(part)
    if reference is not None:
        yield reference
