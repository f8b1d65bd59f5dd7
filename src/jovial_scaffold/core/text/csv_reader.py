"""CSV (RFC 4180) text with a header line to a list of maps; all cells are text."""

import csv
import io
from typing import Any

from jovial_scaffold.core.text.source import Place, Pointer, Problem
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Foreign, say


def read_csv(text: str) -> tuple[Any, list[Problem]]:
    """A map from column to cell for each row, and problems: columns without a name or named twice, rows of another length."""
    problems: list[Problem] = []
    rows = list(_rows(text, problems))
    if not rows:
        return (UNKNOWN if problems else []), problems
    header, start, end = rows[0]
    for name in header:
        if not name or header.count(name) > 1:
            told = say("The column `{}` stands twice.", name) if name else say("A column has no name.")
            return UNKNOWN, [*problems, Problem("csv-header", told, start, end, say("The first line names each column once."))]
    table = []
    for cells, start, end in rows[1:]:
        if len(cells) != len(header):
            message = say("This row has {} cells, and the header names {} columns.", len(cells), len(header))
            problems.append(Problem("csv-row", message, start, end, say("Put a cell that holds a comma in double quotes.")))
        table.append(dict(zip(header, cells, strict=False)))
    return table, problems


def locate_csv(text: str) -> dict[Pointer, Place]:
    """The place of every row."""
    places: dict[Pointer, Place] = {(): Place(0, 0, 0, len(text), "")}
    for number, (_, start, end) in enumerate(_rows(text, [])):
        if number:
            places[(number - 1,)] = Place(start, start, start, end, "plain")
    return places


def _rows(text: str, problems: list[Problem]) -> list[tuple[list[str], int, int]]:
    """Cells and offsets of each line that holds any."""
    starts = [0]
    for line in text.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))
    found = []
    reader = csv.reader(io.StringIO(text, newline=""), strict=True)
    before = 0
    try:
        for cells in reader:
            if cells:
                found.append((cells, starts[before], max(starts[before], starts[min(reader.line_num, len(starts) - 1)] - 1)))
            before = reader.line_num
    except csv.Error as error:
        start = starts[min(before, len(starts) - 1)]
        problems.append(
            Problem(
                "csv-syntax",
                say("This is not CSV: {}.", Foreign(str(error))),
                start,
                min(start + 1, len(text)),
                say("Double a quote inside of a quoted cell."),
            )
        )
    return found
