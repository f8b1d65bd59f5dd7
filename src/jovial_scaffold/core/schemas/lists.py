"""What a schema says of its lists (docs/catalogs.md, `listKey` and `anyOrder`), looked up once for each place."""

from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import Any

from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.text.source import Pointer, value_at


class Lists:
    """The lists of one schema, by pointers."""

    def __init__(self, schema: Any) -> None:
        self._schema = schema
        self._known: dict[Pointer, tuple[str | None, bool]] = {}

    def key(self, pointer: Pointer) -> str | None:
        """The property that identifies the items of a list, if there is one."""
        return self._at(pointer)[0]

    @cached_property
    def keyed(self) -> bool:
        """Whether any list has such a property."""
        return "listKey" in repr(self._schema)

    @cached_property
    def _outermost(self) -> tuple[tuple[str, str], ...] | None:
        """The properties that are such lists, each with the property that identifies its items; None where there are some further in, too."""
        properties = self._schema.get("properties", {}) if isinstance(self._schema, dict) else {}
        found = [(name, key) for name in properties if (key := self.key((name,))) is not None]
        return tuple(found) if repr(self._schema).count("'listKey'") == len(found) else None

    def clashes(self, properties: dict[str, Any]) -> Iterable[tuple[Pointer, str, Any]]:
        """Items of lists that are identified by the same value as one before: where, by which property, and the value."""
        if self._outermost is None:
            return self._clashes(properties, ())
        found: list[tuple[Pointer, str, Any]] = []
        for name, key in self._outermost:
            items = properties.get(name)
            if type(items) is list and len(items) > 1:
                keys = [value for item in items if type(item) is dict and type(value := item.get(key)) is str]
                if len(set(keys)) < len(keys):
                    found += self._clashes(items, (name,))
        return found

    def _clashes(self, value: Any, pointer: Pointer) -> Iterator[tuple[Pointer, str, Any]]:
        if isinstance(value, dict):
            for name, item in value.items():
                if isinstance(item, dict | list):
                    yield from self._clashes(item, (*pointer, name))
        elif isinstance(value, list):
            key = self.key(pointer)
            seen: set[str] = set()
            for index, item in enumerate(value):
                found = item.get(key) if key is not None and isinstance(item, dict) else None
                if isinstance(found, str):
                    if found in seen:
                        yield (*pointer, index), str(key), found
                    seen.add(found)
                if isinstance(item, dict | list):
                    yield from self._clashes(item, (*pointer, index))

    def positions(self, value: Any, pointer: Pointer) -> Pointer:
        """A pointer that may name items by their keys, with their positions instead; as it is from where there is no such part."""
        found: list[str | int] = []
        within: Pointer = ()
        for step in pointer:
            number: str | int = step
            if isinstance(value, list):
                key = self.key(within)
                named = [index for index, item in enumerate(value) if key and isinstance(item, dict) and str(item.get(key)) == str(step)]
                number = named[0] if named else int(step) if str(step).isdigit() else step
            found.append(number)
            within = (*within, 0 if isinstance(value, list) else step)
            value = value_at(value, (number,))
        return tuple(found)

    def keys(self, value: Any, pointer: Pointer) -> Pointer:
        """A pointer with the keys of items that have some instead of their positions."""
        found: list[str | int] = []
        within: Pointer = ()
        for step in pointer:
            key = self.key(within) if isinstance(value, list) else None
            within = (*within, 0 if isinstance(value, list) else step)
            value = value_at(value, (step,))
            name = value.get(key) if key is not None and isinstance(value, dict) else None
            found.append(name if isinstance(name, str) else step)
        return tuple(found)

    def any_order(self, pointer: Pointer) -> bool:
        """Whether the order of a list means nothing."""
        return self._at(pointer)[1]

    def _at(self, pointer: Pointer) -> tuple[str | None, bool]:
        known = self._known.get(pointer)
        if known is None:
            parts = subschema(self._schema, pointer)
            key = next((part["listKey"] for part in parts if isinstance(part.get("listKey"), str)), None)
            known = self._known[pointer] = (key, any(part.get("anyOrder") is True for part in parts))
        return known


NO_LISTS = Lists({})
"""Those of a value that no schema speaks of."""
