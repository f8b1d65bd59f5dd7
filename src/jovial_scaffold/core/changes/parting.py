"""Which parts of a structured value are others than they were: entries of maps by their keys, items of lists by what tells them from each other."""

from collections.abc import Collection, Iterator, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.effect_records import MISSING
from jovial_scaffold.core.changes.snapshots import Hash
from jovial_scaffold.core.expressions.values import UNSEEN, Secret, deep_marks
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN


class Part(NamedTuple):
    """A part that is another: its `label` has the keys of items; `at` is where it stands now, or what it stood in. MISSING is what is not there."""

    label: Pointer
    at: Pointer
    was: Any
    becomes: Any


class _Step(NamedTuple):
    """An entry or item of two values: what it is called, and its step in the newer one, where it is there."""

    label: str | int
    then: Any
    now: Any
    at: str | int | None


def parts(then: Any, now: Any) -> Iterator[Part]:
    """The parts of a value that are not as they were; the whole of it where nothing tells its parts."""
    yield from _parts(then, now, (), ())


def _parts(then: Any, now: Any, label: Pointer, at: Pointer) -> Iterator[Part]:
    if then is not MISSING and now is not MISSING and same(then, now):
        return
    steps = _steps(then, now)
    if steps is None:
        yield Part(label, at, then, now)
        return
    for each in steps:
        yield from _parts(each.then, each.now, (*label, each.label), at if each.at is None else (*at, each.at))


def mixed(then: Any, now: Any, chosen: Collection[Pointer], label: Pointer = ()) -> Any:
    """The newer value, with what the `chosen` parts were; MISSING where that was nothing."""
    if label in chosen:
        return then
    steps = _steps(then, now) if then is not MISSING and now is not MISSING and not same(then, now) else None
    if steps is None:
        return now
    held = [(each.label, mixed(each.then, each.now, chosen, (*label, each.label))) for each in steps]
    if isinstance(now, dict):
        return {key: value for key, value in held if value is not MISSING}
    return [value for _, value in held if value is not MISSING]


def given_back(then: Any, now: Any) -> Any:
    """What was, as far as it can be given again: secrets are what they are now, since nobody records them, and unknown in what is gone; what is
    unknown now stays so."""
    if now is UNKNOWN or not (deep_marks(then)[1] or any(deep_marks(now)[1:])):
        return _without_recorded(then)
    chosen = {
        each.label for each in parts(then, now) if not any(isinstance(side, Secret) or side is UNKNOWN for side in (each.was, each.becomes))
    }
    return _without_recorded(mixed(then, now, chosen))


def _without_recorded(value: Any) -> Any:
    """A value without what stands for secrets in a snapshot."""
    if isinstance(value, Secret):
        return UNKNOWN if value.value is UNSEEN or isinstance(value.value, Hash) else value
    if isinstance(value, dict):
        return {key: _without_recorded(item) for key, item in value.items()}
    return [_without_recorded(item) for item in value] if isinstance(value, list) else value


def _steps(then: Any, now: Any) -> list[_Step] | None:
    """What two maps or lists consist of; None where they are taken as a whole."""
    if isinstance(then, dict) and isinstance(now, dict) and (then or now):
        return [_Step(key, then.get(key, MISSING), now.get(key, MISSING), key if key in now else None) for key in {**now, **then}]
    if not isinstance(then, list) or not isinstance(now, list) or not all(isinstance(each, dict) for each in (*then, *now)):
        return None
    key = _key(then, now)
    if key is None:
        return [_Step(index, a, b, index) for index, (a, b) in enumerate(zip(then, now, strict=True))] if len(then) == len(now) else None
    older, newer = ({str(each[key]): each for each in items} for items in (then, now))
    if [name for name in older if name in newer] != [name for name in newer if name in older]:
        return None  # their order is another, too
    gone: dict[str | None, list[_Step]] = {}  # by what they stood behind, of what is still there
    behind: str | None = None
    for name, item in older.items():
        if name in newer:
            behind = name
        else:
            gone.setdefault(behind, []).append(_Step(name, item, MISSING, None))
    found = gone.get(None, [])
    for index, (name, item) in enumerate(newer.items()):
        found += [_Step(name, older.get(name, MISSING), item, index), *gone.get(name, ())]
    return found


def _key(then: Sequence[Any], now: Sequence[Any]) -> str | None:
    """The property that all items have, that tells them from each other, and that most of them have kept, the first of several: a text, else an
    integer. None where there is none, or there is nothing to be told."""
    for kind in (str, int):
        found: list[tuple[int, str]] = []
        for name in now[0] if then and now else ():
            older, newer = ([each.get(name) for each in items] for items in (then, now))
            if all(type(value) is kind for value in (*older, *newer)) and len({*older}) == len(older) and len({*newer}) == len(newer):
                found.append((len({*older} & {*newer}), str(name)))
        if found:
            return max(found, key=lambda each: each[0])[1]
    return None
