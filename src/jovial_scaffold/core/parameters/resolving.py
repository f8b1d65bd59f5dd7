"""Declarations and an environment's layers to values: typed, checked, defaulted; what is wrong is placed at the line that set it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.findings import Finding, Level, Related
from jovial_scaffold.core.folders import Refusal
from jovial_scaffold.core.parameters.layers import Layer, Setting, merged_values, setting_of
from jovial_scaffold.core.parameters.secrets import SecretSourceError, fetch, is_source
from jovial_scaffold.core.parameters.typing import as_declared, from_text
from jovial_scaffold.core.schemas.shapes import Shape, secret_shape, with_secrets
from jovial_scaffold.core.schemas.validation import Validator, Violation
from jovial_scaffold.core.spelling import Speller
from jovial_scaffold.core.templates.model import Declaration, Template
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, nearest, say, together, told


@dataclass(slots=True)
class Parameters:
    """An environment's parameter values. Those without a value wait for their default; invalid ones are unknown."""

    environment: str
    layers: tuple[Layer, ...]
    values: dict[str, Any] = field(default_factory=dict)
    defaulted: tuple[str, ...] = ()

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

    def marked(self, declaration: Declaration, value: Any) -> Any:
        """The value with its secret parts marked."""
        if declaration.name not in self._shapes:
            self._shapes[declaration.name] = secret_shape(declaration.schema)
        return with_secrets(self._shapes[declaration.name], value)

    def violations(self, declaration: Declaration, value: Any) -> list[Violation]:
        """What the declaration says against a value."""
        validator = self._validators.get(declaration.name)
        if validator is None:
            validator = self._validators[declaration.name] = Validator(declaration.schema)
        return validator.violations(value)

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
                    findings.append(_missing(declaration, environment))
        parameters.defaulted = tuple(
            declaration.name for declaration in missing if declaration.default is not None and declaration.name not in meant
        )
        return parameters, findings

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
                message = say("The template declares no parameter `{}`{}.", name, "" if span else say(", which {} sets", layer.label))
                findings.append(Finding("parameter-undeclared", "error", message, span, hint, environments=(parameters.environment,)))
                meant.add(speller.near(name))
        return meant

    def _secrecy(self, parameters: Parameters, declaration: Declaration, is_tracked: Callable[[str], bool]) -> list[Finding]:
        if not declaration.secret:
            return []
        findings = []
        for layer in parameters.layers:
            written = layer.values.get(declaration.name)
            if layer.source is None or written is None or written is UNKNOWN or is_source(written):
                continue
            tracked = is_tracked(layer.source.name)
            where = say(", in a file that git keeps") if tracked else NOTHING
            message = say("The secret `{}` stands here in clear text{}.", declaration.name, where)
            hint = say("Say where it comes from: `{$secret: {env: NAME}}` or `{$secret: {file: PATH}}`")
            findings.append(
                Finding(
                    "secret-in-clear",
                    "error" if tracked else "warning",
                    message,
                    layer.key_span((declaration.name,)),
                    hint,
                    environments=(parameters.environment,),
                )
            )
        return findings

    def _value(
        self,
        parameters: Parameters,
        declaration: Declaration,
        value: Any,
        read_secret: Callable[[str, str], bytes | Refusal],
        process: Mapping[str, str],
        findings: list[Finding],
    ) -> Any:
        name = declaration.name
        setting = parameters.setting((name,))
        assert setting is not None
        environment = (parameters.environment,)
        if value is UNKNOWN:
            return UNKNOWN
        if is_source(value):
            if not declaration.secret:
                hint = say("Declare `{}` with writeOnly: true, or write its value.", name)
                findings.append(
                    Finding(
                        "secret-source-misplaced",
                        "error",
                        say("`{}` is not declared as a secret, so no source is read for it.", name),
                        setting.span(),
                        hint,
                        environments=environment,
                    )
                )
                return UNKNOWN
            beside = setting.layer.source.name if setting.layer.source else ""
            try:
                value = from_text(fetch(value, lambda path: read_secret(path, beside), process), declaration.schema)
            except SecretSourceError as error:
                unset = say("The secret `{}` has no value: {}", name, error.message)
                wrong: Level = "error" if error.malformed else "warning"
                problem = "secret-source-invalid" if error.malformed else "secret-source-unset"
                findings.append(Finding(problem, wrong, unset, setting.span(), error.hint, environments=environment))
                return UNKNOWN
        elif setting.layer.texts and isinstance(value, str):
            value = from_text(value, declaration.schema)
        if declaration.deprecated:
            message = together(say("The parameter `{}` is deprecated.", name), told(declaration.description))
            findings.append(
                Finding(
                    "parameter-deprecated", "warning", message, setting.layer.key_span((name,)), say("Remove it."), environments=environment
                )
            )
        value = as_declared(value, declaration.schema)
        value = self.marked(declaration, value)
        violations = self.violations(declaration, value)
        findings += [violation_finding(declaration, violation, parameters) for violation in violations]
        if violations:
            return UNKNOWN
        return value


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
    id = f"parameter-{violation.id}" if not (missing or violation.id == "unknown") else f"parameter-field-{violation.id}"
    return Finding(
        id, "error", message, span or declaration.origin.key_span(), violation.hint, environments=(parameters.environment,), related=related
    )


def _missing(declaration: Declaration, environment: str) -> Finding:
    about = f" ({declaration.description})" if declaration.description else ""
    source = "env: NAME" if declaration.secret else ""
    hint = (
        say("Set `{}: {$secret: {{}}}` in its parameter file.", declaration.name, source)
        if source
        else say("Set `{}` in its parameter file, or declare a default.", declaration.name)
    )
    message = say("The parameter `{}`{} has no value and no default.", declaration.name, about)
    return Finding("parameter-missing", "error", message, declaration.origin.key_span(), hint, environments=(environment,))
