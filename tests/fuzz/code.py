"""When shapes get code, are checked as one, and entries of a text are cast: a case may want it at once, or never, so that both ways are tried with few resources."""

import contextlib
from collections.abc import Iterator

from jovial_scaffold.core.expressions import program
from jovial_scaffold.core.expressions import shapes as expression_shapes
from jovial_scaffold.core.rendering import shapes
from jovial_scaffold.core.templates import members, probing
from jovial_scaffold.core.text import moulds

USUAL = (shapes.FEW,) * 6
NEVER = 10**9


@contextlib.contextmanager
def code_from(least: int) -> Iterator[None]:
    """Within, shapes get code after as many uses: 0 is at once, NEVER leaves everything to the careful way."""
    before = shapes.FEW, program.HOT, expression_shapes.SHARED, members.LEAST, probing.FEW
    probing.FEW = least
    shapes.FEW, program.HOT, expression_shapes.SHARED = least, max(least, 1), least < NEVER
    members.LEAST = least + 2
    try:
        with cast_from(least):
            yield
    finally:
        shapes.FEW, program.HOT, expression_shapes.SHARED, members.LEAST, probing.FEW = before


@contextlib.contextmanager
def cast_from(least: int) -> Iterator[None]:
    """Within, entries of a text are cast after as many that are alike, and two more."""
    before = moulds.LEAST, moulds.ALIKE
    moulds.LEAST, moulds.ALIKE = least, least + 2
    try:
        yield
    finally:
        moulds.LEAST, moulds.ALIKE = before
