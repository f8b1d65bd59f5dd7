"""Effects as text: the verdict, what stands against it, the causes with all that they lead to, and the order."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.effect_records import MISSING, SEVEREST, Beside, Cause, CausePart, Change, Effect, Effects
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.folding import FEW, MANY, addresses_text, in_common
from jovial_scaffold.reports.rendering import cell, cell_beside, line_texts
from jovial_scaffold.reports.terminal import Style, cells, cut, from_difference, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, visible

_ROLES = {
    "rebuild": "error",
    "remove": "error",
    "locked": "error",
    "restart": "warning",
    "in_place": "note",
    "rename": "note",
    "move": "note",
    "add": "good",
}
_WORDS = {
    "rebuild": "removed and made again",
    "remove": "removed",
    "restart": "changed with a restart",
    "locked": "that cannot change",
    "in_place": "changed in place",
    "rename": "only renamed",
    "move": "only moved",
    "add": "added",
}

_LOOKED_AT = 2_000  # characters in which a difference is looked for
_BESIDE = 8  # outputs, documents and lines of these that are shown
_LEAST = 40  # columns that two values get beside a cause, at least
_PROPERTIES = 4  # that are named of one effect
_PARTS = 3  # of a parameter that are shown
_WRITTEN = {"template": "the template", "lookup": "a table", "project": "the project", "catalog": "the catalog"}
_WEIGHTS = {"rebuild": "error", "locked": "error", "restart": "warning"}
VERBS = {
    "rebuild": "rebuilds",
    "remove": "removes",
    "restart": "restarts",
    "locked": "cannot change",
    "in_place": "changes",
    "rename": "renames",
    "move": "moves",
    "add": "adds",
}


class Shown(NamedTuple):
    """What of effects is shown as text: by `cause`, `effect`, `resource` or `round`; each property, or those that nothing else says; and
    what is not ours."""

    by: str = "cause"
    details: bool = False
    others: bool = False


def effects_text(project: str, result: Effects, style: Style, shown: Shown, findings: str = "", notes: str = "") -> str:
    """The whole of it, for a terminal: the verdict, its findings, which are text already, what happens, as `shown` says, and what is to be noted."""
    return "\n".join(_lines(project, result, style, shown, findings, notes)) + "\n"


def _lines(project: str, result: Effects, style: Style, shown: Shown, findings: str, notes: str) -> Iterator[str]:
    about = "Removing everything from" if result.teardown else "Deploying"
    source = f", with parameters of {visible(result.source)}" if result.source else ""
    verdict = summary(result)
    blocked = f" is blocked by {counted(result.blocking, 'error')}" if result.blocking else ""
    role = "error" if blocked else next((_ROLES[each] for each in SEVEREST if result.count(each)), "good")
    head, *more = wrapped(f"{about} {result.environment} of {project}{source}{blocked}: {verdict[0].lower()}{verdict[1:]}", style.width, "")
    yield from (style.paint(role, line) for line in (head, *more))
    yield style.paint("faint", f"{_origin(result)} says what runs now.")
    if findings:
        yield ""
        yield findings.rstrip("\n")
    happening = [each for effect in SEVEREST for each in result.effects if each.effect == effect]
    if happening and shown.by == "cause" and not result.teardown:
        yield ""
        yield from _causes(result, style, shown.details)
    if shown.by == "round":
        yield from _rounds(result, style)
    elif shown.details or shown.by != "cause" or result.teardown or result.causes is None:
        by_address = sorted(happening, key=lambda each: each.address) if shown.by == "resource" else happening
        yield from _blocks([[each] for each in by_address] if shown.by == "resource" else together(by_address), style)
    yield from _beside(result, style)
    yield from _unsure(result, style)
    if shown.by != "round":
        yield from _order(result, style)
    if shown.others and result.snapshot.others:
        yield ""
        yield style.paint("strong", "Not ours, and never touched")
        yield from (f"  {visible(other_text(each))}" for each in result.snapshot.others)
    if notes:
        yield ""
        yield notes.rstrip("\n")


def _blocks(groups: Sequence[Sequence[Effect]], style: Style, indent: str = "") -> Iterator[str]:
    """Effects, those of several rows with a line around them."""
    width = max((len(each.effect) for alike in groups for each in alike), default=0)
    are_long = not indent
    for alike in groups:
        was_long, are_long = are_long, len(shown_changes(alike[0])) > 1
        if (was_long or are_long) and not indent:
            yield ""
        yield from (f"{indent}{line}" for line in _effect(alike, width, style, len(indent)))


def _beside(result: Effects, style: Style) -> Iterator[str]:
    """Outputs and documents that change."""
    if not result.beside:
        return
    yield ""
    yield style.paint("strong", "Outputs and documents")
    names = [f"{each.kind} {visible(each.name)}" for each in result.beside[:_BESIDE]]
    width = min(max(map(cells, names)), max(20, style.width // 3))
    for each, name in zip(result.beside, names, strict=False):
        told = f"  {style.paint(_ROLES[each.effect], padded(_shown_effect(each.effect), 8))}  {padded(cut(name, width), width)}"
        was, becomes = beside_texts(each)
        room = max(24, style.width - 12 - width)
        if each.because:
            yield f"{told}  {_anew(each.because, style, room)}"
            continue
        if each.was is MISSING and each.becomes is MISSING:
            yield told.rstrip()
            continue
        values = beside_one_another(was, becomes, room)
        yield f"{told}  {values[0]} {style.paint('faint', 'becomes')} {values[1]}"
    if len(result.beside) > _BESIDE:
        yield f"  and {len(result.beside) - _BESIDE:,} more"


def _unsure(result: Effects, style: Style) -> Iterator[str]:
    run_only = [each for each in result.effects if each.effect == "unchanged" and any(not change.counted for change in each.changes)]
    unsure = [each for each in result.effects if each.effect == "unchanged" and any(not change.certain for change in each.changes)]
    for title, found in (("Only because of context.run, and not counted", run_only), ("May change: only the deployment knows", unsure)):
        if found:
            yield ""
            yield style.paint("faint", title)
            for each in found:
                yield f"  {visible(each.address)}  {style.paint('faint', visible(listed(pointer_text(change.pointer) for change in each.changes)))}"


def _order(result: Effects, style: Style) -> Iterator[str]:
    """The rounds, and what does not work meanwhile."""
    if not result.rounds:
        return
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
    told = interruptions_text(result)
    if told:
        yield from (style.paint("faint", line) for line in wrapped(f"Meanwhile {told}.", style.width, ""))


def interruptions_text(result: Effects) -> str:
    """What does not work during which rounds; what is gone for good is no interruption, but for the data that goes with it."""
    found: dict[tuple[str, int, int, bool], list[str]] = {}
    for each in result.interruptions if not result.teardown else ():
        if each.what == "restart" or each.until or each.loses_data:
            found.setdefault((each.what, each.since, each.until, each.loses_data), []).append(visible(each.address))
    return "; ".join(
        f"{', '.join(addresses_text(addresses))} {_interrupted(what, since, until, loses_data, len(addresses))}"
        for (what, since, until, loses_data), addresses in found.items()
    )


def _interrupted(what: str, since: int, until: int, loses_data: bool, count: int) -> str:
    if what == "restart":
        return f"{'restarts' if count == 1 else 'restart'} in {since}"
    are, its = ("is", "its") if count == 1 else ("are", "their")
    rounds = f"from {since} to {until}" if until else f"from {since} on"
    return f"{are} gone {rounds}{f', with {its} data' if loses_data else ''}"


def _rounds(result: Effects, style: Style) -> Iterator[str]:
    """Each round with what happens in it; of what is rebuilt, the reasons stand where it is made again."""
    effects = {each.address: each for each in result.effects}
    there = {each.formerly: each for each in result.effects if each.formerly}
    for number, steps in enumerate(result.rounds, 1):
        yield ""
        yield style.paint("strong", f"Round {number}")
        going, doing = [], []
        for step in steps:
            each = there.get(step.address) or effects[step.address] if step.deed == "remove" else effects[step.address]
            if each.effect == "rebuild" and step.deed == "remove":
                going.append(visible(each.address))
            else:
                doing.append(each)
        if going:
            head = "  remove   "
            lines = wrapped(f"{', '.join(addresses_text(going))}, to be made again", style.width - len(head), "")
            yield from (f"{style.paint('error', head) if index == 0 else ' ' * len(head)}{line}" for index, line in enumerate(lines))
        yield from _blocks(together(sorted(doing, key=lambda each: SEVEREST.index(each.effect))), style, "  ")
    told = interruptions_text(result)
    if told:
        yield ""
        yield from (style.paint("faint", line) for line in wrapped(f"Meanwhile {told}.", style.width, ""))


def _causes(result: Effects, style: Style, details: bool) -> Iterator[str]:
    """Each cause with all that it leads to. What a parameter does is told by the properties' names, what nothing of ours says by their values."""
    if result.causes is None:
        yield style.paint("faint", "Why is not known: the snapshot does not say what parameters were; `jovial record` writes them.")
        return
    yield style.paint("strong", "Because of")
    effects = {each.address: each for each in result.effects}
    for each in _folded(result.causes):
        head, width = _cause(each, result, style)
        leads_to = visible(leads_to_text(each))
        if each.kind != "parameter" and not details:
            yield from (f"  {line}" for line in ([head] if width + 2 <= style.width else _broken(each, result, style)))
            happening = _happening(each, effects)
            yield from _blocks(together(sorted(happening, key=lambda each: SEVEREST.index(each.effect))), style, "    ")
        elif width + 3 + cells(leads_to) <= style.width:
            yield f"  {head}: {leads_to}"
        else:
            yield f"  {head}"
            yield from wrapped(leads_to, style.width, "    ")


