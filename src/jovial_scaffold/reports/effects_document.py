"""Effects as a report for Markdown, CSV and HTML, and as JSON."""

from collections.abc import Sequence
from typing import Any

from jovial_scaffold.core.changes.edges import Edges, origins_of
from jovial_scaffold.core.changes.effect_records import EFFECTS, MISSING, Cause, CausePart, Effects
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.reports.edges import COLUMNS, edges_entries, edges_rows, rebuilt_text
from jovial_scaffold.reports.effects import (
    authored_text,
    beside_texts,
    leads_to_text,
    other_text,
    parts_text,
    summary,
    unexplained,
    was_and_becomes,
)
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.words import said


def effects_report(project: str, result: Effects) -> Report:
    """The effects for Markdown, CSV and HTML."""
    rows = list(edges_rows(_edges(result)))
    resources = len(rows) - len(result.beside)
    beside = [[each.effect, each.kind, each.name, *beside_texts(each), rebuilt_text(each.because)] for each in result.beside]
    order = [[str(number), step.deed, step.address] for number, steps in enumerate(result.rounds, 1) for step in steps]
    findings = [[each.level, each.address, said(each.message), said(each.hint)] for each in result.findings]
    causes = [
        [
            parts_text(each.parts, len(each.parts)) if each.parts else unexplained(each, result).removesuffix(", "),
            f"{each.place}{authored_text(each)}",
            *_sides(each.parts),
            leads_to_text(each),
        ]
        for each in result.causes or ()
    ]
    tables = [
        *([Table("Because of", ["parameter", "set at", "was", "becomes", "leads to"], causes)] if causes else []),
        Table("Effects", COLUMNS, rows[:resources], [row[0] for row in rows[:resources]]),
        *([Table("Outputs and documents", ["effect", "kind", "name", "was", "becomes", "why"], beside)] if beside else []),
        Table("Findings", ["level", "resource", "finding", "what to do"], findings, [each.level for each in result.findings]),
        Table("Order", ["round", "step", "resource"], order),
        Table("Not ours, and never touched", ["resource"], [[other_text(each)] for each in result.snapshot.others]),
    ]
    verb = "Removing everything from" if result.teardown else "Deploying"
    return Report(f"{verb} {result.environment} of {project}", [summary(result)], tables, Table("Effects", COLUMNS, rows))


def effects_document(project: str, result: Effects) -> dict[str, Any]:
    """`jovial-effects/5`."""
    return {
        "format": "jovial-effects/5",
        "project": project,
        "environment": result.environment,
        "against": result.snapshot.name,
        "teardown": result.teardown,
        "from": result.source or None,
        **edges_entries(_edges(result), _rounds(result)),
        **({"causes": [_cause_entry(each) for each in result.causes]} if result.causes is not None else {}),
        "interruptions": [
            {
                "address": each.address,
                "what": each.what,
                "since": each.since,
                "until": each.until or None,
                "loses_data": each.loses_data,
            }
            for each in result.interruptions
        ],
        "rounds": [[{"step": step.deed, "address": step.address} for step in steps] for steps in result.rounds],
        "others": to_json(list(result.snapshot.others)),
        "findings": [finding_entry(finding) for finding in result.findings],
        "summary": {effect: result.count(effect) for effect in EFFECTS},
    }


def _cause_entry(cause: Cause) -> dict[str, Any]:
    return {
        "kind": cause.kind,
        "parameter": cause.parameter or None,
        "place": cause.place or None,
        "commit": cause.authored._asdict() if cause.authored is not None else None,
        **(_values_entry(cause.parts[0]) if len(cause.parts) == 1 else {}),
        **({"parts": [{"name": each.name, **_values_entry(each)} for each in cause.parts]} if cause.parts else {}),
        "leads_to": [
            {"effect": each.effect, "type": each.type, "addresses": list(each.addresses), "properties": list(each.properties)}
            for each in cause.leads_to
        ],
    }


def _sides(parts: Sequence[CausePart]) -> tuple[str, str]:
    """What parts were and become."""
    pairs = [was_and_becomes(each.was, each.becomes) for each in parts]
    return "; ".join(was for was, _ in pairs), "; ".join(becomes for _, becomes in pairs)


def _values_entry(part: CausePart) -> dict[str, Any]:
    sides = {"was": part.was, "becomes": part.becomes}
    return {name: to_json(value) for name, value in sides.items() if value is not MISSING}


def _edges(result: Effects) -> Edges:
    return Edges(result.effects, result.beside, origins_of(result))


def _rounds(result: Effects) -> dict[str, int]:
    """In which round each resource is changed, or as it should be at last."""
    return {step.address: number for number, steps in enumerate(result.rounds, 1) for step in steps}
