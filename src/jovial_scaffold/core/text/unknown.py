"""The mark for a value that a finding already speaks of, so that what depends on it gets no second finding."""


class Unknown:
    """A value nobody knows because its source has a finding. There is one, `UNKNOWN`; nothing may be computed from it."""

    __slots__ = ()

    def __repr__(self) -> str:
        return "(unknown)"


UNKNOWN = Unknown()