def _folded(causes: Sequence[Cause]) -> Iterator[Cause]:
    """The causes, many parts of one parameter that do the same to resources of their own as one."""
    found: dict[object, list[Cause]] = {}
    for number, each in enumerate(causes):
        leads = tuple((lead.effect, lead.type, lead.properties) for lead in each.leads_to)
        found.setdefault((each.parameter, leads, each.authored) if len(each.parts) == 1 else number, []).append(each)
    for alike in found.values():
        if len(alike) <= _PARTS:
            yield from alike
            continue
        leads_to = tuple(
            lead._replace(addresses=tuple(dict.fromkeys(address for each in alike for address in each.leads_to[number].addresses)))
            for number, lead in enumerate(alike[0].leads_to)
        )
        places = list(dict.fromkeys(each.place for each in alike))
        place = f"{places[0]} and {counted(len(places) - 1, 'other')}" if len(places) > 1 else places[0]
        yield replace(alike[0], place=place, leads_to=leads_to, parts=tuple(each.parts[0] for each in alike))


def _happening(cause: Cause, effects: Mapping[str, Effect]) -> list[Effect]:
    """What a cause leads to, without what else happens to the same resources."""
    found: dict[str, Effect] = {}
    for lead in cause.leads_to:
        for address in lead.addresses:
            changes = tuple(each for each in effects[address].changes if pointer_text(each.pointer) in lead.properties)
            found[address] = replace(effects[address], effect=lead.effect, changes=changes)
    return [found[address] for address in sorted(found)]


