"""Declarations and an environment's layers to values: typed, checked, defaulted; what is wrong is placed at the line that set it."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, Level, Related
from jovial_scaffold.core.folders import Refusal
from jovial_scaffold.core.parameters.layers import Layer, Setting, merged_values, setting_of
from jovial_scaffold.core.parameters.secrets import SecretSourceError, fetch, is_source
from jovial_scaffold.core.parameters.typing import Declared, declared, from_text
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import Shape, secret_pointers, secret_shape, with_secrets
from jovial_scaffold.core.schemas.types import ANNOTATING
from jovial_scaffold.core.schemas.validation import Validator, Violation, as_written
from jovial_scaffold.core.spelling import Speller
from jovial_scaffold.core.templates.model import FILL_IN, Declaration, Template
from jovial_scaffold.core.text.source import Origin, Pointer, pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Sentence, nearest, say, together, told

_SAYS_NO_MORE = ANNOTATING - {"$ref"} | {"type"}
_SIMPLE_TYPES = {"string": str, "integer": int, "boolean": bool}


@dataclass(slots=True)
class Parameters:
    """An environment's parameter values, and where what `context` says of it is written (`labels.tier`). Those without a value wait for their default; invalid ones are unknown."""

    environment: str
    layers: tuple[Layer, ...]
    values: dict[str, Any] = field(default_factory=dict)
    defaulted: tuple[str, ...] = ()
    context_origins: Mapping[str, Origin] = field(default_factory=dict)

    def setting(self, pointer: Pointer) -> Setting | None:
        """What set the value at a pointer such as ("sizes", "gate")."""
        return setting_of(self.layers, pointer)

    def setting_in(self, layer: Layer, pointer: Pointer) -> Setting | None:
        """Where one layer sets the value, whether or not a later one overrides it."""
        return setting_of((layer,), pointer)


