"""Echoes as text: rows that only repeat parameters, those together that repeat the same in the same way."""

from collections.abc import Iterator, Sequence
from itertools import zip_longest

from jovial_scaffold.core.changes.matrix import Row, same
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.reports.dense import is_line, label_of
from jovial_scaffold.reports.drivers import MOST_PLACES
from jovial_scaffold.reports.folding import in_common
from jovial_scaffold.reports.grouped import values_text
from jovial_scaffold.reports.rendering import cell_beside
from jovial_scaffold.reports.terminal import Style, cells, cut, wrapped
from jovial_scaffold.reports.words import counted, visible

_BARE = regex(r"‹[a-z][a-z0-9_]*›\Z")
_ECHO = 24  # columns of the text of an echo
_GAIN = 2  # lines that folding saves at least
# Texts, numbers and addresses in what an echo repeats, all that stands around that, and what is pending: what may differ among those that are
# one line.
_LITERAL = regex(r'((?<=›)[^‹]+|^[^‹]+|‹[^‹›(]*:[^‹›]*›|"(?:[^"\\]|\\.)*"|\b[0-9]+\b|\b[a-z][a-z0-9_]*(?:/[\w.%-]+)+)')


@value_record
class Fold:
    """Echoes that stand as one line: `pattern` is what they have in common, with `…` where they differ; `rows` are they."""

    label: str
    pattern: str
    rows: tuple[Row, ...]


def folded(rows: Sequence[Row]) -> list[Fold]:
    """Echoes in the same property that repeat the same in the same way, however the words around it differ; the most first. None where they
    are so few that nothing is gained by it."""
    echoes = [row for row in rows if row.echo]
    folds = _folds(echoes)
    return folds if len(folds) + _GAIN < len(echoes) else []


def _folds(rows: Sequence[Row]) -> list[Fold]:
    alike: dict[tuple[str, tuple[str, ...]], list[tuple[Row, list[str]]]] = {}
    for row in rows:
        pieces = _LITERAL.split(row.echo)
        label = row.address if row.kind == "output" or is_line(row) else label_of(row)
        alike.setdefault((label, tuple(pieces[::2])), []).append((row, pieces[1::2]))
    found: dict[str, Fold] = {}
    for (label, fixed), held in alike.items():
        slots = [in_common([own[index] for _, own in held]) for index in range(len(fixed) - 1)]
        pattern = "".join(part for pair in zip_longest(fixed, slots, fillvalue="") for part in pair)
        own = tuple(row for row, _ in held)
        before = found.get(pattern)
        found[pattern] = Fold(label, pattern, own) if before is None else Fold(f"{before.label}, {label}", pattern, (*before.rows, *own))
    return sorted(found.values(), key=lambda each: (-len(each.rows), each.label, each.pattern))


def _values(rows: Sequence[Row], names: Sequence[str]) -> list[str]:
    """What rows have in each column, where that is the same in all that are there; nothing where it is not."""
    found = []
    for name in names:
        held = [row.values[name] for row in rows if name in row.values]
        if not held or not all(same(each, held[0]) for each in held):
            return []
        found.append(cell_beside(held[0], held[0]))
    return found


def echoes_lines(folds: Sequence[Fold], names: Sequence[str], style: Style) -> Iterator[str]:
    """What only repeats parameters in texts, each fold in a few words, one after the other: how many rows, of what, and the text; of very
    many columns, which of them have what of a parameter that is repeated as it is."""
    count = sum(len(each.rows) for each in folds)
    line = f"Echoes ({counted(count, 'row')}, --echoes shows them):"
    documents: dict[str, list[Fold]] = {}
    for each in folds:
        documents.setdefault(each.label if is_line(each.rows[0]) else f"{each.label}\0{each.pattern}", []).append(each)
    for alike in documents.values():
        each = alike[0]
        rows = sum(len(fold.rows) for fold in alike)
        told = f"in {counted(rows, 'line')}" if len(alike) > 1 else cut(visible(each.pattern), _ECHO)
        part = f"{rows} {cut(each.label, _ECHO)} {told}"
        values = _values(each.rows, names) if len(names) > MOST_PLACES and not is_line(each.rows[0]) else []
        part += f": {values_text(dict(zip(names, values, strict=True)))}" if values and _BARE.match(each.pattern) else ""
        if cells(line) + cells(part) + 3 > style.width:
            yield line.replace("Echoes", style.paint("strong", "Echoes"), 1) if line.startswith("Echoes") else line
            *full, line = wrapped(part, style.width - 2, "")
            yield from (f"  {each}" for each in full)
            line = f"  {line}"
        else:
            line += f" {part}" if line.endswith(":") else f" · {part}"
    yield line