def leads_to_text(each: Cause) -> str:
    """What a cause does, the severest first, with the properties that it changes; of very many of one type, how many."""
    parts = []
    for effect in SEVEREST:
        found: list[str] = []
        for lead in each.leads_to:
            if lead.effect != effect:
                continue
            texts = addresses_text(lead.addresses)
            shown = f"{len(lead.addresses):,} {lead.type}" if len(texts) > FEW and len(lead.addresses) > MANY else ", ".join(texts)
            found.append(f"{shown}{_properties(lead.properties)}")
        if found:
            parts.append(f"{VERBS[effect]} {', '.join(found)}")
    return "; ".join(parts)


def _properties(names: Sequence[str]) -> str:
    """Some properties in parentheses, the first of many."""
    shown = names if len(names) <= _PROPERTIES else (*names[: _PROPERTIES - 1], f"{len(names) - _PROPERTIES + 1} more")
    return f" ({', '.join(shown)})" if names else ""


def _cause(each: Cause, result: Effects, style: Style) -> tuple[str, int]:
    """A parameter, where it is set, and what it was and is, as far as there is room, or what else it is; and how wide that is."""
    if each.kind != "parameter":
        told, place = unexplained(each, result), visible(f"{each.place}{authored_text(each)}")
        return f"{style.paint('driver', told)}{style.paint('place', place)}", cells(told + place)
    name, place = visible(parts_text(each.parts)), f" ({visible(f'{each.place}{authored_text(each)}')})" if each.place else ""
    head, width = f"{style.paint('driver', name)}{style.paint('place', place)}", cells(name + place)
    if width + 2 > style.width:
        head, width = f"{style.paint('driver', name)}\n    {style.paint('place', place.strip())}", style.width
    if len(each.parts) > _PARTS:
        return head, width
    pairs = [was_and_becomes(part.was, part.becomes) for part in each.parts]
    room = style.width - width - len("  ,  becomes ")
    if len(pairs) == 1 and (room >= _LEAST or sum(map(cells, pairs[0])) <= room):
        was, becomes = beside_one_another(*pairs[0], room)
        return f"{head}, {was} {style.paint('faint', 'becomes')} {becomes}", width + cells(f", {was} becomes {becomes}")
    names = [""] if len(pairs) == 1 else [f"{visible(part.part or part.parameter)} " for part in each.parts]
    below = [beside_one_another(*pair, style.width - len("     becomes ") - cells(name)) for name, pair in zip(names, pairs, strict=True)]
    lines = [f"{name}{was} {style.paint('faint', 'becomes')} {becomes}" for name, (was, becomes) in zip(names, below, strict=True)]
    fits = sum(cells(f"{name}{was} becomes {becomes} · ") for name, (was, becomes) in zip(names, below, strict=True)) <= style.width - 1
    return "\n    ".join([head, *([" · ".join(lines)] if fits else lines)]), style.width


