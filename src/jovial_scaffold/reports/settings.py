"""What single settings would do, as text and as JSON."""

from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core.changes.effect_records import EFFECTS, SEVEREST, Effects
from jovial_scaffold.core.changes.settings import SettingEffects
from jovial_scaffold.reports.effects import VERBS
from jovial_scaffold.reports.folding import addresses_text
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_apart, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, said, visible

_NAMED = 4  # resources that are named
_NARROWEST = 12  # columns of a value, however long the name of its parameter is
_ROLES = {"rebuild": "error", "remove": "error", "restart": "warning"}


def settings_text(environment: str, found: Sequence[SettingEffects], style: Style) -> str:
    """A line or two for each setting, what does most first."""
    return "\n".join(_lines(environment, found, style)) + "\n"


def _lines(environment: str, found: Sequence[SettingEffects], style: Style) -> Iterator[str]:
    yield style.paint("strong", f"What each would do to {visible(environment)} as it is rendered now")
    settings = [_setting(each) for each in found]
    width = min(max(map(cells, settings), default=0), max(16, style.width // 3))
    for each, name in zip(found, _settings(settings, width), strict=True):
        told = f"refused: {visible(said(each.errors[0].message))}" if each.effects is None else _told(each.effects)
        role = "error" if each.effects is None else next((_ROLES[effect] for effect in _ROLES if each.effects.count(effect)), "")
        first, *more = wrapped(told, max(style.width - width - 4, 24), "")
        yield f"  {style.paint('driver', padded(name, width))}  {style.paint(role, first) if role else first}"
        yield from (f"{' ' * (width + 4)}{line}" for line in more)


def _setting(each: SettingEffects) -> str:
    """Of a list or map of other environments, nobody reads a few letters: it is called by who has it."""
    name, _, value = each.setting.partition("=")
    is_large = each.of and value[:1] in ("[", "{") and cells(value) > _NARROWEST
    return f"{visible(name)} as in {visible(listed(each.of))}" if is_large else visible(each.setting)


def _settings(texts: Sequence[str], width: int) -> list[str]:
    """`name=value` of at most a width, of which those of one name never read the same."""
    named: dict[str, list[str]] = {}
    for text in texts:
        name, equals, value = text.partition("=")
        if equals:
            named.setdefault(name, []).append(value)
    shown = {text: cut(text, width) for text in texts if "=" not in text}
    for name, values in named.items():
        room = max(width - cells(name) - 1, _NARROWEST)
        shown.update(
            zip(
                [f"{name}={each}" for each in values],
                [f"{name}={each}" for each in cut_apart(values, [room] * len(values), cut)],
                strict=True,
            )
        )
    return [shown[text] for text in texts]


def _told(result: Effects) -> str:
    if result.nothing:
        return "changes nothing"
    parts = []
    for effect in SEVEREST:
        addresses = [visible(each.address) for each in result.effects if each.effect == effect]
        if addresses:
            losing = result.losing(effect)
            held = f" ({losing} {'holds' if losing == 1 else 'hold'} data)" if losing else ""
            named = ", ".join(addresses_text(addresses)) if len(addresses) <= _NAMED else str(len(addresses))
            parts.append(f"{VERBS[effect]} {named}{held}")
    others = {(each.kind, each.name.partition(":")[0]) for each in result.beside}
    parts += [f"changes {counted(len(others), 'output or document', 'outputs and documents')}"] if others else []
    blocked = f"; {counted(result.blocking, 'error')} would block it" if result.blocking else ""
    return f"{'; '.join(parts)}{blocked}"


def settings_document(project: str, environment: str, found: Sequence[SettingEffects]) -> dict[str, Any]:
    """`jovial-settings/1`."""
    return {
        "format": "jovial-settings/1",
        "project": project,
        "environment": environment,
        "settings": [
            {
                "setting": each.setting,
                "of": list(each.of),
                "effects": {one.address: one.effect for one in each.effects.effects if one.effect != "unchanged"} if each.effects else None,
                "summary": {effect: each.effects.count(effect) for effect in EFFECTS} if each.effects else None,
                "findings": [finding_entry(finding) for finding in (each.effects.findings if each.effects else each.errors)],
            }
            for each in found
        ],
    }
