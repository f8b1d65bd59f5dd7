"""A ripple as text, as a report for Markdown, CSV and HTML, and as JSON."""

from collections.abc import Hashable, Iterator, Sequence
from posixpath import normpath
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.edges import Edges, Origin
from jovial_scaffold.core.changes.effect_records import SEVEREST, Effect
from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.ripple import BECOMES, WAS, Deployment, ProjectRipple, Reached, Ripple
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.reports.edges import COLUMNS, edges_entries, edges_rows
from jovial_scaffold.reports.effects import VERBS, changes_text
from jovial_scaffold.reports.folding import addresses_text, folds
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.rendering import cell, line_texts
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style, cells, cut, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, said, visible

_NAMED = 6  # environments of several projects that are named


def ripple_text(result: Ripple, style: Style, most: int) -> str:
    """The whole of it, for a terminal; of each environment `most` changes, or all for 0."""
    return "\n".join(_lines(result, style, most)) + "\n"


def _lines(result: Ripple, style: Style, most: int) -> Iterator[str]:
    subject = f" ({visible(cut(result.subject, 50))})" if result.subject else ""
    yield f"{style.paint('strong', f'Since {visible(result.revision)}')}{subject}: {counted(len(result.changed), 'changed file')}"
    shared = _shared(result)
    for alike in shared:
        yield ""
        yield from _together(alike, style, most)
    told = {(project.folder, each.environment) for alike in shared for project, each in alike}
    findings = _shared_findings(result)
    if findings:
        yield ""
    for title, projects, finding in findings.values():
        yield from _finding(finding, title, style, projects[0].folder, projects)
    for project in result.projects:
        own = [(title, each) for title, each in _findings(project) if (title, *_identity(project, each)) not in findings]
        if project.reached and not own and all((project.folder, each.environment) in told for each in project.reached):
            continue
        yield ""
        where = f"  {style.paint('place', visible(project.folder))}" if project.folder not in (".", project.name) else ""
        yield f"{style.paint('strong', visible(project.name))}{where}"
        if project.problem:
            yield f"  {style.paint('error', 'cannot be read')}: {visible(said(project.problem[0].message))}"
            continue
        for alike in _folded([(project, each) for each in project.reached if (project.folder, each.environment) not in told]):
            yield from _environment([each for _, each in alike], style, most)
        if project.unreached:
            untouched = f"{visible(listed(project.unreached))}: made from files that did not change"
            yield from (style.paint("faint", line) for line in wrapped(untouched, style.width, "  "))
        for title, finding in own:
            yield from _finding(finding, title, style)
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


_Of = tuple[ProjectRipple, Reached]


def _folded(reached: Sequence[_Of]) -> list[list[_Of]]:
    """Environments of one project, those together that change in the same places in the same way; what values were and become may differ."""
    found: dict[object, list[_Of]] = {}
    for project, each in reached:
        rows = tuple((row.kind, row.address, row.pointer, row.absent, row.counted) for row in _rows(each))
        found.setdefault(
            (each.gone, each.causes, rows, tuple((one.address, one.effect) for one in each.edges.effects), _key(each.deployment)), []
        ).append((project, each))
    return list(found.values())


_Place = tuple[str, str, str, Pointer, tuple[str, ...], str]
"""Where something changes, as all uses of a module have it: what sort of row, the module, the address in it, the property, on which side it is
missing, and what changing the property does."""


def _places(each: Reached) -> dict[_Place, list[Row]]:
    found: dict[_Place, list[Row]] = {}
    weights = {(one.address, change.pointer): change.effect for one in each.edges.effects for change in one.changes}
    for row in _rows(each):
        place = (
            row.kind,
            row.module,
            row.address.removeprefix(row.within),
            row.pointer,
            row.absent,
            weights.get((row.address, row.pointer), ""),
        )
        found.setdefault(place, []).append(row)
    return found


def _shared(result: Ripple) -> list[list[_Of]]:
    """Environments of more than one project in which the same changes, in whatever uses of a module."""
    found: dict[object, list[_Of]] = {}
    for project in result.projects:
        for each in project.reached if not project.problem else ():
            causes = tuple(normpath(f"{project.folder}/{cause}") if cause.startswith("../") else cause for cause in each.causes)
            found.setdefault((each.gone, causes, frozenset(_places(each)), _key(each.deployment)), []).append((project, each))
    return [alike for alike in found.values() if len({project.folder for project, _ in alike}) > 1]


