"""Effects as text, as a report for Markdown, CSV and HTML, and as JSON."""

from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.comparing.effects import ACTIONS, Change, Effect, Effects
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.machine import finding_entry, public
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style, cells, cut, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, said, visible

# What interrupts most stands first.
_ORDER = ("rebuild", "remove", "restart", "change", "rename", "add")
_ROLES = {"rebuild": "error", "remove": "error", "restart": "warning", "change": "note", "rename": "note", "add": "good"}
_WORDS = {
    "rebuild": "removed and made again",
    "remove": "removed",
    "restart": "changed with a restart",
    "change": "changed in place",
    "rename": "only renamed",
    "add": "added",
}


def effects_text(project: str, result: Effects, style: Style, others: bool) -> str:
    """The whole of it, for a terminal."""
    return "\n".join(_lines(project, result, style, others)) + "\n"


def _lines(project: str, result: Effects, style: Style, others: bool) -> Iterator[str]:
    about = "removing everything from" if result.teardown else "deploying"
    yield f"{style.paint('strong', f'{project}: {about} {result.environment}')}, where {_origin(result)} says what runs now"
    shown = [each for action in _ORDER for each in result.effects if each.action == action]
    if shown:
        width = max(len(each.action) for each in shown)
        for each in shown:
            yield ""
            yield from _effect(each, width, style)
    run_only = [each for each in result.effects if each.action == "unchanged" and any(not change.counted for change in each.changes)]
    unsure = [each for each in result.effects if each.action == "unchanged" and any(not change.certain for change in each.changes)]
    for title, found in (("Only because of context.run, and not counted", run_only), ("May change: only the deployment knows", unsure)):
        if found:
            yield ""
            yield style.paint("faint", title)
            for each in found:
                yield f"  {visible(each.address)}  {style.paint('faint', visible(listed(pointer_text(change.pointer) for change in each.changes)))}"
    if result.order:
        yield ""
        yield style.paint("strong", "In this order")
        for number, wave in enumerate(result.order, 1):
            deeds: dict[str, list[str]] = {}
            for step in wave:
                deeds.setdefault(step.deed, []).append(visible(step.address))
            for position, (deed, addresses) in enumerate(sorted(deeds.items())):
                head = f"  {number if position == 0 else '':>3}  {deed.ljust(6)}  "
                lines = wrapped(", ".join(addresses), style.width - len(head), "")
                for index, line in enumerate(lines):
                    yield f"{head if index == 0 else ' ' * len(head)}{line}"
    if others and result.snapshot.others:
        yield ""
        yield style.paint("strong", "Not ours, and never touched")
        yield from (f"  {visible(_other(each))}" for each in result.snapshot.others)
    yield ""
    yield from wrapped(summary(result), style.width, "")


def _origin(result: Effects) -> str:
    run = result.snapshot.run
    when = f" (recorded {run['date']}{' by ' + visible(run['author']) if run.get('author') else ''})" if run.get("date") else ""
    return f"{visible(result.snapshot.name)}{when}"


def summary(result: Effects) -> str:
    """One sentence."""
    kept = result.count("unchanged")
    beside = counted(len(result.snapshot.others), "other") if result.snapshot.others else ""
    untouched = f"; {beside} not touched" if beside else ""
    if result.nothing:
        return f"Nothing to do: {counted(len(result.effects), 'resource')} as {'it' if len(result.effects) == 1 else 'they'} should be{untouched}."
    parts = [f"{result.count(action)} {_WORDS[action]}" for action in _ORDER if result.count(action)]
    return f"{listed(parts)}; {kept} unchanged{untouched}."


