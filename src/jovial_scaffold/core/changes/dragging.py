"""What a rebuild drags along: whatever holds a value that the cloud gives anew."""

from collections.abc import Iterator, Mapping
from typing import Any

from jovial_scaffold.core.changes.changing import change_effect
from jovial_scaffold.core.changes.effect_records import MISSING, Change, Effect, effect_of
from jovial_scaffold.core.changes.secrecy import as_secret
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.results import RenderedResource, Rendering
from jovial_scaffold.core.text.source import Pointer, pointer_text, value_at


def drag(found: dict[str, Effect], rendering: Rendering, held: Mapping[str, dict[str, Any]]) -> None:
    """A rebuilt resource gets new values from the cloud: what holds such a value changes, and may be rebuilt for it, and so on.

    `held` are the properties that each has until then, by its address in the rendering.
    """
    holders: dict[str, list[tuple[str, Pointer, Pending]]] = {}
    for address, each in rendering.resources.items():
        if found[address].effect != "add":
            for pointer, value in pending_in(each.properties):
                for origin in {origin.partition(":")[0] for origin in value.origins}:
                    holders.setdefault(origin, []).append((address, pointer, value))
    waiting = sorted(address for address, each in found.items() if each.effect == "rebuild")
    done: set[str] = set()
    while waiting:
        rebuilt = waiting.pop(0)
        if rebuilt in done:
            continue
        done.add(rebuilt)
        for address, pointer, value in holders.get(rebuilt, ()):
            effect = found[address]
            resource = rendering.resources[address]
            label = _label(resource, pointer)
            was = value_at(held.get(address, {}), pointer, MISSING)
            if was is not MISSING:
                was = as_secret(was, value_at(resource.properties, pointer, None))
            sure = [each for each in effect.changes if each.certain and each.counted and not each.because]
            if any(label[: len(each.pointer)] == each.pointer for each in sure):
                continue  # what changes anyway has its own cause
            because = *(before for each in effect.changes if each.pointer == label for before in each.because), rebuilt
            change = Change(label, was, value, change_effect(resource.type, pointer, was, value, MISSING), because)
            others = [each for each in effect.changes if each.pointer != label]
            dragged = tuple(dict.fromkeys((*effect.dragged, rebuilt)))
            changes = tuple(sorted((*others, change), key=lambda each: pointer_text(each.pointer)))
            found[address] = replace(effect, changes=changes, dragged=dragged, effect=effect_of(changes, effect.formerly, address))
            if found[address].effect == "rebuild":
                waiting.append(address)


def _label(resource: RenderedResource, pointer: Pointer) -> Pointer:
    """A pointer with the items of lists by their key, where they have one."""
    label: list[str | int] = []
    value: Any = resource.properties
    for depth, step in enumerate(pointer):
        key = resource.type.lists.key(pointer[:depth]) if isinstance(step, int) and resource.type else None
        value = (value.value if isinstance(value, Secret) else value)[step]
        label.append(str(value[key]) if key and isinstance(value, dict) and key in value else step)
    return tuple(label)


def pending_in(value: Any, pointer: Pointer = ()) -> Iterator[tuple[Pointer, Pending]]:
    """What is pending in a value, secrets included, and where."""
    if isinstance(value, Pending):
        yield pointer, value
    elif isinstance(value, Secret):
        yield from pending_in(value.value, pointer)
    elif isinstance(value, dict):
        for key in sorted(value):
            yield from pending_in(value[key], (*pointer, key))
    elif isinstance(value, list):
        for index, item in enumerate(value):
            yield from pending_in(item, (*pointer, index))
