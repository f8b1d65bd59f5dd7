"""The parameters of a project, and what they are in each environment: as text, JSON, and tables."""

from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.authoring.inventory import Held, Listed
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_apart, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, path_shown, visible

_INDENT = "    "
_LEAST, _VALUE = 12, 40  # columns of a value beside who sets it


def parameters_text(project: str, found: Sequence[Listed], environments: Sequence[str], style: Style, base: str = "") -> str:
    """Each with its type and description, and below it a line for environments that have the same from the same place."""
    return "\n".join(_lines(project, found, environments, style, base)) + "\n"


def _lines(project: str, found: Sequence[Listed], environments: Sequence[str], style: Style, base: str) -> Iterator[str]:
    unset = [name for name in environments if any(each.held[name].state in ("missing", "wrong") for each in found)]
    closing = f"; some have no value in {listed(unset)}" if unset else ""
    yield style.paint("strong", f"{visible(project)}: {counted(len(found), 'parameter')}{closing}")
    names = max((cells(each) for each in environments), default=0)
    places = max((cells(path_shown(base, held.setter)) for each in found for held in each.held.values()), default=0)
    for each in found:
        yield ""
        about = ", ".join(part for part in (each.kind, each.bounds, "secret" if each.secret else "") if part)
        yield f"{style.paint('strong', each.name)}  {style.paint('place', visible(about))}"
        if each.description:
            yield from (style.paint("faint", line) for line in wrapped(visible(each.description), style.width, _INDENT))
        if each.default is not None:
            yield f"{_INDENT}else {cut(visible(each.default), style.width - len(_INDENT) - 5)}"
        groups: dict[tuple[str, str], list[str]] = {}
        for name in environments:
            held = each.held[name]
            groups.setdefault((held_text(held), held.setter if held.state != "default" else ""), []).append(name)
        labels = {
            tuple(group): listed(group) if len(group) < len(environments) or len(group) == 1 else "everywhere" for group in groups.values()
        }
        wide = min(max([names, 10, *map(cells, labels.values())]), style.width // 3)
        before = len(_INDENT) + wide + 2
        room = min(max(style.width - before - places - 2, _LEAST), _VALUE)
        texts = cut_apart([value for value, _ in groups], [room if setter else style.width - before for _, setter in groups], cut)
        for ((value, setter), group), text in zip(groups.items(), texts, strict=True):
            head = f"{_INDENT}{padded(labels[tuple(group)], wide)}  "
            place = visible(path_shown(base, setter)) if setter else ""
            role = "error" if value in (marks.UNSET, marks.UNKNOWN) else ""
            shown = style.paint(role, padded(text, room) if place else text)
            yield f"{head}{shown}  {style.paint('faint', place)}".rstrip()


def held_text(held: Held) -> str:
    """A value in one line, or that there is none."""
    return marks.UNSET if held.state == "missing" else marks.UNKNOWN if held.state == "wrong" else cell(held.value)


def parameters_document(project: str, found: Sequence[Listed]) -> dict[str, Any]:
    """`jovial-parameters/1`."""
    return {"format": "jovial-parameters/1", "project": project, "parameters": [_entry(each) for each in found]}


def _entry(each: Listed) -> dict[str, Any]:
    return {
        "name": each.name,
        "type": each.kind,
        "bounds": each.bounds,
        "required": each.required,
        **({"default": each.default} if each.default is not None else {}),
        "description": each.description,
        "secret": each.secret,
        "file": each.place.file,
        "line": each.place.line,
        "environments": {
            name: {
                "state": held.state,
                **({"value": to_json(held.value)} if held.state in ("set", "default") else {}),
                "set_at": held.setter,
            }
            for name, held in each.held.items()
        },
    }


def parameters_report(project: str, found: Sequence[Listed], environments: Sequence[str]) -> Report:
    """The same as a table: one row for each parameter, a column for each environment."""
    columns = ["parameter", "type", "bounds", "default", "description", *environments, *(f"{name} set at" for name in environments)]
    rows = []
    for each in found:
        values = [held_text(each.held[name]) for name in environments]
        setters = [each.held[name].setter for name in environments]
        kind = f"{each.kind}, secret" if each.secret else each.kind
        rows.append([each.name, kind, each.bounds, each.default or "", each.description, *values, *setters])
    return Report(f"Parameters of {project}", [f"{counted(len(found), 'parameter')}."], [Table("Parameters", columns, rows)])
