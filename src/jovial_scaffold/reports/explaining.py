"""Explanations as a tree of lines, and as versioned JSON."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.findings import Finding, Span
from jovial_scaffold.core.outcomes import Moment
from jovial_scaffold.core.rendering.explaining import Reason, is_missing
from jovial_scaffold.reports.grouped import by_value, names_text
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_apart, cut_within, padded
from jovial_scaffold.reports.words import path_shown, visible

_ELSEWHERE = 40  # columns of a value that another environment has
_WORDS = {
    "parameter": "parameter",
    "default": "default of parameter",
    "argument": "handed to",
    "value": "value",
    "lookup": "lookup",
    "function": "function",
    "output": "output",
    "resource": "resource",
    "document": "document",
    "variable": "item",
    "catalog": "",
    "context": "",
    "condition": "",
    "row": "",
    "property": "",
}


def explanation_text(reason: Reason, environment: str, style: Style, base: str = "") -> str:
    """The tree, the value itself first."""
    return "\n".join(_lines(reason, environment, style, base)) + "\n"


def _lines(reason: Reason, environment: str, style: Style, base: str) -> Iterator[str]:
    what = f"{style.paint('strong', visible(reason.name))} in {environment}"
    yield f"{what} is {_there(reason.value) if reason.is_presence else _shown(reason.value, style.width - 24)}"
    yield from _about(reason, style, "", base)
    yield from _below(reason.reasons, style, "", base)


def _below(reasons: tuple[Reason, ...], style: Style, indent: str, base: str) -> Iterator[str]:
    for number, reason in enumerate(reasons):
        last = number == len(reasons) - 1
        branch, further = ("└─ ", "   ") if last else ("├─ ", "│  ")
        word = _WORDS[reason.kind]
        head = f"{style.paint('faint', word)} " if word else ""
        room = style.width - len(indent) - 3 - (len(word) + 1 if word else 0) - cells(visible(reason.name)) - 3
        value = f" = {_shown(reason.value, max(room, 12))}"
        if reason.is_presence:
            value = f" is {_there(reason.value)}"
        elif is_missing(reason.value) and reason.kind in ("function", "resource"):
            value = ""
        yield f"{style.paint('faint', indent + branch)}{head}{style.paint('strong', visible(reason.name))}{value}"
        inner = indent + further
        yield from _about(reason, style, inner, base)
        yield from _below(reason.reasons, style, inner, base)


def _about(reason: Reason, style: Style, indent: str, base: str) -> Iterator[str]:
    """The place and text of a step, the layers that set it, and what other environments have."""
    faint = style.paint("faint", indent)
    if reason.settings:
        for number, setting in enumerate(reason.settings):
            shown = path_shown(base, setting.place) if ":" in setting.place else setting.place
            place = style.place(visible(shown), shown.partition(":")[0]) if ":" in shown else style.paint("place", visible(shown))
            if number == 0:
                yield f"{faint}{place} sets it"
            else:
                yield f"{faint}{place} is overridden: {_shown(setting.value, 30)}"
    elif reason.span is not None:
        place = f"{path_shown(base, reason.span.file)}:{reason.span.line}"
        room = style.width - len(indent) - len(place) - 2
        told = visible(" ".join(reason.written.split())) if reason.written else ""
        text = cut(told, max(room, 20)) if told else ""
        note = f"({reason.note})" if reason.note else ""
        yield f"{faint}{style.place(visible(place), path_shown(base, reason.span.file))}  {text or style.paint('faint', note)}".rstrip()
        if text and note:
            yield f"{faint}{style.paint('faint', note)}"
    elif reason.note:
        yield f"{faint}{style.paint('faint', f'({reason.note})')}"
    if reason.elsewhere:
        told = _elsewhere(reason.value, reason.elsewhere, reason.is_presence)
        if told:
            yield f"{faint}{style.paint('faint', cut(told, style.width - len(indent)))}"


def _there(value: Any) -> str:
    return "there" if value is True else "not there"


def _elsewhere(value: Any, elsewhere: Mapping[str, Any], is_presence: bool) -> str:
    """What other environments have, those together that have the same; nothing where all have what this one has."""
    if is_presence:
        texts = {name: _there(there) for name, there in elsewhere.items()}
    else:
        held = [_text(each) for each in (value, *elsewhere.values())]
        if len(set(held)) == 1:
            return ""
        texts = dict(zip(elsewhere, cut_apart(held, [_ELSEWHERE] * len(held))[1:], strict=True))
    return "elsewhere  " + "  ".join(f"{names_text(names)}: {text}" for text, names in by_value(texts))


def _shown(value: Any, room: int) -> str:
    return cut_within(_text(value), max(room, 12))


def _text(value: Any) -> str:
    return marks.ABSENT if is_missing(value) else cell(value)


def explanation_document(project: str, found: list[tuple[str, Reason]], findings: Sequence[Finding] = ()) -> dict[str, Any]:
    """`jovial-why/2`; `findings` are the errors that leave a value unknown."""
    return {
        "format": "jovial-why/2",
        "project": project,
        "explanations": [{"environment": environment, "reason": _entry(reason)} for environment, reason in found],
        **({"findings": [finding_entry(each) for each in findings]} if findings else {}),
    }


def _entry(reason: Reason) -> dict[str, Any]:
    entry: dict[str, Any] = {"kind": reason.kind, "name": reason.name}
    if not is_missing(reason.value):
        entry["value"] = to_json(reason.value)
    if reason.span is not None:
        entry["place"] = _place(reason.span)
    entry |= {key: text for key, text in (("written", reason.written), ("note", reason.note)) if text}
    if reason.settings:
        entry["settings"] = [{"place": each.place, "value": to_json(each.value)} for each in reason.settings]
    if reason.elsewhere is not None:
        entry["elsewhere"] = {name: to_json(value) for name, value in reason.elsewhere.items() if not is_missing(value)}
    entry["reasons"] = [_entry(each) for each in reason.reasons]
    return entry


def _place(span: Span) -> dict[str, Any]:
    return {"file": span.file, "line": span.line, "column": span.column}


def history_text(what: str, environment: str, moments: Sequence[Moment], style: Style) -> str:
    """A line for each value that there was, newest first, with the commit that brought it."""
    lines = [f"{style.paint('strong', visible(what))} in {environment}, newest first"]
    values = [visible(each.note) if each.note else cell(each.value) for each in moments]
    width = min(max(map(cells, values)), style.width // 3)
    for each, value in zip(moments, cut_apart(values, [width] * len(values), cut), strict=True):
        who = f"{each.date}  {each.commit[:10]}  " if each.commit else "not committed yet  "
        head = f"  {style.paint('faint' if each.note else '', padded(value, width))}  {style.paint('place', who)}"
        told = f"{visible(each.subject)}{f' ({visible(each.author)})' if each.author else ''}" if each.commit else ""
        told += f", as {visible(each.address)}" if each.address else ""
        lines.append(f"{head}{cut(told, max(20, style.width - width - cells(who) - 4))}".rstrip())
    return "\n".join(lines) + "\n"


def history_document(project: str, what: str, environment: str, moments: Sequence[Moment]) -> dict[str, Any]:
    """`jovial-history/3`."""
    return {
        "format": "jovial-history/3",
        "project": project,
        "what": what,
        "environment": environment,
        "moments": [
            {
                "commit": each.commit or None,
                "date": each.date or None,
                "author": each.author or None,
                "subject": each.subject,
                "value": to_json(each.value),
                "note": each.note,
                "address": each.address or None,
            }
            for each in moments
        ],
    }
