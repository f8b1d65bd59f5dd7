"""Which of the parameters that were read a value hangs on: one is changed alone, to what other environments have and to values near and
far, and the value is evaluated again. What changes nothing was only read on the way, and explains nothing.
"""

import itertools
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.snapshots import scalars
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.limits import TRIED_VALUES
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.rendering.explaining import Reason
from jovial_scaffold.core.rendering.overlays import MISSING, Overlay, trial_meter
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.text.source import Pointer, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN

_NAME = regex(r"[a-z][a-z0-9_]*")
_WRITTEN = regex(r"'([^'\\]*)'|\"([^\"\\]*)\"|\b(\d+(?:\.\d+)?)\b")
_FIELD = regex(r"\.\??([a-z_][A-Za-z0-9_]*)")
_PARTS = 12  # of a map or list, that are changed one by one
#: steps that explain nothing once nothing is left behind them
_PASSING = frozenset(("value", "argument", "variable", "default", "output", "resource", "context", "condition"))


def confirmed(reason: Reason, rendering: Evaluated, others: Sequence[Evaluated], address: str, pointer: Pointer) -> Reason:
    """The tree behind a value, without the parameters that it does not hang on."""
    # Of what is not there, only that could be said, whatever part of it was asked about.
    ask = _asked(rendering, address, pointer) if not reason.is_presence else lambda overlay: overlay.instance(address) is not None
    if ask is None:
        return reason
    meter = trial_meter(rendering)
    before = ask(Overlay(rendering, {}, meter))
    written = {*_literals(reason), *itertools.islice(_told(rendering.parameters.values), _PARTS * 4)}
    known: dict[str, bool] = {}

    def drives(name: str) -> bool:
        if name not in known:
            known[name] = _drives(name)
        return known[name]

    def _drives(name: str) -> bool:
        value = rendering.parameters.values.get(name, UNKNOWN)
        if value is UNKNOWN:
            return True
        elsewhere = [each.parameters.values[name] for each in others if name in each.parameters.values]
        tried = 0
        for other in (*elsewhere, *_variants(value, written)):
            if other is UNKNOWN or same(other, value):
                continue
            tried += 1
            if tried > TRIED_VALUES.most:
                break
            changed = not _alike(before, ask(Overlay(rendering, {name: other}, meter)))
            if changed or meter.spent:  # where nothing more may be tried, what was read stays
                return True
        return False

    def kept(each: Reason) -> Reason | None:
        name = _NAME.match(each.name)
        is_parameter = each.kind == "parameter" or (each.kind == "default" and "/" not in each.name)
        below = tuple(found for found in map(kept, each.reasons) if found is not None)
        if is_parameter and name is not None and name[0] in rendering.parameters.values and not below and not drives(name[0]):
            return None
        if each.reasons and not below and each.kind in _PASSING:
            return None
        return replace(each, reasons=below)

    return replace(reason, reasons=tuple(found for found in map(kept, reason.reasons) if found is not None))


def _asked(rendering: Evaluated, address: str, pointer: Pointer) -> Callable[[Overlay], Any] | None:
    """How what is explained is asked for; None where it is a parameter itself, or something else that is not tried."""
    if address in rendering.resources:
        resource = rendering.resources[address]
        lists = resource.type.lists if resource.type is not None else NO_LISTS
        named = lists.keys(resource.properties, lists.positions(resource.properties, pointer))
        name = str(pointer[0])

        def asked(overlay: Overlay) -> Any:
            value = overlay.property(address, name)
            return _part(value, lists.positions({name: value}, named)[1:])

        return asked
    template = rendering.scope.template
    output = template.output_at(address)
    if output is not None:
        return lambda overlay: _part(overlay.output(output.name), pointer)
    if address in template.documents:
        return lambda overlay: (found.compared, found.to) if (found := overlay.document(address)) is not None else MISSING
    return None


def _part(value: Any, pointer: Pointer) -> Any:
    for step in pointer:
        held = value.value if isinstance(value, Secret) else value
        if not isinstance(held, dict | list):
            return held
        value = value_at(held, (step,), MISSING)
    return value


def _alike(one: Any, other: Any) -> bool:
    if one is MISSING or other is MISSING or isinstance(one, tuple):
        return bool(one is other or (isinstance(one, tuple) and one == other))
    return same(one, other)


def _literals(reason: Reason) -> Iterator[Any]:
    """The numbers and texts that stand in the expressions of a tree: where a condition changes its mind."""
    for match in _WRITTEN.finditer(reason.written):
        single, double, number = match.groups()
        if number is not None:
            yield float(number) if "." in number else int(number)
        else:
            yield single if single is not None else double
    yield from _FIELD.findall(reason.written)  # a part that is not there might be
    for each in reason.reasons:
        yield from _literals(each)


def _told(values: Any) -> Iterator[Any]:
    """The texts and numbers in what parameters are set to: one may be compared with another."""
    return (each for each in scalars(values) if type(each) in (str, int, float))


def _variants(value: Any, written: set[Any]) -> Iterator[Any]:
    """Other values of the same kind, the nearest first."""
    if isinstance(value, Secret):
        yield from (Secret(each) for each in _variants(value.value, written))
    elif isinstance(value, bool):
        yield not value
    elif isinstance(value, int | float):
        kind = type(value)
        numbers = [each for each in written if isinstance(each, int | float)]
        near = [value + 1, value - 1, 0, 1, *numbers, *(each + 1 for each in numbers), *(each - 1 for each in numbers), value * 1000 + 7]
        yield from (kind(each) for each in near)
    elif isinstance(value, str):
        yield from (f"{value}x", "", *(each for each in sorted(map(str, written))), value[:1], value.swapcase())
    elif isinstance(value, list):
        yield from (value[:-1], [], value[::-1])
        for index, item in enumerate(value[:_PARTS]):
            yield from ([*value[:index], each, *value[index + 1 :]] for each in _variants(item, written))
    elif isinstance(value, dict):
        yield {}
        for key, item in list(value.items())[:_PARTS]:
            yield {name: each for name, each in value.items() if name != key}
            yield from ({**value, key: each} for each in _variants(item, written))
        yield from ({**value, name: "x"} for name in sorted(each for each in written if isinstance(each, str)) if name not in value)
