"""Effects as text, as a report for Markdown, CSV and HTML, and as JSON."""

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.comparing.causing import SEVEREST, Cause
from jovial_scaffold.core.comparing.effects import EFFECTS, Change, Effect, Effects
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.folding import FEW, MANY, addresses_text, in_common
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.rendering import cell, cell_beside
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style, cells, cut, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, said, visible

_ROLES = {"rebuild": "error", "remove": "error", "restart": "warning", "change": "note", "rename": "note", "add": "good"}
_WORDS = {
    "rebuild": "removed and made again",
    "remove": "removed",
    "restart": "changed with a restart",
    "change": "changed in place",
    "rename": "only renamed",
    "add": "added",
}

_WEIGHTS = {"rebuild": "error", "locked": "error", "restart": "warning"}
_VERBS = {
    "rebuild": "rebuilds",
    "remove": "removes",
    "restart": "restarts",
    "change": "changes",
    "rename": "renames",
    "add": "adds",
}


def effects_text(project: str, result: Effects, style: Style, others: bool, findings: str = "") -> str:
    """The whole of it, for a terminal: the verdict, its findings, which are text already, and the effects, the severest first."""
    return "\n".join(_lines(project, result, style, others, findings)) + "\n"


def _lines(project: str, result: Effects, style: Style, others: bool, findings: str) -> Iterator[str]:
    about = "Removing everything from" if result.teardown else "Deploying"
    verdict = summary(result)
    blocked = f" is blocked by {counted(result.blocking, 'error')}" if result.blocking else ""
    role = "error" if blocked else next((_ROLES[each] for each in SEVEREST if result.count(each)), "good")
    head, *more = wrapped(f"{about} {result.environment} of {project}{blocked}: {verdict[0].lower()}{verdict[1:]}", style.width, "")
    yield from (style.paint(role, line) for line in (head, *more))
    yield style.paint("faint", f"{_origin(result)} says what runs now.")
    if findings:
        yield ""
        yield findings.rstrip("\n")
    shown = [each for effect in SEVEREST for each in result.effects if each.effect == effect]
    if shown and not result.teardown:
        yield ""
        yield from _causes(result, style)
    if shown:
        width = max(len(each.effect) for each in shown)
        are_long = True  # a line between those of several rows
        for alike in together(shown):
            was_long, are_long = are_long, len(_shown(alike[0])) > 1
            if was_long or are_long:
                yield ""
            yield from _effect(alike, width, style)
    run_only = [each for each in result.effects if each.effect == "unchanged" and any(not change.counted for change in each.changes)]
    unsure = [each for each in result.effects if each.effect == "unchanged" and any(not change.certain for change in each.changes)]
    for title, found in (("Only because of context.run, and not counted", run_only), ("May change: only the deployment knows", unsure)):
        if found:
            yield ""
            yield style.paint("faint", title)
            for each in found:
                yield f"  {visible(each.address)}  {style.paint('faint', visible(listed(pointer_text(change.pointer) for change in each.changes)))}"
    if result.rounds:
        yield ""
        yield style.paint("strong", "In this order")
        for number, steps in enumerate(result.rounds, 1):
            deeds: dict[str, list[str]] = {}
            for step in steps:
                deeds.setdefault(step.deed, []).append(visible(step.address))
            for position, (deed, addresses) in enumerate(sorted(deeds.items())):
                head = f"  {number if position == 0 else '':>3}  {deed.ljust(6)}  "
                lines = wrapped(", ".join(addresses_text(addresses)), style.width - len(head), "")
                for index, line in enumerate(lines):
                    yield f"{head if index == 0 else ' ' * len(head)}{line}"
    if others and result.snapshot.others:
        yield ""
        yield style.paint("strong", "Not ours, and never touched")
        yield from (f"  {visible(_other(each))}" for each in result.snapshot.others)


def _causes(result: Effects, style: Style) -> Iterator[str]:
    """The parameters that are not what they were, each with all that it leads to."""
    if result.causes is None:
        yield style.paint("faint", "Why is not known: the snapshot does not say what parameters were; `jovial record` writes them.")
        return
    if result.causes:
        yield style.paint("strong", "Because of")
    for each in result.causes:
        leads_to = visible(_leads_to(each))
        head, width = _cause(each, style)
        if width + 3 + cells(leads_to) <= style.width:
            yield f"  {head}: {leads_to}"
        else:
            yield f"  {head}"
            yield from wrapped(leads_to, style.width, "    ")


