"""`jovial evaluate`: the value of one expression."""

import os
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.completing import environment_names
from jovial_scaffold.cli.options import (
    EnvelopeFile,
    ProjectPath,
    WithFiles,
    WithValues,
    Wrong,
    errors_of,
    load,
    show_errors,
    unusable,
    with_known_secrets,
)
from jovial_scaffold.core.expressions.errors import ExpressionError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.scopes import LayeredScope, MapScope, Scope
from jovial_scaffold.core.expressions.values import Record, deep_marks
from jovial_scaffold.core.findings import Finding, has_errors
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.discretion import discreet
from jovial_scaffold.core.text.formats import format_of, parsed, read_source
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import said, text_of

Data = Annotated[
    Path | None,
    typer.Option(
        "--in", help="A YAML, JSON, TOML, dotenv or CSV file, as `it`; `-` is YAML or JSON from standard input.", show_default=False
    ),
]


def command(
    expression: Annotated[str, typer.Argument(help="The expression, without ${}.", show_default=False)],
    environment: Annotated[
        str | None,
        typer.Option(
            "--environment",
            help="Parameters, values and resources of it are in scope.",
            show_default=False,
            autocompletion=environment_names,
        ),
    ] = None,
    bind: Annotated[list[str] | None, typer.Option("--bind", help="A name: name=JSON. May be repeated.", show_default=False)] = None,
    file: Data = None,
    show_type: Annotated[bool, typer.Option("--type", help="Print the static type instead: what is known before the values are.")] = False,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
) -> None:
    """The result is JSON. Exit code 1: the expression has no value, and its place is shown.

    Example: jovial evaluate "it.stations.map(s, s.code)" --in parameters/live.yaml
    """
    names = _bindings(bind or ())
    if file is not None:
        names["it"] = _contents(file)
    scope: Scope = MapScope(names)
    loaded: Project | None = None
    if environment is not None:
        try:
            loaded = load(project, with_values, with_file, envelope=envelope, run_needed="context" in expression, views=[environment])
            below: Scope = loaded.scope(environment)
        except ProjectError as error:
            raise typer.Exit(unusable(error)) from None
        if show_type:
            from jovial_scaffold.core.templates.checking import static_scope

            below = static_scope(loaded.template)
        scope = LayeredScope(names, below)
    try:
        node = parse(expression)
        if show_type:
            from jovial_scaffold.core.expressions.checking import Checker
            from jovial_scaffold.core.expressions.types import type_of_value

            print(text_of(type_of_value(Checker(scope).check(node, {})).text()))
            return
        value = evaluate(node, scope)
    except ExpressionError as error:
        _explain(expression, error)
        raise typer.Exit(exit_codes.ERRORS) from None
    from jovial_scaffold.reports.machine import result_document, short_json_text

    sys.stdout.write(short_json_text(result_document(value)))
    wrong = _told(value, loaded, environment) if loaded is not None and environment is not None else []
    raise typer.Exit(exit_codes.ERRORS if show_errors(wrong) else 0)


def _told(value: Any, loaded: Project, environment: str) -> Wrong:
    """What is said beside a value: where it is known all the same, what is wrong with parameters, those of the command line among them."""
    if deep_marks(value.whole() if isinstance(value, Record) else value)[2]:
        return errors_of(loaded, (environment,))
    found = loaded.parameter_errors(environment)
    return [(loaded.side(environment)[0], found)] if found else []


def _bindings(pairs: list[str] | tuple[()]) -> dict[str, Any]:
    names: dict[str, Any] = {}
    json_format = format_of("x.json")
    assert json_format is not None
    for text in pairs:
        name, equals, written = text.partition("=")
        if not equals or not name:
            raise typer.BadParameter(f"{text!r} is not of the form name=JSON.", param_hint="--bind")
        value, problems = json_format.read(written)
        if problems:
            hint = f" Text stands in quotes: {name}='\"{written}\"'" if written.isidentifier() else ""
            raise typer.BadParameter(f"{name}: {said(problems[0].message)}{hint}", param_hint="--bind")
        names[name] = value
    return names


def _contents(file: Path) -> Any:
    if str(file) == "-":
        form = format_of("x.yaml")
        assert form is not None
        source, findings = parsed(sys.stdin.read(), "-", form)
    else:
        found, findings = read_source(read_named(str(file)), str(file))
        if found is None:
            _print(findings, None)
            raise typer.Exit(exit_codes.ERRORS)
        source = found
    if has_errors(findings):
        findings = discreet(source, findings, unreadable=True)
        _print(findings, source)
        raise typer.Exit(exit_codes.ERRORS)
    return with_known_secrets(file, source.value)


def _explain(expression: str, error: ExpressionError) -> None:
    """The error, below the part of the expression that it is about."""
    source = Source("expression", expression, None, lambda _: {})
    start, end = (error.start, error.end) if error.start >= 0 else (0, len(expression))
    _print([Finding(error.id, "error", error.message, source.span(start, end), error.hint)], source)


def _print(findings: list[Finding], source: Source | None) -> None:
    print(findings_text(findings, lambda _: source, style_for(sys.stderr, os.environ), ()), file=sys.stderr)
