"""What was found in the projects of a workspace: a table of projects and environments, and JSON."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from jovial_scaffold.core.findings import LEVELS, Span
from jovial_scaffold.reports.findings import verdict
from jovial_scaffold.reports.machine import finding_entry, proofs_entry, repair_entry
from jovial_scaffold.reports.terminal import Style, cells, padded, wrapped
from jovial_scaffold.reports.words import counted, visible

if TYPE_CHECKING:
    from jovial_scaffold.core.authoring.mending import Repair
    from jovial_scaffold.core.outcomes import ProjectCheck, WorkspaceCheck

_MOST_COLUMNS = 6  # environments that have a column each


def check_table(result: "WorkspaceCheck", style: Style) -> str:
    """A row for each project with findings, a column for each environment; those without findings in one line below."""
    fine = [each for each in result.projects if each.result is not None and not each.result.findings]
    shown = [each for each in result.projects if each not in fine]
    columns = list(dict.fromkeys(name for each in shown if each.result is not None for name in each.result.environments))
    lines = _rows(shown, columns, style) if len(columns) <= _MOST_COLUMNS else [line for each in shown for line in _in_text(each, style)]
    if fine:
        names = visible(", ".join(each.name for each in fine[:_MOST_COLUMNS]))
        more = f" and {len(fine) - _MOST_COLUMNS} more" if len(fine) > _MOST_COLUMNS else ""
        lines += wrapped(f"Nothing to report in {names}{more}.", style.width, "")
    return "\n".join(lines) + "\n"


def _rows(projects: Sequence["ProjectCheck"], columns: Sequence[str], style: Style) -> list[str]:
    rows = [["", *map(visible, columns)]]
    rows += [[visible(each.name), *(_told(each, column) for column in columns)] for each in projects]
    widths = [max(cells(row[column]) for row in rows) for column in range(len(columns) + 1)]
    lines = []
    for number, row in enumerate(rows if projects else ()):
        each = projects[number - 1] if number else None
        if each is not None and each.result is None:
            lines.append(f"{style.paint('strong', padded(row[0], widths[0]))}  {style.paint('error', 'cannot be used')}")
            continue
        parts = [padded(text, width) for text, width in zip(row, widths, strict=True)]
        roles = ["strong", *(("faint",) * len(columns) if each is None else [_role(each, column) for column in columns])]
        lines.append("  ".join(style.paint(role, text) if role else text for role, text in zip(roles, parts, strict=True)).rstrip())
    return lines


def _in_text(each: "ProjectCheck", style: Style) -> list[str]:
    if each.result is None:
        return [f"{style.paint('strong', visible(each.name))}  {style.paint('error', 'cannot be used')}"]
    told = ", ".join(f"{visible(name)} {_told(each, name)}" for name in each.result.environments)
    return wrapped(f"{visible(each.name)}  {told}", style.width, "  ")


def _role(each: "ProjectCheck", environment: str) -> str:
    return next((level for level in LEVELS if each.count(level, environment)), "good")


def _told(each: "ProjectCheck", environment: str) -> str:
    if each.result is None or environment not in each.result.environments:
        return ""
    found = [counted(count, level) for level in LEVELS if (count := each.count(level, environment))]
    return ", ".join(found) or "fine"


def closing_line(result: "WorkspaceCheck", seconds: float, style: Style) -> str:
    """What was looked at and what was found, in one line."""
    done = [each.result for each in result.projects if each.result is not None]
    environments, resources = sum(len(each.environments) for each in done), sum(each.resources for each in done)
    looked = f"{counted(len(result.projects), 'project')}, {counted(environments, 'environment')}, {counted(resources, 'resource')}"
    told = verdict({level: result.count(level) for level in LEVELS}, result.known, 0, style)
    return f"{looked}: {told}. {seconds:.2f} s"


def check_document(
    result: "WorkspaceCheck", fingerprints: Sequence[str], repairs: "Mapping[str, Sequence[Repair]] | None" = None
) -> dict[str, Any]:
    """`jovial-workspace-check/2`; each finding has a fingerprint, and one that `jovial mend` may mend its repair, of those by project."""
    offered: dict[tuple[str, Span | None], dict[str, Any]] = {}
    for project in result.projects:
        told = {each.finding: each for each in (repairs or {}).get(project.name, ())}
        for own, finding in zip(project.result.findings if project.result is not None else (), project.findings, strict=False):
            if own in told:
                offered.setdefault((finding.id, finding.span), repair_entry(told[own], project.folder))
    return {
        "format": "jovial-workspace-check/2",
        "workspace": result.workspace,
        "projects": [
            {
                "project": each.name,
                "folder": each.folder,
                "usable": each.result is not None,
                "environments": [
                    {"environment": name, **{f"{level}s": each.count(level, name) for level in LEVELS}}
                    for name in (each.result.environments if each.result is not None else ())
                ],
                "resources": each.result.resources if each.result is not None else 0,
                **proofs_entry(each.result),
            }
            for each in result.projects
        ],
        "findings": [
            {**finding_entry(finding), "fingerprint": known_by, **offered.get((finding.id, finding.span), {})}
            for finding, known_by in zip(result.findings, fingerprints, strict=True)
        ],
        "summary": {**{f"{level}s": result.count(level) for level in LEVELS}, "known": result.known},
    }
