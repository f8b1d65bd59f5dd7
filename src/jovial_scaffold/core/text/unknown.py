"""The mark for a value that a finding already speaks of, so that what depends on it gets no second finding."""

from jovial_scaffold.core import marks


class ComparedUnknown(Exception):
    """An unknown value was compared by `==`: whoever did so forgot that a value may be unknown."""


class Unknown:
    """A value nobody knows because its source has a finding. There is one, `UNKNOWN`; nothing may be computed from it."""

    __slots__ = ()

    def __eq__(self, other: object) -> bool:
        raise ComparedUnknown

    __hash__ = None  # type: ignore[assignment]  # what cannot be compared cannot be a key

    def __repr__(self) -> str:
        return marks.UNKNOWN

    def __reduce__(self) -> str:
        return "UNKNOWN"  # in another process, too, there is one


UNKNOWN = Unknown()