def parts_text(parts: Sequence[CausePart], most: int = _PARTS) -> str:
    """What of parameters is another: `tags:{owner, stage}`; of more than `most` parts, the first ones and how many others."""
    if len({each.parameter for each in parts}) > 1 or len(parts) == 1:
        return " + ".join(each.name for each in parts)
    told = [each.part for each in parts]
    shown = told if len(told) <= most else [*told[: most - 1], f"{len(told) - most + 1} more"]
    return f"{parts[0].parameter}:{{{', '.join(shown)}}}"


def _broken(each: Cause, result: Effects, style: Style) -> list[str]:
    """What is no parameter, on several lines."""
    told = visible(f"{unexplained(each, result)}{each.place}{authored_text(each)}")
    return [style.paint("driver", line) for line in wrapped(told, style.width - 2, "")]


def authored_text(cause: Cause) -> str:
    """The commit that brought it."""
    if cause.authored is None:
        return ""
    return f", commit {cause.authored.commit[:8]}" if cause.authored.commit else ", not committed yet"


def unexplained(cause: Cause, result: Effects) -> str:
    """What a cause is that is no parameter."""
    revision = result.snapshot.revision[:8]
    if cause.kind in _WRITTEN:
        return f"{_WRITTEN[cause.kind]}, "
    if cause.kind == "secret":
        where = "where it comes from" if revision else "where it comes from, the template"
        return f"a secret that is another one: {where}, or somebody there"
    if cause.kind == "somebody":
        return f"somebody there: it is not as it was deployed from {revision}"
    return "no parameter (the template or a catalog, or somebody there)"


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
    changing = [counted(len(found), kind) for kind, found in _changing(result).items() if found]
    return f"{listed([*parts, *([f'{listed(changing)} otherwise'] if changing else [])])}; {kept} unchanged{untouched}."


def _changing(result: Effects) -> dict[str, set[str]]:
    """The outputs and documents that change."""
    found: dict[str, set[str]] = {"output": set(), "document": set()}
    for each in result.beside:
        if each.certain:
            found[each.kind].add(each.name.partition(":")[0])
    return found


def together(effects: Iterable[Effect]) -> list[list[Effect]]:
    """Effects in their order, those together that happen to resources of one type in the same properties for the same reasons; what these were
    and become may differ."""
    found: dict[object, list[Effect]] = {}
    for each in effects:
        changes = tuple((_alike_pointer(change), change.effect, change.certain, bool(change.because)) for change in shown_changes(each))
        key = (each.effect, each.type, each.keep, bool(each.formerly) and each.address, changes)
        found.setdefault(key, []).append(each)
    return list(found.values())


def shown_changes(each: Effect) -> list[Change]:
    return [change for change in each.changes if change.counted]


def _alike_pointer(change: Change) -> object:
    return change.pointer, change.was_set, change.will_be_set


def _losing(count: int) -> str:
    return f" ({count} {'holds' if count == 1 else 'hold'} data)" if count else ""


