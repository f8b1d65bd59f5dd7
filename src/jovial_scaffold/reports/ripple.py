"""A ripple as text, as a report for Markdown, CSV and HTML, and as JSON."""

from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.comparing.matrix import Row
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.ripple import BECOMES, WAS, ProjectRipple, Reached, Ripple
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style, cells, cut, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, said, visible


def ripple_text(result: Ripple, style: Style, most: int) -> str:
    """The whole of it, for a terminal; of each environment `most` changes, or all for 0."""
    return "\n".join(_lines(result, style, most)) + "\n"


def _lines(result: Ripple, style: Style, most: int) -> Iterator[str]:
    subject = f" ({visible(cut(result.subject, 50))})" if result.subject else ""
    yield f"{style.paint('strong', f'Since {visible(result.revision)}')}{subject}: {counted(len(result.changed), 'changed file')}"
    for project in result.projects:
        yield ""
        where = f"  {style.paint('place', visible(project.folder))}" if project.folder not in (".", project.name) else ""
        yield f"{style.paint('strong', visible(project.name))}{where}"
        if project.problem:
            yield f"  {style.paint('error', 'cannot be read')}: {visible(said(project.problem[0].message))}"
            continue
        for each in project.reached:
            yield from _environment(each, style, most)
        if project.unreached:
            yield f"  {style.paint('faint', f'{listed(project.unreached)}: made from files that did not change')}"
        for title, role, found in (("new", "error", project.new), ("cured", "good", project.cured)):
            for finding in found:
                yield from _finding(finding, title, role, style)
    yield ""
    yield from wrapped(summary(result), style.width, "")


def summary(result: Ripple) -> str:
    """One sentence or two."""
    reached = [each for project in result.projects for each in project.reached if each.touched]
    if not result.touched:
        what = "Nothing that is deployed changes." if result.changed else "Nothing changed."
    else:
        rows = sum(len(each.comparison.differences) for each in reached if each.comparison)
        projects = len({project.folder for project in result.projects if project.touched})
        what = f"{counted(rows, 'change')} in {counted(len(reached), 'environment')} of {counted(projects, 'project')}"
        new, cured = (sum(len(each) for each in found) for found in ([p.new for p in result.projects], [p.cured for p in result.projects]))
        what += f"; {counted(new, 'new finding')}, {cured} cured."
    return f"{what} {counted(result.looked_at, 'project')} looked at, {counted(result.rendered, 'rendering')} made."