def _rows(each: Reached) -> list[Row]:
    return [row for row in each.comparison.rows if row.differs] if each.comparison is not None else []


def _together(alike: Sequence[_Of], style: Style, most: int) -> Iterator[str]:
    """What is the same in several projects."""
    by_project: dict[str, list[str]] = {}
    for project, each in alike:
        by_project.setdefault(project.name, []).append(f"{project.name}:{each.environment}")
    names = [name for each in by_project.values() for name in each]
    shown = names if len(names) <= _NAMED else [*names[:_NAMED], f"{len(names) - _NAMED:,} more"]
    head = f"{counted(len(by_project), 'project')}, {counted(len(names), 'environment')}: {listed(shown)}"
    yield from (style.paint("strong", visible(line)) for line in wrapped(head, style.width, ""))
    each = alike[0][1]
    causes = dict.fromkeys(normpath(f"/{cause}").lstrip("/") for _, one in alike for cause in one.causes)
    because = f"{style.paint('faint', 'through')} {style.paint('driver', visible(listed(causes)))}"
    if each.gone or not _rows(each):
        yield f"  {each.gone or style.paint('faint', 'render the same')} {because}"
        return
    places: dict[_Place, list[Row]] = {}
    for _, one in alike:
        for place, rows in _places(one).items():
            places.setdefault(place, []).extend(rows)
    count = sum(map(len, places.values()))
    yield f"  {counted(count, 'change')} {because}"
    every = list(places.items())
    groups = _grouped([(place[2], (*place[:2], *place[3:])) for place, _ in every], most)
    first = groups[:most] if most else groups
    labels = [_place_label(every[numbers[0]][0], address) for address, numbers in first]
    label = min(max(map(cells, labels)), max(20, style.width // 2))
    for name, (_, numbers) in zip(labels, first, strict=True):
        rows, effect = [row for number in numbers for row in every[number][1]], every[numbers[0]][0][5]
        times = f"  (×{len(rows):,})" if len(rows) > 1 else ""
        verb = "" if effect in ("", "in_place", "add", "remove") else f"  {VERBS[effect]} it"
        told = f"{_change(rows, style, style.width - label - 8 - cells(times) - cells(verb))}{style.paint('faint', times)}"
        yield f"    {padded(cut(name, label), label)}  {told}{style.paint('warning', verb)}"
    yield from (f"    {line}" for line in _left(groups, first, style))


def _place_label(place: _Place, address: str) -> str:
    """A property as all uses of a module have it, at an address or at those that are folded into one: `…/failed:wait_hours`."""
    _, module, _, pointer, *_ = place
    return visible(f"{'…/' if module else ''}{address}{':' if pointer else ''}{pointer_text(pointer)}")


def _environment(alike: Sequence[Reached], style: Style, most: int) -> Iterator[str]:
    """Environments of one project in which the same changes."""
    each = alike[0]
    because = f"  {style.paint('faint', 'through')} {style.paint('driver', visible(listed(each.causes)))}"
    name = visible(", ".join(one.environment for one in alike))
    rows = _rows(each)
    if each.gone:
        yield from _headed(name, "note", f"{each.gone}{because}", style)
        return
    if not rows:
        yield from _headed(name, "", f"{style.paint('faint', 'renders the same')}{because}", style)
        return
    resources = len({row.address for row in rows})
    yield from _headed(name, "note", f"{counted(len(rows), 'change')} in {counted(resources, 'place')}{because}", style)
    if each.deployment is None:
        yield from (f"      {line}" for line in wrapped(_effects(each.edges), style.width - 6, "") if line)
    else:
        yield from _deployment(each.deployment, style)
    groups = _grouped([(row.address, (row.kind, row.type, row.pointer, row.absent)) for row in rows], most)
    shown, every = groups[:most] if most else groups, [_rows(one) for one in alike]
    labels = [_label(rows[numbers[0]], address) for address, numbers in shown]
    label = min(max(map(cells, labels)), max(20, style.width // 2))
    for name, (_, numbers) in zip(labels, shown, strict=True):
        times = f"  (×{len(numbers):,})" if len(numbers) > 1 else ""
        told = _change([held[number] for held in every for number in numbers], style, style.width - label - 10 - cells(times))
        yield f"      {padded(cut(name, label), label)}  {told}{style.paint('faint', times)}"
    yield from (f"      {line}" for line in _left(groups, shown, style))


def _grouped(places: Sequence[tuple[str, Hashable]], most: int) -> list[tuple[str, list[int]]]:
    """Places, as an address and what is beside it, by their numbers: those of many items of one loop together, as what they are folded into; each by
    itself where there is no limit."""
    beside: dict[Hashable, list[str]] = {}
    for address, what in places:
        beside.setdefault(what, []).append(address)
    texts = {what: folds(addresses) for what, addresses in beside.items()} if most else {}
    found: dict[tuple[Hashable, str], list[int]] = {}
    for number, (address, what) in enumerate(places):
        found.setdefault((what, texts[what][address] if most else address), []).append(number)
    return [(text, numbers) for (_, text), numbers in found.items()]


def _left(groups: Sequence[tuple[str, list[int]]], shown: Sequence[tuple[str, list[int]]], style: Style) -> Iterator[str]:
    """How many places are not shown."""
    left = sum(len(numbers) for _, numbers in groups[len(shown) :])
    if left:
        yield style.paint("faint", f"{left:,} more; --max 0 shows all")


def _headed(names: str, role: str, told: str, style: Style) -> Iterator[str]:
    """What is said of some environments: behind their names, or below them where these are many."""
    *above, last = wrapped(names, style.width, "  ")
    yield from (style.paint(role, line) for line in above)
    yield style.paint(role, last) if above else f"{style.paint(role, last)}  {told}"
    if above:
        yield f"    {told}"


def _key(deployment: Deployment | None) -> object:
    """What is alike of what deploying several environments would do."""
    if deployment is None:
        return None
    effects = tuple((one.address, one.effect) for one in deployment.edges.effects) if deployment.edges is not None else None
    return deployment.against, effects, tuple(said(each.message) for each in deployment.findings if each.level == "error")


def _deployment(deployment: Deployment, style: Style) -> Iterator[str]:
    """What deploying it would do to what runs, and what stands against that."""
    errors = sum(each.level == "error" for each in deployment.findings)
    head = f"over what runs ({visible(deployment.against)}): "
    if deployment.edges is None:
        told = f"{head}not known before {counted(errors, 'error')} {'is' if errors == 1 else 'are'} mended"
    else:
        in_place = sum(each.effect == "in_place" for each in deployment.edges.effects)
        changed = f"changes {counted(in_place, 'resource')} in place" if in_place else ""
        told = head + ("; ".join(filter(None, (_effects(deployment.edges), changed))) or "nothing to do")
    lines = wrapped(told, style.width - 6, "")
    if errors and deployment.edges is not None:
        yield f"      {style.paint('error', 'BLOCKED by ' + counted(errors, 'error'))}"
    yield from (f"      {line}" for line in lines)
    for finding in deployment.findings:
        if finding.level == "error":
            yield from (f"        {line}" for line in wrapped(visible(said(finding.message)), style.width - 8, ""))


def _effects(edges: Edges) -> str:
    """What deploying it would do beside changing things in place, the severest first, and how much of it holds data that are lost with it."""
    found: dict[str, list[Effect]] = {}
    for one in edges.effects:
        found.setdefault(one.effect, []).append(one)
    told = []
    for effect in SEVEREST:
        if effect in found and effect != "in_place":
            holding = sum(one.holds_data for one in found[effect]) if effect in ("rebuild", "remove") else 0
            data = f" ({holding} hold{'s' if holding == 1 else ''} data)" if holding else ""
            told.append(f"{VERBS[effect]} {', '.join(addresses_text([visible(one.address) for one in found[effect]]))}{data}")
    return "; ".join(told)


def _label(row: Row, address: str) -> str:
    """What changes at an address, or at those that are folded into one."""
    pointer = pointer_text(row.pointer)
    if row.type == "document" and pointer and row.kind == "document":
        return visible(f"{address} line {pointer}" if pointer != "to" else f"{address}:to")
    return visible(f"{address}:{pointer}" if pointer else address)


def _change(alike: Sequence[Row], style: Style, room: int) -> str:
    """What a row was and becomes; of several, what that has in common."""
    row = alike[0]
    if row.kind == "presence":
        return style.paint("good" if BECOMES in row.values else "error", "added" if BECOMES in row.values else "removed")
    return changes_text([_values(each) for each in alike], style, room)


def _values(row: Row) -> tuple[str, str]:
    if row.kind == "presence":
        return ("", "added") if BECOMES in row.values else ("", "removed")
    held = {name: row.values[name] for name in (WAS, BECOMES) if name in row.values}
    told = line_texts([str(each) for each in held.values()]) if row.kind == "document" else [cell(each) for each in held.values()]
    texts = [dict(zip(held, told, strict=True)).get(name, marks.UNSET) for name in (WAS, BECOMES)]
    if texts[0] == texts[1]:
        texts[1] = texts[1].replace(marks.SECRET, marks.OTHER_SECRET)
    return texts[0], texts[1]


def _findings(project: ProjectRipple) -> list[tuple[str, Finding]]:
    return [*(("new", each) for each in project.new), *(("cured", each) for each in project.cured)]


def _identity(project: ProjectRipple, finding: Finding) -> tuple[object, ...]:
    """What makes findings of several projects one: what is wrong, and where a person must edit."""
    span = finding.cause or finding.span
    file = normpath(f"{project.folder}/{span.file}") if span is not None else ""
    return finding.id, finding.level, file, span.line if span is not None else 0, finding.pointer


def _shared_findings(result: Ripple) -> dict[tuple[object, ...], tuple[str, list[ProjectRipple], Finding]]:
    """Findings at one place that several projects have, with these."""
    found: dict[tuple[object, ...], tuple[str, list[ProjectRipple], Finding]] = {}
    for project in result.projects:
        for title, each in _findings(project):
            projects = found.setdefault((title, *_identity(project, each)), (title, [], each))[1]
            if project not in projects:
                projects.append(project)
    return {key: each for key, each in found.items() if len(each[1]) > 1}


def _finding(finding: Finding, title: str, style: Style, folder: str = "", projects: Sequence[ProjectRipple] = ()) -> Iterator[str]:
    file = finding.span.file if finding.span else ""
    file = normpath(f"{folder}/{file}") if folder else file
    place = f" {style.paint('place', f'{visible(file)}:{finding.span.line}')}" if finding.span else ""
    indent = "" if projects else "  "
    told = f" in {counted(len(projects), 'project')}" if projects else ""
    role = "good" if title == "cured" else "error"
    yield f"{indent}{style.paint(role, title)} {finding.level} {finding.id}{told}{place}"
    yield from wrapped(visible(said(finding.message)), style.width, "      ")


def ripple_report(result: Ripple) -> Report:
    """The ripple for Markdown, CSV and HTML."""
    rows, findings, marks = [], [], []
    for project in result.projects:
        for each in project.reached:
            causes = listed(each.causes)
            if each.comparison is None:
                rows.append([project.folder, each.environment, each.gone, *[""] * (len(COLUMNS) - 1), causes])
                continue
            rows += [[project.folder, each.environment, *row, causes] for row in edges_rows(each.edges)]
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
        Table("Changes", ["project", "environment", *COLUMNS, "through"], rows),
    ]
    return Report(f"What changes since {result.revision}", [summary(result)], tables, tables[-1])


def ripple_document(result: Ripple) -> dict[str, Any]:
    """`jovial-ripple/4`."""
    return {
        "format": "jovial-ripple/4",
        "since": result.revision,
        "changed": list(result.changed),
        "projects": [_project_entry(project) for project in result.projects],
        "summary": {"projects": result.looked_at, "renderings": result.rendered, "differs": result.touched},
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
                **edges_entries(_edges(each.edges, each.causes)),
                **({"deployment": _deployment_entry(each.deployment)} if each.deployment is not None else {}),
            }
            for each in project.reached
        ],
        "unreached": list(project.unreached),
        "new": [finding_entry(finding) for finding in (*project.problem, *project.new)],
        "cured": [finding_entry(finding) for finding in project.cured],
    }


def _edges(edges: Edges, causes: Sequence[str]) -> Edges:
    """What changes in an environment; what that comes from are files."""
    files = tuple(Origin("file", "", cause) for cause in causes)
    return edges._replace(origins={one.address: files for one in edges.effects})


def _deployment_entry(deployment: Deployment) -> dict[str, Any]:
    return {
        "against": deployment.against,
        **(edges_entries(deployment.edges) if deployment.edges is not None else {"effects": [], "beside": []}),
        "findings": [finding_entry(each) for each in deployment.findings],
    }
