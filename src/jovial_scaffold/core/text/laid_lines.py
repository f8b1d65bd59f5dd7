"""The lines of a text that is laid out, and how they are put together."""

from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

STEP = 2  # columns that what belongs to something stands further in
_FAR = 120  # characters: no comment is moved beyond


class Strange(Exception):
    """A text is laid out in a way that is left alone."""


class Line(NamedTuple):
    """A line of the new text: what stands in it, the comment behind that, and whether it stays as it is (`verbatim`)."""

    code: str
    comment: str = ""
    verbatim: bool = False


def joined(out: Sequence[Line]) -> str:
    """Lines as a text: comments behind lines that follow each other stand in a column, no two blank lines follow each other."""
    lines: list[tuple[str, bool]] = []
    for has_comment, group in groupby(out, key=lambda each: bool(each.comment)):
        run = list(group)
        if not has_comment:
            lines += [(each.code, each.verbatim) for each in run]
            continue
        column = max(len(each.code) for each in run) + 2
        for each in run:
            fits = column + len(each.comment) <= _FAR
            lines.append((f"{each.code.ljust(column) if fits else each.code + '  '}{each.comment}", each.verbatim))
    kept: list[str] = []
    blank = True
    for text, verbatim in lines:
        stripped = text if verbatim else text.rstrip()
        if not stripped and blank and not verbatim:
            continue
        blank = not stripped and not verbatim
        kept.append(stripped)
    while kept and not kept[-1] and not lines[-1][1]:
        kept.pop()
    return "".join(f"{line}\n" for line in kept)
