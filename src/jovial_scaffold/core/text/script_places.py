"""Where the values of a text stand, as who changes it asks for them."""

from collections.abc import Iterable, Iterator

from jovial_scaffold.core.text.source import Place, Pointer, Source, value_at

NOTHING = object()  # where there is no value


class Unplaced(Exception):
    """There is no place for an edit: the text has nothing there, or is not laid out as a map."""


class Places:
    """Where values stand. Of a large text they are looked for one by one, where its reader can do that: an edit asks for few."""

    def __init__(self, source: Source, one_by_one: bool) -> None:
        self._source = source
        self._one_by_one = one_by_one

    def __contains__(self, pointer: Pointer) -> bool:
        return self.get(pointer) is not None

    def __getitem__(self, pointer: Pointer) -> Place:
        found = self.get(pointer)
        if found is None:
            raise Unplaced(pointer)
        return found

    def __iter__(self) -> Iterator[Pointer]:
        return iter(self._source.places())

    def get(self, pointer: Pointer) -> Place | None:
        """The place of a value; None where there is none."""
        if not self._one_by_one or not pointer:
            return self._source.places().get(pointer)
        there = value_at(self._source.value, pointer, NOTHING) is not NOTHING
        return self._source.place(pointer) if there else None


class Children:
    """What stands in each map and list, in the order of the text."""

    def __init__(self, source: Source, places: Places) -> None:
        self._source = source
        self._places = places
        self._known: dict[Pointer, list[Pointer]] = {}

    def __getitem__(self, pointer: Pointer) -> list[Pointer]:
        if pointer not in self._known:
            held = value_at(self._source.value, pointer, None) if pointer else self._source.value
            keys: Iterable[str | int] = held if isinstance(held, dict) else range(len(held)) if isinstance(held, list) else ()
            found = {(*pointer, key): place for key in keys if (place := self._places.get((*pointer, key))) is not None}
            self._known[pointer] = sorted(found, key=lambda each: (found[each].key_start, found[each].start))
        return self._known[pointer]