def _leads_to(each: Cause) -> str:
    """What a cause does, the severest first; of very many of one type, how many."""
    parts = []
    for effect in SEVEREST:
        found: list[str] = []
        for own, type, addresses in each.leads_to:
            texts = addresses_text(addresses) if own == effect else []
            found += [f"{len(addresses):,} {type}"] if len(texts) > FEW and len(addresses) > MANY else texts
        if found:
            parts.append(f"{_VERBS[effect]} {', '.join(found)}")
    return "; ".join(parts)


def _cause(each: Cause, style: Style) -> tuple[str, int]:
    """A parameter, where it is set, and what it was and is, as far as there is room; and how wide that is."""
    if not each.parameter:
        told = "no parameter (the template or a catalog, or somebody there)"
        return style.paint("driver", told), cells(told)
    name, place = visible(each.parameter), f" ({visible(each.place)})" if each.place else ""
    head, width = f"{style.paint('driver', name)}{style.paint('place', place)}", cells(name + place)
    if not each.is_single:
        return head, width
    was, becomes = cell(each.was), cell_beside(each.becomes, each.was)
    room = max(style.width - width - len("  :  becomes "), 40)
    if cells(was) + cells(becomes) > room:
        was, becomes = (cut(part, room // 2) for part in _around_difference(was, becomes, room // 2))
    return f"{head}, {was} {style.paint('faint', 'becomes')} {becomes}", width + cells(f", {was} becomes {becomes}")


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
        return f"Nothing to do, {counted(len(result.effects), 'resource')} {'is as it' if len(result.effects) == 1 else 'are as they'} should be{untouched}."
    parts = [f"{result.count(effect)} {_WORDS[effect]}{_losing(result.losing(effect))}" for effect in SEVEREST if result.count(effect)]
    return f"{listed(parts)}; {kept} unchanged{untouched}."


def together(effects: Iterable[Effect]) -> list[list[Effect]]:
    """Effects in their order, those together that happen to resources of one type in the same properties for the same reasons; what these were
    and become may differ."""
    found: dict[object, list[Effect]] = {}
    for each in effects:
        changes = tuple((_alike_pointer(change), change.effect, change.certain, bool(change.because)) for change in _shown(each))
        key = (each.effect, each.type, each.keep, bool(each.formerly) and each.address, changes)
        found.setdefault(key, []).append(each)
    return list(found.values())


def _shown(each: Effect) -> list[Change]:
    return [change for change in each.changes if change.counted]


def _alike_pointer(change: Change) -> object:
    return change.pointer, change.was_set, change.will_be_set


def _losing(count: int) -> str:
    return f" ({count} {'holds' if count == 1 else 'hold'} data)" if count else ""


def _effect(alike: Sequence[Effect], width: int, style: Style) -> Iterator[str]:
    each = alike[0]
    former = f"  formerly {visible(each.formerly)}" if each.formerly else ""
    keep = "  to be kept" if each.keep and each.effect in ("remove", "rebuild") else ""
    indent = " " * (width + 2)
    head, *more = wrapped(", ".join(addresses_text(visible(effect.address) for effect in alike)), max(style.width - len(indent), 20), "")
    last = f"{style.paint('place', each.type)}{style.paint('faint', former)}{style.paint('error', keep)}"
    names = [style.paint("strong", line) for line in (head, *more)]
    fits = len(indent) + cells((more or [head])[-1]) + 2 + cells(f"{each.type}{former}{keep}") <= style.width
    yield from (
        f"{style.paint(_ROLES[each.effect], padded(each.effect, width)) if number == 0 else ' ' * width}  {name}{f'  {last}' if fits and number == len(names) - 1 else ''}"
        for number, name in enumerate(names)
    )
    if not fits:
        yield f"{indent}{last}"
    shown = _shown(each)
    labels = max((cells(_pointer(change)) for change in shown), default=0)
    labels = min(labels, max(12, style.width // 3))
    for number, change in enumerate(shown):
        why = "" if change.effect == "in_place" else change.effect
        if not change.certain:
            why = "may change"
        room = max(24, style.width - len(indent) - labels - 3)
        changes = [_shown(effect)[number] for effect in alike]
        yield f"{indent}{padded(cut(_pointer(change), labels), labels)}  {_change(changes, style, room, why)}"


def _pointer(change: Change) -> str:
    return visible(pointer_text(change.pointer).replace("$type", "(type)"))


def _values(change: Change) -> tuple[str, str]:
    was = cell(change.was) if change.was_set else marks.UNSET
    becomes = (cell_beside(change.becomes, change.was) if change.was_set else cell(change.becomes)) if change.will_be_set else marks.UNSET
    if isinstance(change.was, Secret) and isinstance(change.becomes, Secret):
        becomes = marks.OTHER_SECRET
    return was, becomes


def _change(changes: Sequence[Change], style: Style, room: int, why: str) -> str:
    """What a property was and becomes; in several resources, what that has in common."""
    change = changes[0]
    pairs = [_values(each) for each in changes]
    was, becomes = pairs[0]
    if any(pair != pairs[0] for pair in pairs):
        was, becomes = in_common([pair[0] for pair in pairs]), in_common([pair[1] for pair in pairs])
        if not (was + becomes).strip('…"'):
            return f"{style.paint('faint', 'other in each')}{'   ' + style.paint(_WEIGHTS.get(change.effect, 'faint'), why) if why else ''}"
    space = room - cells(why) - 6
    half = max(8, space // 2)
    if cells(was) + cells(becomes) > space:
        was, becomes = _around_difference(was, becomes, half) if "…" not in was else (was, becomes)
        was = cut(was, max(half, space - cells(becomes)))
        becomes = cut(becomes, max(half, space - cells(was)))
    role = _WEIGHTS.get(change.effect, "faint")
    if change.because:
        # What the cloud gives anew has no text yet: both sides would read the same.
        first = addresses_text(dict.fromkeys(visible(each.because) for each in changes))
        are = "is rebuilt" if len(first) == 1 and "×" not in first[0] else "are rebuilt"
        return f"{style.paint('faint', 'anew, since')} {cut(', '.join(first), half * 2)} {style.paint('faint', are)}{'   ' + style.paint(role, why) if why else ''}"
    arrow = style.paint("faint", "becomes")
    return f"{was} {arrow} {becomes}{'   ' + style.paint(role, why) if why else ''}"


def _around_difference(was: str, becomes: str, width: int) -> tuple[str, str]:
    """Two long texts from shortly before they begin to differ: cut there, they would read the same."""
    same = next((at for at, pair in enumerate(zip(was, becomes, strict=False)) if pair[0] != pair[1]), min(len(was), len(becomes)))
    skipped = same - width // 3
    return (f"…{was[skipped:]}", f"…{becomes[skipped:]}") if skipped > 1 else (was, becomes)


def _other(value: Any) -> str:
    if isinstance(value, dict):
        name = next((str(value[key]) for key in ("address", "name", "id") if key in value), "")
        return f"{name}  {value.get('type', '')}".strip() or cell(value)
    return cell(value)


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
                rows.append([effect, each.address, each.type, _pointer(change), *_values(change), reasons])
    order = [[str(number), step.deed, step.address] for number, steps in enumerate(result.rounds, 1) for step in steps]
    findings = [[each.level, each.address, said(each.message), said(each.hint)] for each in result.findings]
    causes = [
        [
            each.parameter or "(no parameter)",
            each.place,
            *(("", "") if not each.is_single else (cell(each.was), cell_beside(each.becomes, each.was))),
            _leads_to(each),
        ]
        for each in result.causes or ()
    ]
    tables = [
        *([Table("Because of", ["parameter", "set at", "was", "becomes", "leads to"], causes)] if causes else []),
        Table("Effects", ["effect", "resource", "type", "property", "was", "becomes", "why"], rows, roles),
        Table("Findings", ["level", "resource", "finding", "what to do"], findings, [each.level for each in result.findings]),
        Table("Order", ["round", "step", "resource"], order),
        Table("Not ours, and never touched", ["resource"], [[_other(each)] for each in result.snapshot.others]),
    ]
    verb = "Removing everything from" if result.teardown else "Deploying"
    return Report(f"{verb} {result.environment} of {project}", [summary(result)], tables)


def effects_document(project: str, result: Effects) -> dict[str, Any]:
    """`jovial-effects/3`."""
    return {
        "format": "jovial-effects/3",
        "project": project,
        "environment": result.environment,
        "against": result.snapshot.name,
        "teardown": result.teardown,
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
        "rounds": [[{"step": step.deed, "address": step.address} for step in steps] for steps in result.rounds],
        "others": to_json(list(result.snapshot.others)),
        "findings": [finding_entry(finding) for finding in result.findings],
        "summary": {effect: result.count(effect) for effect in EFFECTS},
    }


def _cause_entry(cause: Cause) -> dict[str, Any]:
    return {
        "parameter": cause.parameter or None,
        "place": cause.place or None,
        **({"was": to_json(cause.was), "becomes": to_json(cause.becomes)} if cause.is_single else {}),
        "leads_to": [{"effect": effect, "type": type, "addresses": list(addresses)} for effect, type, addresses in cause.leads_to],
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