class Checker:
    """Judges parameter values against a template's declarations; one for all environments, so that schemas compile once."""

    def __init__(self, template: Template) -> None:
        self.template = template
        self._validators: dict[str, Validator] = {}
        self._shapes: dict[str, Shape | None] = {}
        self._declared: dict[str, Declared] = {}
        self._simple: dict[str, type | None] = {}

    def simple_type(self, declaration: Declaration) -> type | None:
        """The type of which a declaration takes each value, just as it is; None where it says more than that, or takes a secret."""
        name = declaration.name
        if name not in self._simple:
            says_more = not declaration.schema.keys() <= _SAYS_NO_MORE or declaration.secret or name in self.template.secret_names
            wanted = declaration.schema.get("type")
            self._simple[name] = _SIMPLE_TYPES.get(wanted) if type(wanted) is str and not says_more else None
        return self._simple[name]

    def marked(self, declaration: Declaration, value: Any) -> Any:
        """The value with its secret parts marked."""
        return with_secrets(self._shape(declaration), value)

    def as_declared(self, declaration: Declaration, value: Any) -> Any:
        """Numbers in the form that a declaration says, at every depth."""
        if declaration.name not in self._declared:
            self._declared[declaration.name] = declared(declaration.schema)
        return self._declared[declaration.name].of(value)

    def _shape(self, declaration: Declaration) -> Shape | None:
        if declaration.name not in self._shapes:
            self._shapes[declaration.name] = secret_shape(declaration.schema)
        return self._shapes[declaration.name]

    def violations(self, declaration: Declaration, value: Any) -> list[Violation]:
        """What the declaration says against a value."""
        validator = self._validators.get(declaration.name)
        if validator is None:
            validator = self._validators[declaration.name] = Validator(declaration.schema)
        # What reaches a secret property is not told, even where its declaration does not call it secret.
        return validator.violations(Secret(value) if declaration.name in self.template.secret_names else value)

    def resolve(
        self,
        environment: str,
        layers: tuple[Layer, ...],
        read_secret: Callable[[str, str], bytes | Refusal],
        process: Mapping[str, str],
        is_tracked: Callable[[str], bool],
        unread: bool = False,
    ) -> tuple[Parameters, list[Finding]]:
        """Values for an environment, defaults not yet applied. `unread` is True where a file of it could not be read.

        `read_secret` gives the bytes of a file that a `$secret` names, by the name of the parameter file that names it.
        """
        parameters = Parameters(environment, layers)
        findings: list[Finding] = []
        meant = self._undeclared(parameters, findings)
        findings += self._merged_by_key(layers, environment)
        merged = merged_values(layers)
        missing = []
        for name, declaration in self.template.parameters.items():
            if name not in merged:
                missing.append(declaration)
                continue
            findings += self._secrecy(parameters, declaration, is_tracked)
            parameters.values[name] = self._value(parameters, declaration, merged[name], read_secret, process, findings)
        for declaration in missing:
            misspelt = declaration.name in meant
            if declaration.default is None or misspelt:
                parameters.values[declaration.name] = UNKNOWN
                if not unread and not misspelt:
                    findings.append(_missing(declaration, environment, layers))
        parameters.defaulted = tuple(
            declaration.name for declaration in missing if declaration.default is not None and declaration.name not in meant
        )
        # Whoever asks what a layer sets must not see what is secret in it, nor what nobody declared.
        parameters.layers = tuple(replace(layer, values=self._hidden(layer.values)) for layer in layers)
        return parameters, findings

    def _merged_by_key(self, layers: tuple[Layer, ...], environment: str) -> Iterator[Finding]:
        """Lists with a `listKey` that several layers set: they would merge item by item, and the last one replaces the others."""
        for name, declaration in self.template.parameters.items():
            key = declaration.schema.get("listKey")
            setting = [layer for layer in layers if isinstance(key, str) and type(layer.values.get(name)) is list]
            for layer in setting[1:]:
                message = say("`{}` is set by {}, too, and merging lists by `{}` cannot be used yet.", name, setting[0].label, str(key))
                hint = say("Set the whole list in one place.")
                yield Finding("not-supported-yet", "error", message, layer.key_span((name,)), hint, environments=(environment,))

    def _hidden(self, values: dict[str, Any]) -> dict[str, Any]:
        declared = self.template.parameters
        return {name: self.marked(declared[name], value) if name in declared else Secret(value) for name, value in values.items()}

    def _undeclared(self, parameters: Parameters, findings: list[Finding]) -> set[str]:
        """Report names that no declaration knows; gives the declared names that they were probably meant to be."""
        declared = self.template.parameters
        speller = Speller(declared)
        meant: set[str] = set()
        for layer in parameters.layers:
            for name in layer.values:
                if name in declared or name in self.template.unknown_names or self.template.unread or name == "$schema":
                    continue
                span = layer.key_span((name,))
                if layer.texts and layer.source is None and span is None and layer.label.startswith("process"):
                    hint = nearest(name, speller, say("Unset it, or declare it in the template."))
                else:
                    hint = nearest(name, speller, say("Declare it under `parameters` of the template, or remove it."))
                if name in self.template.values:
                    hint = say("It is a value of the template's `let`; only parameters can be set from outside.")
                setter = "" if span else say(", which {} sets", layer.label)
                message = say("The template declares no parameter `{}`{}.", name, setter)
                whole, _, pointer = name.partition("/")
                if pointer and whole in declared:
                    message = say("`{}` has nothing at `{}`{}.", whole, pointer, setter)
                    hint = say("An item of a list is named by its number, from 0; `-` is one more item.")
                elif pointer:
                    hint = nearest(whole, speller, hint)
                findings.append(Finding("parameter-undeclared", "error", message, span, hint, environments=(parameters.environment,)))
                meant.add(speller.near(name))
        return meant

    def _secrecy(self, parameters: Parameters, declaration: Declaration, is_tracked: Callable[[str], bool]) -> list[Finding]:
        shape = self._shape(declaration)
        if shape is None:
            return []
        findings = []
        for layer in parameters.layers:
            written = layer.values.get(declaration.name)
            if layer.source is None:
                continue
            for pointer in secret_pointers(shape, written):
                if not self._in_clear(value_at(written, pointer)):
                    continue
                tracked = is_tracked(layer.source.name)
                where = say(", in a file that git keeps") if tracked else NOTHING
                label = (declaration.name, *pointer)
                message = say("The secret `{}` stands here in clear text{}.", pointer_text(label), where)
                hint = say("Say where it comes from: `{$secret: {env: NAME}}` or `{$secret: {file: PATH}}`")
                level: Level = "error" if tracked else "warning"
                environments = (parameters.environment,)
                findings.append(Finding("secret-in-clear", level, message, layer.key_span(label), hint, environments=environments))
        return findings

    def _in_clear(self, value: Any) -> bool:
        """Whether a secret value stands in the file itself, and not only where it comes from."""
        if isinstance(value, dict) and not is_source(value):
            return any(map(self._in_clear, value.values()))
        if isinstance(value, list):
            return any(map(self._in_clear, value))
        return value is not None and value is not UNKNOWN and not is_source(value)

    def _value(
        self,
        parameters: Parameters,
        declaration: Declaration,
        value: Any,
        read_secret: Callable[[str, str], bytes | Refusal],
        process: Mapping[str, str],
        findings: list[Finding],
    ) -> Any:
        setting = parameters.setting((declaration.name,))
        assert setting is not None
        if value is UNKNOWN:
            return UNKNOWN
        if setting.layer.texts and isinstance(value, str):
            value = from_text(value, declaration.schema)
        value = self._fetched(parameters, declaration, setting, value, read_secret, process, findings)
        if value is UNKNOWN:
            return UNKNOWN
        if declaration.deprecated:
            span, environments = setting.layer.key_span((declaration.name,)), (parameters.environment,)
            message = together(say("The parameter `{}` is deprecated.", declaration.name), told(declaration.description))
            findings.append(Finding("parameter-deprecated", "warning", message, span, say("Remove it."), environments=environments))
        value = self.as_declared(declaration, value)
        value = self.marked(declaration, value)
        violations = self.violations(declaration, value)
        findings += [violation_finding(declaration, violation, parameters) for violation in violations]
        if violations:
            return UNKNOWN
        return value

    def _fetched(
        self,
        parameters: Parameters,
        declaration: Declaration,
        setting: Setting,
        value: Any,
        read_secret: Callable[[str, str], bytes | Refusal],
        process: Mapping[str, str],
        findings: list[Finding],
    ) -> Any:
        """The value with its secrets from where they come; unknown where it is open, or a source stands at what is no secret."""

        def report(id: str, level: Level, message: Sentence, place: Setting, hint: Sentence) -> None:
            findings.append(Finding(id, level, message, place.span(), hint, environments=(parameters.environment,)))

        name = declaration.name
        for pointer in _maps_with(value, "$open"):
            place = parameters.setting((name, *pointer)) or setting
            asked = told(str(value_at(value, (*pointer, "$open"))))
            report(
                "value-open",
                "error",
                together(say("`{}` is still to be filled in.", pointer_text((name, *pointer))), asked),
                place,
                FILL_IN,
            )
            return UNKNOWN
        hidden = set(secret_pointers(self._shape(declaration), value))
        for pointer in list(_sources_in(value)):
            at = (name, *pointer)
            place = parameters.setting(at) or setting
            if "$secret" not in value_at(value, pointer) and pointer not in hidden:
                continue  # a map with a key that only looks like it
            if not any(pointer[: len(each)] == each for each in hidden):
                hint = say("Declare `{}` with writeOnly: true, or write its value.", pointer_text(at))
                message = say("`{}` is not declared as a secret, so no source is read for it.", pointer_text(at))
                report("secret-source-misplaced", "error", message, place, hint)
                return UNKNOWN
            beside = place.layer.source.name if place.layer.source else ""
            fetched: Any = UNKNOWN
            try:
                text = fetch(value_at(value, pointer), _beside(read_secret, beside), process)
                parts = subschema(declaration.schema, pointer)
                fetched = from_text(text, parts[0] if len(parts) == 1 else {})
            except SecretSourceError as error:
                unset = say("The secret `{}` has no value. {}", pointer_text(at), error.message)
                wrong: Level = "error" if error.malformed else "warning"
                report("secret-source-invalid" if error.malformed else "secret-source-unset", wrong, unset, place, error.hint)
            value = _with(value, pointer, fetched)
        return value


