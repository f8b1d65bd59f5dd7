"""What settings of single parameters would do to an environment, each for itself."""

import json
from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.effect_records import SEVEREST, Effects
from jovial_scaffold.core.changes.effects import effects
from jovial_scaffold.core.changes.snapshots import Deployed, Snapshot
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Finding, merged
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.templates.model import Declaration, Template
from jovial_scaffold.core.words import listed, nearest, say


@value_record
class SettingEffects:
    """What a setting, as `name=value`, would do; with errors, nothing is known of it. `of` are the environments that have the value."""

    setting: str
    effects: Effects | None
    errors: tuple[Finding, ...] = ()
    of: tuple[str, ...] = ()


def values_to_try(
    settings: Sequence[str], template: Template, own: Parameters, others: Sequence[Parameters]
) -> tuple[dict[str, tuple[str, ...]], list[Finding]]:
    """The settings as `name=value`, percent-encoded as in a view, and which of the `others` have that; a name alone gives all values that the
    parameter may have, or else those of the `others`. Beside them what is wrong: a name that is not declared, or has no other value."""
    found: dict[str, tuple[str, ...]] = {}
    findings = []
    for setting in settings:
        name, equals, value = setting.partition("=")
        declaration = template.parameters.get(name.partition("/")[0])
        if declaration is None:
            hint = nearest(name, template.parameters, say("Its parameters are {}.", listed(template.parameters)))
            findings.append(Finding("parameter-undeclared", "error", say("The template declares no parameter `{}`.", name), None, hint))
            continue
        texts: dict[str, tuple[str, ...]] = {value: ()} if equals else _values(declaration, own, others)
        if not texts:
            message = say("There is no other value to try for `{}`.", name)
            findings.append(Finding("view-invalid", "error", message, None, say("Write one: {}=VALUE.", name)))
        found.update({f"{quote(name)}={quote(text)}": of for text, of in texts.items()})
    return found, findings


def _values(declaration: Declaration, own: Parameters, others: Sequence[Parameters]) -> dict[str, tuple[str, ...]]:
    """Other values than the present one, as texts, and which environments have them."""
    now = own.values.get(declaration.name)
    listed_ones = [part["enum"] for part in subschema(declaration.schema, ()) if isinstance(part.get("enum"), list)]
    values: list[Any] = listed_ones[0] if listed_ones else []
    if not values and declaration.schema.get("type") == "boolean":
        values = [False, True]
    had = [(each.values[declaration.name], (each.environment,)) for each in others if declaration.name in each.values]
    found: dict[str, tuple[str, ...]] = {}
    for value, of in [(value, ()) for value in values] or had:
        if not any(deep_marks(value)) and not same(value, now):
            text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
            found[text] = (*found.get(text, ()), *of)
    return found


def effects_of_settings(
    now: Evaluated, tried: Sequence[tuple[str, Evaluated, list[Finding]]], of: Sequence[tuple[str, ...]]
) -> list[SettingEffects]:
    """What each setting would do to an environment that runs as it is rendered `now`, the severest first; what is wrong last."""
    snapshot = as_running(now)
    found = []
    for (setting, rendering, errors), environments in zip(tried, of, strict=True):
        if errors:
            found.append(SettingEffects(setting, None, tuple(errors), environments))
        else:
            result = effects(rendering, rendering, rendering, snapshot, lambda: None)
            result.findings[:] = merged(result.findings)
            found.append(SettingEffects(setting, result, of=environments))
    return sorted(found, key=_weight)


def _weight(each: SettingEffects) -> tuple[object, ...]:
    if each.effects is None:
        return (2, (), each.setting)
    return (0 if not each.effects.nothing else 1, tuple(-each.effects.count(effect) for effect in SEVEREST), each.setting)


def as_running(rendering: Evaluated) -> Snapshot:
    """A rendering as if it ran: what only the cloud knows stays unknown."""
    resources = {
        address: Deployed(address, each.type_text, each.type, each.properties, {}, each.after, each.keep, each.instance.resource.origin)
        for address, each in rendering.resources.items()
    }
    documents = {
        name: {**({"to": each.to} if each.to is not None else {}), "text": each.text} for name, each in rendering.documents.items()
    }
    run = {name: str(value) for name, value in dict(rendering.context.get("run", {})).items()}
    return Snapshot(
        rendering.label,
        rendering.environment,
        resources,
        (),
        dict(rendering.parameters.values),
        run,
        "",
        True,
        "",
        dict(rendering.outputs),
        documents,
    )