def _effect(each: Effect, width: int, style: Style) -> Iterator[str]:
    former = f"  formerly {visible(each.formerly)}" if each.formerly else ""
    keep = "  to be kept" if each.keep and each.action in ("remove", "rebuild") else ""
    role = _ROLES[each.action]
    yield f"{style.paint(role, padded(each.action, width))}  {style.paint('strong', visible(each.address))}  {style.paint('place', each.type)}{style.paint('faint', former)}{style.paint('error', keep)}"
    indent = " " * (width + 2)
    shown = [change for change in each.changes if change.counted]
    labels = max((cells(_pointer(change)) for change in shown), default=0)
    labels = min(labels, max(12, style.width // 3))
    for change in shown:
        why = "" if change.effect == "in_place" else change.effect
        if not change.certain:
            why = "may change"
        room = max(24, style.width - len(indent) - labels - 3)
        yield f"{indent}{padded(cut(_pointer(change), labels), labels)}  {_change(change, style, room, why)}"


def _pointer(change: Change) -> str:
    return visible(pointer_text(change.pointer).replace("$type", "(type)"))


def _values(change: Change) -> tuple[str, str]:
    before = cell(change.before) if change.was_set else "not set"
    after = cell(change.after) if change.will_be_set else "not set"
    if isinstance(change.before, Secret) and isinstance(change.after, Secret):
        after = "(another secret)"
    return before, after


def _change(change: Change, style: Style, room: int, why: str) -> str:
    before, after = _values(change)
    space = room - cells(why) - 6
    half = max(8, space // 2)
    if cells(before) + cells(after) > space:
        before, after = cut(before, max(half, space - cells(after))), after
        after = cut(after, max(half, space - cells(before)))
    role = {"rebuild": "error", "locked": "error", "restart": "warning"}.get(change.effect, "faint")
    if change.because:
        # What the cloud gives anew has no text yet: before and after would read the same.
        return f"{style.paint('faint', 'anew, since')} {visible(change.because)} {style.paint('faint', 'is rebuilt')}{'   ' + style.paint(role, why) if why else ''}"
    arrow = style.paint("faint", "becomes")
    return f"{before} {arrow} {after}{'   ' + style.paint(role, why) if why else ''}"


def _other(value: Any) -> str:
    if isinstance(value, dict):
        name = next((str(value[key]) for key in ("address", "name", "id") if key in value), "")
        return f"{name}  {value.get('type', '')}".strip() or cell(value)
    return cell(value)


def effects_report(project: str, result: Effects) -> Report:
    """The effects for Markdown, CSV and HTML."""
    rows, marks = [], []
    for action in _ORDER:
        for each in result.effects:
            if each.action != action:
                continue
            changes = [change for change in each.changes if change.counted]
            marks += [action] * max(1, len(changes))
            if not changes:
                rows.append([action, each.address, each.type, "", "", "", f"formerly {each.formerly}" if each.formerly else ""])
            for change in changes:
                why = f"{change.because} is rebuilt" if change.because else "" if change.certain else "may change"
                reasons = listed(filter(None, (change.effect, why)))
                rows.append([action, each.address, each.type, _pointer(change), *_values(change), reasons])
    order = [[str(number), step.deed, step.address] for number, wave in enumerate(result.order, 1) for step in wave]
    findings = [[each.level, each.address, said(each.message), said(each.hint)] for each in result.findings]
    tables = [
        Table("Effects", ["effect", "resource", "type", "property", "now", "then", "why"], rows, marks),
        Table("Findings", ["level", "resource", "finding", "what to do"], findings, [each.level for each in result.findings]),
        Table("Order", ["wave", "step", "resource"], order),
        Table("Not ours, and never touched", ["resource"], [[_other(each)] for each in result.snapshot.others]),
    ]
    verb = "Removing everything from" if result.teardown else "Deploying"
    return Report(f"{verb} {result.environment} of {project}", [summary(result)], tables)


def effects_document(project: str, result: Effects) -> dict[str, Any]:
    """`jovial-effects/1`."""
    return {
        "format": "jovial-effects/1",
        "project": project,
        "environment": result.environment,
        "against": result.snapshot.name,
        "teardown": result.teardown,
        "effects": [
            {
                "address": each.address,
                "action": each.action,
                "type": each.type,
                "formerly": each.formerly or None,
                "keep": each.keep,
                "dragged": list(each.dragged),
                "changes": [_change_entry(change) for change in each.changes],
            }
            for each in result.effects
        ],
        "order": [[{"step": step.deed, "address": step.address} for step in wave] for wave in result.order],
        "others": public(list(result.snapshot.others)),
        "findings": [finding_entry(finding) for finding in result.findings],
        "summary": {action: result.count(action) for action in ACTIONS},
    }


def _change_entry(change: Change) -> dict[str, Any]:
    return {
        "pointer": pointer_text(change.pointer),
        **({"before": public(change.before)} if change.was_set else {}),
        **({"after": public(change.after)} if change.will_be_set else {}),
        "effect": change.effect,
        "because": change.because or None,
        "certain": change.certain,
        "counted": change.counted,
    }