def _beside(read: Callable[[str, str], bytes | Refusal], beside: str) -> Callable[[str], bytes | Refusal]:
    return lambda path: read(path, beside)


def _maps_with(value: Any, key: str, pointer: Pointer = ()) -> Iterator[Pointer]:
    """Where in a value, the outermost first, maps with a key stand."""
    if isinstance(value, dict) and key in value:
        yield pointer
        return
    for step, item in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
        if isinstance(item, dict | list):
            yield from _maps_with(item, key, (*pointer, step))


def _sources_in(value: Any, pointer: Pointer = ()) -> Iterator[Pointer]:
    """Where a value says where secrets come from, or was to."""
    if is_source(value):
        yield pointer
        return
    parts = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for step, item in parts:
        yield from _sources_in(item, (*pointer, step))


def _with(value: Any, pointer: Pointer, part: Any) -> Any:
    """The value with another part at a pointer."""
    if not pointer:
        return part
    changed = value.copy()
    changed[pointer[0]] = _with(value[pointer[0]], pointer[1:], part)
    return changed


def violation_finding(declaration: Declaration, violation: Violation, parameters: Parameters) -> Finding:
    """What a schema says against a parameter, at the line that set the value."""
    pointer: Pointer = (declaration.name, *violation.pointer)
    missing = violation.id == "missing"
    setting = parameters.setting(pointer[:-1] if missing else pointer)
    span = None
    if setting is not None:
        span = setting.layer.key_span(setting.pointer) if violation.on_key else setting.span()
    related = (Related(declaration.origin.key_span(), say("`{}` is declared here.", declaration.name)),) if span else ()
    name = say("`{}`", pointer_text(pointer))
    message = violation.message.about(name)
    if setting is not None and span is None:
        message = say("{} It is what {} says.", message, setting.layer.label)
    written = setting.layer.written(setting.pointer) if setting is not None and not violation.on_key else ""
    hint = as_written(violation.hint, written)
    id = f"parameter-{violation.id}" if not (missing or violation.id == "unknown") else f"parameter-field-{violation.id}"
    return Finding(
        id, "error", message, span or declaration.origin.key_span(), hint, environments=(parameters.environment,), related=related
    )


def _missing(declaration: Declaration, environment: str, layers: Sequence[Layer]) -> Finding:
    name = declaration.name
    about = f" ({declaration.description})" if declaration.description else ""
    if declaration.secret:
        hint = say("Set `{}: {$secret: {{}}}` in its parameter file.", name, "env: NAME")
    else:
        hint = say("Set `{}` in its parameter file, or declare a default.", name)
    message = say("The parameter `{}`{} has no value and no default.", name, about)
    emptied = next((each for each in reversed(layers) if name in each.values), None)
    span = emptied.key_span((name,)) if emptied is not None else None
    related = (Related(span, say("Here it is null, which takes its value away.")),) if span is not None else ()
    origin = declaration.origin.key_span()
    return Finding("parameter-missing", "error", message, origin, hint, environments=(environment,), related=related)