def _effect(alike: Sequence[Effect], width: int, style: Style, within: int = 0) -> Iterator[str]:
    """What happens alike to some resources, `within` so many columns."""
    each = alike[0]
    former = f"  formerly {visible(each.formerly)}" if each.formerly else ""
    keep = "  to be kept" if each.keep and each.effect in ("remove", "rebuild") else ""
    indent = " " * (width + 2)
    head, *more = wrapped(
        ", ".join(addresses_text(visible(effect.address) for effect in alike)), max(style.width - within - len(indent), 20), ""
    )
    last = f"{style.paint('place', each.type)}{style.paint('faint', former)}{style.paint('error', keep)}"
    names = [style.paint("strong", line) for line in (head, *more)]
    fits = len(indent) + cells((more or [head])[-1]) + 2 + cells(f"{each.type}{former}{keep}") <= style.width - within
    yield from (
        f"{style.paint(_ROLES[each.effect], padded(_shown_effect(each.effect), width)) if number == 0 else ' ' * width}  {name}{f'  {last}' if fits and number == len(names) - 1 else ''}"
        for number, name in enumerate(names)
    )
    if not fits:
        yield f"{indent}{last}"
    shown = shown_changes(each)
    labels = max((cells(pointer_of(change)) for change in shown), default=0)
    labels = min(labels, max(12, style.width // 3))
    for number, change in enumerate(shown):
        why = "" if change.effect == "in_place" else change.effect
        if not change.certain:
            why = "may change"
        room = max(24, style.width - within - len(indent) - labels - 3)
        changes = [shown_changes(effect)[number] for effect in alike]
        yield f"{indent}{padded(cut(pointer_of(change), labels), labels)}  {_change(changes, style, room, why)}"


def pointer_of(change: Change) -> str:
    """A property as people read it."""
    return visible(pointer_text(change.pointer).replace("$type", "(type)"))


def values_of(change: Change) -> tuple[str, str]:
    """What a property was and becomes, as short texts that read differently."""
    return was_and_becomes(change.was, change.becomes)


def _shown_effect(effect: str) -> str:
    """An effect as people read it."""
    return effect.replace("_", " ")


def was_and_becomes(was: Any, becomes: Any) -> tuple[str, str]:
    """Two values as short texts; what is not there is unset."""
    told = marks.UNSET if becomes is MISSING else cell(becomes) if was is MISSING else cell_beside(becomes, was)
    if isinstance(was, Secret) and isinstance(becomes, Secret):
        told = marks.OTHER_SECRET
    return marks.UNSET if was is MISSING else cell(was), told


def beside_texts(each: Beside) -> tuple[str, str]:
    """What an output, or a part of a document, was and becomes; nothing of a document as a whole."""
    if each.was is MISSING and each.becomes is MISSING:
        return "", ""
    if each.kind != "document" or Secret in map(type, (each.was, each.becomes)):
        return was_and_becomes(each.was, each.becomes)
    lines = iter(line_texts([str(side) for side in (each.was, each.becomes) if side is not MISSING]))
    was, becomes = (marks.UNSET if side is MISSING else next(lines) for side in (each.was, each.becomes))
    return was, becomes


def _change(changes: Sequence[Change], style: Style, room: int, why: str) -> str:
    """What a property was and becomes; in several resources, what that has in common."""
    change = changes[0]
    space = room - cells(why) - 6
    reason = f"   {style.paint(_WEIGHTS.get(change.effect, 'faint'), why)}" if why else ""
    if change.because:
        return _anew([why for each in changes for why in each.because], style, space) + reason
    return changes_text([values_of(each) for each in changes], style, space + len(" becomes ")) + reason


def _anew(because: Iterable[str], style: Style, room: int) -> str:
    """That the cloud gives something anew, which has no text yet: both sides would read the same."""
    first = addresses_text(dict.fromkeys(map(visible, because)))
    are = "is rebuilt" if len(first) == 1 and "×" not in first[0] else "are rebuilt"
    return f"{style.paint('faint', 'anew, since')} {cut(', '.join(first), max(8, room // 2) * 2)} {style.paint('faint', are)}"


def changes_text(pairs: Sequence[tuple[str, str]], style: Style, room: int) -> str:
    """What something was and becomes; of several, each where there is room for that, else what they have in common, cut around what differs."""
    arrow = style.paint("faint", "becomes")
    different = list(dict.fromkeys(pairs))
    was, becomes = different[0]
    if len(different) > 1:
        if sum(cells(f"{one} becomes {other}, ") for one, other in different) <= room:
            return ", ".join(f"{one} {arrow} {other}" for one, other in different)
        was, becomes = (in_common([pair[side] for pair in different], _LOOKED_AT) for side in (0, 1))
        if was == becomes or not (was + becomes).strip('…"'):
            return style.paint("faint", "other in each")
    was, becomes = beside_one_another(was, becomes, room - len(" becomes "))
    return f"{was} {arrow} {becomes}"


def beside_one_another(was: str, becomes: str, room: int) -> tuple[str, str]:
    """Two texts in some room, cut around their difference where there is not enough."""
    half = max(8, room // 2)
    if cells(was) + cells(becomes) > room:
        was, becomes = from_difference((was, becomes), half)
        was = cut(was, max(half, room - cells(becomes)))
        becomes = cut(becomes, max(half, room - cells(was)))
    return was, becomes


def other_text(value: Any) -> str:
    """Something that is not ours, in a line."""
    if isinstance(value, dict):
        name = next((str(value[key]) for key in ("address", "name", "id") if key in value), "")
        return f"{name}  {value.get('type', '')}".strip() or cell(value)
    return cell(value)
