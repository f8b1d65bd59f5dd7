"""Effects as a report for Markdown, CSV and HTML, and as JSON."""

from typing import Any

from jovial_scaffold.core.changes.effect_records import EFFECTS, MISSING, SEVEREST, Beside, Cause, Change, Effects
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.effects import leads_to_text, other_text, pointer_of, summary, unexplained, values_of, was_and_becomes
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.rendering import cell, cell_beside
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.words import listed, said


def effects_report(project: str, result: Effects) -> Report:
    """The effects for Markdown, CSV and HTML."""
    rows, roles = [], []
    for effect in SEVEREST:
        for each in result.effects:
            if each.effect != effect:
                continue
            changes = [change for change in each.changes if change.counted]
            roles += [effect] * max(1, len(changes))
            if not changes:
                rows.append([effect, each.address, each.type, "", "", "", f"formerly {each.formerly}" if each.formerly else ""])
            for change in changes:
                why = f"{change.because} is rebuilt" if change.because else "" if change.certain else "may change"
                reasons = listed(filter(None, (change.effect, why)))
                rows.append([effect, each.address, each.type, pointer_of(change), *values_of(change), reasons])
    beside = [[each.effect, each.kind, each.name, *was_and_becomes(each.was, each.becomes)] for each in result.beside]
    order = [[str(number), step.deed, step.address] for number, steps in enumerate(result.rounds, 1) for step in steps]
    findings = [[each.level, each.address, said(each.message), said(each.hint)] for each in result.findings]
    causes = [
        [
            each.parameter or unexplained(each, result).removesuffix(", "),
            each.place,
            *(("", "") if not each.is_single else (cell(each.was), cell_beside(each.becomes, each.was))),
            leads_to_text(each),
        ]
        for each in result.causes or ()
    ]
    tables = [
        *([Table("Because of", ["parameter", "set at", "was", "becomes", "leads to"], causes)] if causes else []),
        Table("Effects", ["effect", "resource", "type", "property", "was", "becomes", "why"], rows, roles),
        *([Table("Outputs and documents", ["effect", "kind", "name", "was", "becomes"], beside)] if beside else []),
        Table("Findings", ["level", "resource", "finding", "what to do"], findings, [each.level for each in result.findings]),
        Table("Order", ["round", "step", "resource"], order),
        Table("Not ours, and never touched", ["resource"], [[other_text(each)] for each in result.snapshot.others]),
    ]
    verb = "Removing everything from" if result.teardown else "Deploying"
    columns = ["effect", "resource", "type", "property", "was", "becomes", "why"]
    data = Table("Effects", columns, [*rows, *([effect, name, kind, "", was, becomes, ""] for effect, kind, name, was, becomes in beside)])
    return Report(f"{verb} {result.environment} of {project}", [summary(result)], tables, data)


def effects_document(project: str, result: Effects) -> dict[str, Any]:
    """`jovial-effects/4`."""
    return {
        "format": "jovial-effects/4",
        "project": project,
        "environment": result.environment,
        "against": result.snapshot.name,
        "teardown": result.teardown,
        "from": result.source or None,
        "effects": [
            {
                "address": each.address,
                "effect": each.effect,
                "type": each.type,
                "formerly": each.formerly or None,
                "keep": each.keep,
                "holds_data": each.holds_data,
                "dragged": list(each.dragged),
                "changes": [_change_entry(change) for change in each.changes],
            }
            for each in result.effects
        ],
        **({"causes": [_cause_entry(each) for each in result.causes]} if result.causes is not None else {}),
        "beside": [_beside_entry(each) for each in result.beside],
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
        **({"was": to_json(cause.was), "becomes": to_json(cause.becomes)} if cause.is_single else {}),
        "leads_to": [
            {"effect": each.effect, "type": each.type, "addresses": list(each.addresses), "properties": list(each.properties)}
            for each in cause.leads_to
        ],
    }


def _change_entry(change: Change) -> dict[str, Any]:
    return {
        "pointer": pointer_text(change.pointer),
        **({"was": to_json(change.was)} if change.was_set else {}),
        **({"becomes": to_json(change.becomes)} if change.will_be_set else {}),
        "effect": change.effect,
        "because": change.because or None,
        "certain": change.certain,
        "counted": change.counted,
    }


def _beside_entry(each: Beside) -> dict[str, Any]:
    return {
        "kind": each.kind,
        "name": each.name,
        "effect": each.effect,
        **({"was": to_json(each.was)} if each.was is not MISSING else {}),
        **({"becomes": to_json(each.becomes)} if each.becomes is not MISSING else {}),
        "certain": each.certain,
    }
