"""A JSON Patch (RFC 6902) from one document to another: add, remove and replace, and nothing that needs a second look."""

from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.text.source import Pointer, pointer_text

Operation = dict[str, Any]


def patch(before: Any, after: Any) -> list[Operation]:
    """The operations that turn one JSON document into the other, in the order of its keys."""
    return list(_operations(before, after, ()))


def _operations(before: Any, after: Any, pointer: Pointer) -> Iterator[Operation]:
    if isinstance(before, dict) and isinstance(after, dict):
        for key in sorted(before.keys() | after.keys()):
            here = (*pointer, key)
            if key not in after:
                yield {"op": "remove", "path": _path(here)}
            elif key not in before:
                yield {"op": "add", "path": _path(here), "value": after[key]}
            else:
                yield from _operations(before[key], after[key], here)
    elif isinstance(before, list) and isinstance(after, list):
        # What begins and ends alike stays; the middle is gone through one by one, its rest removed from the end or added.
        start = 0
        while start < min(len(before), len(after)) and _alike(before[start], after[start]):
            start += 1
        end = 0
        while end < min(len(before), len(after)) - start and _alike(before[-1 - end], after[-1 - end]):
            end += 1
        old, new = before[start : len(before) - end], after[start : len(after) - end]
        for index, (one, other) in enumerate(zip(old, new, strict=False), start):
            yield from _operations(one, other, (*pointer, index))
        for index in range(len(old) - 1, len(new) - 1, -1):
            yield {"op": "remove", "path": _path((*pointer, start + index))}
        for index in range(len(old), len(new)):
            yield {"op": "add", "path": _path((*pointer, start + index)), "value": new[index]}
    elif not _alike(before, after):
        yield {"op": "replace", "path": _path(pointer), "value": after}


def _alike(a: Any, b: Any) -> bool:
    """Equal as JSON: a boolean is no number."""
    if isinstance(a, bool) or isinstance(b, bool):
        return a is b
    if isinstance(a, dict) and isinstance(b, dict):
        return a.keys() == b.keys() and all(_alike(a[key], b[key]) for key in a)
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(map(_alike, a, b))
    return type(a) is type(b) and bool(a == b)


def _path(pointer: Pointer) -> str:
    return f"/{pointer_text(pointer)}" if pointer else ""
