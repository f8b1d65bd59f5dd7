"""How a text is laid out, as far as its reader saw in passing."""

from dataclasses import dataclass, field

from jovial_scaffold.core.text.moulds import Cast

Pointer = tuple[str | int, ...]


@dataclass(slots=True)
class Outline:
    """What stands where, of the entries of the outermost map and of the maps below it."""

    #: the offsets where their lines begin
    starts: dict[Pointer, int] = field(default_factory=dict)
    #: those that are alike but for their digits
    casts: dict[Pointer, Cast] = field(default_factory=dict)
