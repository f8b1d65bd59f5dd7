"""The mark for a value that a finding already speaks of, so that what depends on it gets no second finding."""


class ComparedUnknown(Exception):
    """An unknown value was compared with another: whoever did so forgot that it may be unknown."""


class Unknown:
    """A value nobody knows because its source has a finding. There is one, `UNKNOWN`; nothing may be computed from it."""

    __slots__ = ()

    def __eq__(self, other: object) -> bool:
        if other is self:
            return True
        raise ComparedUnknown

    def __hash__(self) -> int:
        return 0

    def __repr__(self) -> str:
        return "(unknown)"


UNKNOWN = Unknown()
