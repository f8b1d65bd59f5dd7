"""When shapes get code, and are checked as one: a case may want it at once, or never, so that both ways are tried with few resources."""

import contextlib
from collections.abc import Iterator

from jovial_scaffold.core.expressions import program
from jovial_scaffold.core.expressions import shapes as expression_shapes
from jovial_scaffold.core.rendering import shapes
from jovial_scaffold.core.templates import families

USUAL = (shapes.FEW,) * 6
NEVER = 10**9


@contextlib.contextmanager
def code_from(least: int) -> Iterator[None]:
    """Within, shapes get code after as many uses: 0 is at once, NEVER leaves everything to the careful way."""
    before = shapes.FEW, program.HOT, expression_shapes.SHARED, families.LEAST
    shapes.FEW, program.HOT, expression_shapes.SHARED = least, max(least, 1), least < NEVER
    families.LEAST = least + 2
    try:
        yield
    finally:
        shapes.FEW, program.HOT, expression_shapes.SHARED, families.LEAST = before
