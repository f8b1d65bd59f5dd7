"""The parameters of a project as a table: what each is, and what it is in each environment, with the line that says so."""

from collections.abc import Mapping, Sequence
from typing import Any, Literal, NamedTuple

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.values import Record, Secret, deep_marks
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.marks import SECRET
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.schemas.describing import Property
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.templates.compiling import shown_content
from jovial_scaffold.core.templates.model import Compiled, Declaration
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.written_values import yaml_flow

State = Literal["set", "default", "missing", "wrong"]


class Held(NamedTuple):
    """What a parameter is in one environment: `value` with marks, None where it is missing or wrong."""

    state: State
    value: Any
    setter: str  #: `FILE:LINE`, or what sets it that is no file


class Listed(NamedTuple):
    """A parameter with its values by environment. `kind`, `bounds` are in words, `default` as it is written."""

    name: str
    kind: str
    bounds: str
    required: bool
    default: str | None
    description: str
    secret: bool
    place: Span
    held: Mapping[str, Held]

    @property
    def is_unset(self) -> bool:
        """Whether some environment has no value for it."""
        return any(each.state in ("missing", "wrong") for each in self.held.values())


def inventory(declarations: Sequence[Declaration], renderings: Sequence[Evaluated]) -> list[Listed]:
    """Parameters in the order in which they are declared; of one that reaches a secret property, no value is told."""
    found = []
    for each in sorted(declarations, key=lambda each: each.origin.key_span()[:2]):
        schema = _resolved(each.schema)
        about = Property(each.name, each.default is None, schema)
        is_secret = each.secret or any(each.name in rendering.scope.template.secret_names for rendering in renderings)
        written = None if each.default is None else SECRET if is_secret else _written(each.default)
        held = {rendering.label: _held(each, rendering) for rendering in renderings}
        if is_secret:
            held = {label: one._replace(value=Secret(one.value)) if _is_open(one.value) else one for label, one in held.items()}
        required = each.default is None
        found.append(
            Listed(each.name, about.kind, about.bounds, required, written, each.description, each.secret, each.origin.key_span(), held)
        )
    return found


def _written(default: Compiled) -> str:
    """A default as it is written: a text as it is, anything else as YAML."""
    content = shown_content(default)
    return content.strip() if isinstance(content, str) else yaml_flow(content).replace(f'"{SECRET}"', SECRET)


def _resolved(schema: Mapping[str, Any]) -> dict[str, Any]:
    """A declaration with what it refers to: what it says itself comes first."""
    found: dict[str, Any] = {}
    for part in reversed(subschema(dict(schema), (), surely=True)):
        found.update(part)
    return found


def _held(declaration: Declaration, rendering: Evaluated) -> Held:
    name = declaration.name
    setting = rendering.parameters.setting((name,))
    value = rendering.parameters.values.get(name, UNKNOWN)
    if name in rendering.parameters.defaulted:
        try:
            value = rendering.scope.value(name)
        except EvaluationError:
            value = UNKNOWN
        span = declaration.default.origin.value_span() if declaration.default is not None else None
        setter = f"{span.file}:{span.line}" if span is not None else ""
        return Held("wrong", None, setter) if _is_unknown(value) else Held("default", _plain(value), setter)
    if setting is None:
        return Held("missing", None, "")
    return Held("wrong", None, setting.text()) if _is_unknown(value) else Held("set", _plain(value), setting.text())


def _is_open(value: Any) -> bool:
    """Whether a value is there, and shown."""
    return value is not None and not isinstance(value, Secret)


def _is_unknown(value: Any) -> bool:
    return value is UNKNOWN or deep_marks(value)[2]


def _plain(value: Any) -> Any:
    return value.whole() if isinstance(value, Record) else value