def _environment(each: Reached, style: Style, most: int) -> Iterator[str]:
    because = f"  {style.paint('faint', 'through')} {style.paint('driver', visible(listed(each.causes)))}"
    if each.gone:
        yield f"  {style.paint('note', each.environment)}  {each.gone}{because}"
        return
    assert each.comparison is not None
    rows = [row for row in each.comparison.rows if row.differs]
    if not rows:
        yield f"  {each.environment}  {style.paint('faint', 'renders the same')}{because}"
        return
    resources = len({row.address for row in rows})
    yield f"  {style.paint('note', each.environment)}  {counted(len(rows), 'change')} in {counted(resources, 'place')}{because}"
    shown = rows[:most] if most else rows
    label = min(max(cells(_label(row)) for row in shown), max(20, style.width // 2))
    for row in shown:
        room = style.width - label - 10
        yield f"      {padded(cut(_label(row), label), label)}  {_change(row, style, room)}"
    if len(shown) < len(rows):
        yield f"      {style.paint('faint', f'{len(rows) - len(shown)} more; --max 0 shows all')}"


def _label(row: Row) -> str:
    pointer = pointer_text(row.pointer)
    if row.type == "document" and pointer and row.kind == "document":
        return visible(f"{row.address} line {pointer}" if pointer != "to" else f"{row.address}:to")
    return visible(f"{row.address}:{pointer}" if pointer else row.address)


def _change(row: Row, style: Style, room: int) -> str:
    was, becomes = _values(row)
    if row.kind == "presence":
        return style.paint("good" if BECOMES in row.values else "error", "added" if BECOMES in row.values else "removed")
    half = max(8, (room - 9) // 2)
    spare = max(0, half - cells(was)) if cells(becomes) > half else 0
    spare_was = max(0, half - cells(becomes)) if cells(was) > half else 0
    return f"{cut(was, half + spare_was)} {style.paint('faint', 'becomes')} {cut(becomes, half + spare)}"


def _values(row: Row) -> tuple[str, str]:
    if row.kind == "presence":
        return ("", "added") if BECOMES in row.values else ("", "removed")
    texts = [_text(row, name) if name in row.values else marks.UNSET for name in (WAS, BECOMES)]
    if texts[0] == texts[1]:
        texts[1] = texts[1].replace(marks.SECRET, marks.OTHER_SECRET)
    return texts[0], texts[1]


def _text(row: Row, name: str) -> str:
    """A value on one line; a line of a document without its indentation and without quotes around it."""
    return visible(str(row.values[name]).strip()) if row.kind == "document" else cell(row.values[name])


def _finding(finding: Finding, title: str, role: str, style: Style) -> Iterator[str]:
    place = f" {style.paint('place', f'{finding.span.file}:{finding.span.line}')}" if finding.span else ""
    yield f"  {style.paint(role, title)} {finding.level} {finding.id}{place}"
    yield from wrapped(visible(said(finding.message)), style.width, "      ")


def ripple_report(result: Ripple) -> Report:
    """The ripple for Markdown, CSV and HTML."""
    rows, findings, marks = [], [], []
    for project in result.projects:
        for each in project.reached:
            causes = listed(each.causes)
            if each.comparison is None:
                rows.append([project.folder, each.environment, "", "", each.gone, causes])
                continue
            rows += [[project.folder, each.environment, _label(row), *_values(row), causes] for row in each.comparison.differences]
        for title, found in (("new", project.new), ("cured", project.cured), ("new", project.problem)):
            for finding in found:
                place = f"{finding.span.file}:{finding.span.line}" if finding.span else ""
                findings.append([title, finding.level, project.folder, place, said(finding.message), listed(finding.environments)])
                marks.append("note" if title == "cured" else finding.level)
    environments = [
        [project.folder, each.environment, str(len(each.comparison.differences)) if each.comparison else each.gone, listed(each.causes)]
        for project in result.projects
        for each in project.reached
    ]
    tables = [
        Table("Reached environments", ["project", "environment", "changes", "through"], environments),
        Table("Findings", ["", "level", "project", "place", "finding", "environments"], findings, marks),
        Table("Changes", ["project", "environment", "place", WAS, BECOMES, "through"], rows),
    ]
    return Report(f"What changes since {result.revision}", [summary(result)], tables)


def ripple_document(result: Ripple) -> dict[str, Any]:
    """`jovial-ripple/2`."""
    return {
        "format": "jovial-ripple/2",
        "since": result.revision,
        "changed": list(result.changed),
        "projects": [_project_entry(project) for project in result.projects],
        "summary": {"projects": result.looked_at, "renderings": result.rendered, "touched": result.touched},
    }


def _project_entry(project: ProjectRipple) -> dict[str, Any]:
    return {
        "folder": project.folder,
        "project": project.name,
        "changed": list(project.changed),
        "environments": [
            {
                "environment": each.environment,
                "causes": list(each.causes),
                "state": each.gone or "changed" if each.touched else "same",
                "changes": [_row_entry(row) for row in each.comparison.rows if row.differs] if each.comparison else [],
            }
            for each in project.reached
        ],
        "unreached": list(project.unreached),
        "new": [finding_entry(finding) for finding in (*project.problem, *project.new)],
        "cured": [finding_entry(finding) for finding in project.cured],
    }


def _row_entry(row: Row) -> dict[str, Any]:
    values: dict[str, Any] = {name: to_json(row.values[name]) for name in (WAS, BECOMES) if name in row.values}
    return {
        "kind": row.kind,
        "address": row.address,
        "type": row.type,
        "label": pointer_text(row.pointer),
        **values,
        "counted": row.counted,
    }
