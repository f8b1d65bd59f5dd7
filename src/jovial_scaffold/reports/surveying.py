"""Surveys as text and as versioned JSON."""

from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core.templates.surveying import Survey
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_within, padded, wrapped
from jovial_scaffold.reports.words import counted, text_of, visible

_MOST = 8


def survey_text(survey: Survey, style: Style, everything: bool) -> str:
    """The overview; the most frequent entries of each part unless all are wanted."""
    return "\n".join(_lines(survey, style, everything)) + "\n"


def _lines(survey: Survey, style: Style, everything: bool) -> Iterator[str]:
    most = 10_000 if everything else _MOST
    if survey.title:
        yield style.paint("strong", visible(survey.title))
    if survey.description:
        yield from wrapped(visible(survey.description), style.width, "")
    if survey.title or survey.description:
        yield ""
    for file in survey.files:
        size = f"{counted(file.lines, 'line')}, {file.bytes:,} bytes, {counted(file.values, 'value')}"
        yield f"{style.paint('strong', visible(file.name))}  {size}"
        named = [f"{visible(each.name)} {each.entries} ({counted(each.lines, 'line')})" for each in file.sections[:20]]
        yield from _flowing(named, style)
    counts = [*survey.types, *survey.modules]
    if counts:
        yield from _heading(f"Resources: {counted(sum(number for _, number in counts), 'declaration')}", style)
        yield from _counts(survey.types, style, 10_000)
        for label, number in survey.modules:
            yield f"  {number:>4}  {visible(label)} {style.paint('faint', '(a module)')}"
    if survey.parameters:
        yield from _heading(f"Parameters: {len(survey.parameters)}", style)
        yield from _parameters(survey, style, everything)
    if survey.referenced:
        yield from _heading("Read most", style)
        shown = survey.referenced[:most]
        for part in shown:
            yield f"  {part.count:>4}  {visible(part.name)}  {style.paint('place', visible(part.place))}"
        yield from _more(len(survey.referenced) - len(shown), style)
    if survey.longest:
        yield from _heading("Longest", style)
        for part in survey.longest[: most if everything else 5]:
            yield f"  {counted(part.count, 'line'):>9}  {visible(part.name)}  {style.paint('place', visible(part.place))}"
    if survey.paths:
        yield from _heading(f"Paths: {len(survey.paths)}", style)
        yield from _counts(survey.paths, style, most)
    if survey.recurring:
        yield from _heading("Literals that recur, and may deserve a name", style)
        for each in survey.recurring[:most]:
            places = f"{', '.join(each.places[:3])}{' and more' if len(each.places) > 3 else ''}"
            value = cut_within(visible(each.value), max(16, style.width - len(places) - 10))
            yield f"  {len(each.places):>4}  {value}  {style.paint('place', visible(places))}"
        yield from _more(len(survey.recurring) - most, style)


def _heading(text: str, style: Style) -> Iterator[str]:
    yield ""
    yield style.paint("strong", text)


def _more(number: int, style: Style) -> Iterator[str]:
    if number > 0:
        yield style.paint("faint", f"        and {number} more: --all")


def _counts(counts: Sequence[tuple[str, int]], style: Style, most: int) -> Iterator[str]:
    for name, number in counts[:most]:
        yield f"  {number:>4}  {cut_within(visible(name), style.width - 8)}"
    yield from _more(len(counts) - most, style)


def _flowing(parts: Sequence[str], style: Style) -> Iterator[str]:
    line = " "
    for part in parts:
        if cells(line) + cells(part) + 2 > style.width and line.strip():
            yield style.paint("faint", line)
            line = " "
        line = f"{line} {part}," if part is not parts[-1] else f"{line} {part}"
    if line.strip():
        yield style.paint("faint", line)


def _parameters(survey: Survey, style: Style, everything: bool) -> Iterator[str]:
    """Each on one line where that fits."""
    width = min(30, max(cells(visible(each.name)) for each in survey.parameters))
    for each in survey.parameters:
        kind = f"secret {text_of(each.type)}" if each.secret else text_of(each.type)
        default = f"default {visible(each.default)}" if each.default is not None else "required"
        used = f"used {counted(len(each.used), 'time')}, first at {each.used[0]}" if each.used else "used nowhere"
        if everything and len(each.used) > 1:
            used = f"used at {', '.join(each.used)}"
        name, told = style.paint("strong", padded(visible(each.name), width)), f"{default}; {used}"
        if cells(kind) + cells(told) + width + 6 <= style.width:
            yield f"  {name}  {kind}; {style.paint('faint', told)}"
        else:
            yield f"  {name}  {cut(kind, max(20, style.width - width - 4))}"
            yield from wrapped(told, style.width, f"  {' ' * width}  ")


def survey_document(survey: Survey) -> dict[str, Any]:
    """`jovial-survey/1`."""
    return {
        "format": "jovial-survey/1",
        "title": survey.title,
        "description": survey.description,
        "files": [
            {
                "name": file.name,
                "lines": file.lines,
                "bytes": file.bytes,
                "values": file.values,
                "sections": [{"name": each.name, "entries": each.entries, "lines": each.lines} for each in file.sections],
            }
            for file in survey.files
        ],
        "types": dict(survey.types),
        "modules": dict(survey.modules),
        "parameters": [
            {
                "name": each.name,
                "type": text_of(each.type),
                "default": each.default,
                "secret": each.secret,
                "description": each.description,
                "used": list(each.used),
            }
            for each in survey.parameters
        ],
        "paths": dict(survey.paths),
        "recurring": [{"value": each.value, "places": list(each.places)} for each in survey.recurring],
        "longest": [{"name": each.name, "place": each.place, "lines": each.count} for each in survey.longest],
        "referenced": [{"name": each.name, "place": each.place, "times": each.count} for each in survey.referenced],
    }
