"""How kinds of things look: a shape and a colour for each type, told apart by both; colours that the colour-blind can tell apart."""

from collections.abc import Iterable

# Okabe and Ito, "Color Universal Design" (2008), lightened for fills; each beside the ink that draws its outline.
_COLOURS = (
    ("#dcecf7", "#0072b2"),
    ("#fdeccc", "#b87800"),
    ("#d3efe6", "#00795a"),
    ("#f7dde9", "#a84b80"),
    ("#fbe0d0", "#b84a00"),
    ("#e3f1fb", "#2f7fb0"),
    ("#f6f3c8", "#8a8200"),
    ("#e6e6e6", "#4d4d4d"),
)
SHAPES = ("square", "round", "cut", "drum", "point", "notch", "fold")


# How a catalog's `look` is drawn.
_SHAPE_OF = {
    "store": "drum",
    "net": "round",
    "machine": "square",
    "gate": "cut",
    "queue": "point",
    "key": "notch",
    "document": "fold",
}


def looks(kinds: Iterable[tuple[str, str]]) -> dict[str, tuple[str, str, str]]:
    """For each type, given with its look, its shape, fill and outline; the same type always looks the same among the same types."""
    look_of: dict[str, str] = {}
    every = set()
    for kind, look in kinds:
        every.add(kind)
        name = kind.rpartition(".v")[0] or kind
        look_of[name] = look_of.get(name) or look
    found = {}
    for index, name in enumerate(sorted(look_of)):
        shape = _SHAPE_OF.get(look_of[name]) or SHAPES[index % len(SHAPES)]
        found[name] = (shape, *_COLOURS[index % len(_COLOURS)])
    return {kind: found[kind.rpartition(".v")[0] or kind] for kind in every}


def outline(shape: str, x: float, y: float, width: float, height: float) -> list[tuple[float, float]]:
    """The corners of a shape; `round` and `drum` are bent by whoever draws them."""
    right, bottom = x + width, y + height
    bite = 9.0
    if shape == "cut":
        return [
            (x + bite, y),
            (right - bite, y),
            (right, y + bite),
            (right, bottom - bite),
            (right - bite, bottom),
            (x + bite, bottom),
            (x, bottom - bite),
            (x, y + bite),
        ]
    if shape == "point":
        return [(x, y), (right - bite, y), (right, y + height / 2), (right - bite, bottom), (x, bottom)]
    if shape == "notch":
        return [(x, y), (right, y), (right, bottom), (x, bottom), (x + bite * 0.7, y + height / 2)]
    if shape == "fold":
        return [(x, y), (right - bite * 1.4, y), (right, y + bite * 1.4), (right, bottom), (x, bottom)]
    return [(x, y), (right, y), (right, bottom), (x, bottom)]
