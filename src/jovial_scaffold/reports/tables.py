"""A report as a title, sentences and tables, and those as Markdown, CSV and HTML; text from files never becomes markup or a formula."""

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from html import escape

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.reports.words import visible

_MARKDOWN = regex(r"([\\`*_{}\[\]<>#|!~$@])")
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
_COMMENT = 60_000  # characters: some forges take 65,535
_SHORT = 11  # characters of a cell that is never broken
_BREAKS = regex(r"(?<=[/_:-])(?=\w)")  # where a line may end in an address, a place or a path
_NUMBER = regex(r"[+-]?[0-9]+(\.[0-9]+)?\Z")


@dataclass(frozen=True, slots=True)
class Table:
    """Rows under columns. `marks` are classes for rows (`add`, `rebuild`, …), one for each or none."""

    title: str
    columns: Sequence[str]
    rows: Sequence[Sequence[str]]
    marks: Sequence[str] = ()


@dataclass(frozen=True, slots=True)
class Report:
    """What a command found, for people who read it elsewhere. `summary` are sentences; `data` is the one table of CSV, where that is not the
    first."""

    title: str
    summary: Sequence[str]
    tables: Sequence[Table] = field(default_factory=tuple)
    data: Table | None = None


def markdown(report: Report, most: int = 200) -> str:
    """For a comment on a change: a heading, sentences, and tables, the later ones folded away; of a long table `most` rows, and of very long
    rows fewer, so that it is no longer than a comment may be."""
    text = _markdown(report, most)
    return text if len(text) <= _COMMENT or not most else markdown(report, most // 2)


def _markdown(report: Report, most: int) -> str:
    lines = [f"## {_escaped(report.title)}", ""]
    lines += [f"{_escaped(sentence)}\n" for sentence in report.summary]
    for number, table in enumerate(report.tables):
        if not table.rows:
            continue
        title = f"{_escaped(table.title)} ({len(table.rows)})"
        folded = number > 0 or len(table.rows) > 25
        lines += [f"<details><summary>{title}</summary>", ""] if folded else [f"### {title}", ""]
        lines.append(f"| {' | '.join(map(_escaped, table.columns))} |")
        lines.append(f"|{' --- |' * len(table.columns)}")
        lines += [f"| {' | '.join(map(_code, row))} |" for row in table.rows[:most]]
        if len(table.rows) > most:
            lines += ["", f"{len(table.rows) - most} further rows are left out."]
        lines += ["", "</details>", ""] if folded else [""]
    return "\n".join(lines).rstrip() + "\n"


def _escaped(text: str) -> str:
    """Text that Markdown shows as it is."""
    return _MARKDOWN.sub(r"\\\1", visible(text)).replace("&", "&amp;").replace("\\<", "&lt;").replace("\\>", "&gt;")


def _code(text: str) -> str:
    """A cell: as code, in a fence longer than any inside of it; a bar would end the cell even there."""
    text = visible(text)
    if not text:
        return ""
    runs = [len(run) for run in re.findall("`+", text)]
    fence = "`" * (max(runs, default=0) + 1)
    pad = " " if "`" in text else ""
    escaped = text.replace("|", "\\|")
    return f"{fence}{pad}{escaped}{pad}{fence}"


def comma_separated(report: Report) -> str:
    """RFC 4180: one table with one header; nothing is read as a formula."""
    stream = io.StringIO()
    writer = csv.writer(stream)
    table = report.data or next(iter(report.tables), Table("", [], []))
    writer.writerow(list(map(_harmless, table.columns)))
    writer.writerows([*map(_harmless, row)] for row in table.rows)
    return stream.getvalue()


def _harmless(text: str) -> str:
    text = visible(text)
    return f"'{text}" if text.lstrip().startswith(_FORMULA) and not _NUMBER.match(text) else text


def page(report: Report) -> str:
    """One HTML page that needs nothing else."""
    from jovial_scaffold.reports.pages import Html, fill

    summary = Html("\n".join(f"<p>{_html(sentence)}</p>" for sentence in report.summary))
    tables = Html("\n".join(_html_table(table) for table in report.tables if table.rows))
    return fill("report.html", title=visible(report.title), summary=summary, tables=tables)


def _html_table(table: Table) -> str:
    head = "".join(f'<th scope="col">{_html(column)}</th>' for column in table.columns)
    marks = [f' class="{_html(mark)}"' for mark in table.marks] or [""] * len(table.rows)
    rows = [f"<tr{mark}>{''.join(map(_html_cell, row))}</tr>" for mark, row in zip(marks, table.rows, strict=True)]
    title = f"<h2>{_html(table.title)} ({len(table.rows)})</h2>"
    return "\n".join([title, "<table>", f"<thead><tr>{head}</tr></thead>", "<tbody>", *rows, "</tbody>", "</table>"])


def _html_cell(text: str) -> str:
    return f'<td class="short">{_html(text)}</td>' if len(text) < _SHORT else f"<td>{_BREAKS.sub('<wbr>', _html(text))}</td>"


def _html(text: str) -> str:
    return escape(visible(text))


_WRITERS = {"markdown": markdown, "csv": comma_separated, "html": page}


def written(report: Report, format: str) -> str:
    """The report as `markdown`, `csv` or `html`."""
    return _WRITERS[format](report)
