"""`jovial fill`: one text with placeholders, filled in."""

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
    deliver,
    errors_of,
    load,
    named_values,
    show_errors,
    unusable,
)
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, has_errors
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.filling import NamedValues, Need, fill, needs, parts_of, sample
from jovial_scaffold.core.text.files import read_text, whole_text
from jovial_scaffold.core.text.formats import decoded, read_source
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.words import NOTHING, say
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.terminal import padded, style_for
from jovial_scaffold.reports.words import visible


def command(
    source: Annotated[str, typer.Argument(help="A text file; `-` is standard input.", show_default=False)],
    environment: Annotated[
        str | None,
        typer.Option(
            "--environment", help="Take values from an environment of the project.", show_default=False, autocompletion=environment_names
        ),
    ] = None,
    from_files: Annotated[
        list[Path] | None,
        typer.Option("--from", help="Take values from a dotenv, YAML, JSON or TOML file. May be repeated; later wins.", show_default=False),
    ] = None,
    from_process: Annotated[bool, typer.Option("--from-process", help="Take values from process variables; they win.")] = False,
    out: Annotated[Path | None, typer.Option("--out", help="A file to write; standard output otherwise.", show_default=False)] = None,
    list_names: Annotated[bool, typer.Option("--list", help="Print the names that the text needs, and fill in nothing.")] = False,
    print_sample: Annotated[bool, typer.Option("--sample", help="Print a dotenv file to fill in.")] = False,
    only: Annotated[
        list[str] | None,
        typer.Option("--only", help="Names, or patterns of * and ?; placeholders of others stay as they are.", show_default=False),
    ] = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
) -> None:
    """Every name without a value is reported with its line, and nothing is written then. ${name:-text} gives a default.

    Example: jovial fill start.sh.in --from live.env --out start.sh
    """
    text = _text(source)
    target = str(out) if out is not None else source
    parts, findings = parts_of(text, target, only or ())
    _stop_at(findings, [text])
    wanted = needs(text, parts)
    if list_names:
        _print_names(wanted)
        return
    if print_sample:
        sys.stdout.write(sample(wanted, visible(source)))
        return
    values = _values(from_files or [])
    if from_process:
        values.update(os.environ)
    if environment is None:
        values.update(named_values(with_values))
    below = None if environment is None else _scope_of(environment, project, with_values, with_file, envelope)
    filled, findings = fill(text, parts, NamedValues(values, below), target)
    _stop_at(findings, [text])
    if isinstance(filled.value, Pending):
        origins = ", ".join(sorted(filled.value.origins))
        print(f"jovial: the text needs what only the deployment will know: {origins}.", file=sys.stderr)
        raise typer.Exit(exit_codes.ERRORS)
    deliver(filled.masked, out, data=True)
    if isinstance(filled.value, Secret):
        sys.stdout.flush()
        print("Secrets are masked.", file=sys.stderr)


def _scope_of(
    environment: str, project: Path | None, with_values: list[str] | None, with_file: list[Path] | None, envelope: Path | None
) -> Scope:
    """The names of an environment without errors."""
    try:
        loaded = load(project, with_values, with_file, envelope=envelope, views=[environment])
        wrong = errors_of(loaded, (environment,))
        scope = loaded.scope(environment)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if wrong:
        show_errors(wrong)
        raise typer.Exit(exit_codes.ERRORS)
    return scope


def _text(source: str) -> Source:
    if source == "-":
        text, findings = decoded(sys.stdin.buffer.read(), "standard input")
        _stop_at(findings, [])
        return whole_text(text or "", "standard input")
    found, findings = read_text(read_named(source), source)
    _stop_at(findings, [])
    assert found is not None
    return found


def _values(files: list[Path]) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for file in files:
        source, findings = read_source(read_named(str(file)), str(file), ".env")
        # Without the lines of the file: whatever stands there may be a secret.
        _stop_at([replace(each, hint=NOTHING) for each in findings], [])
        assert source is not None
        if source.value is not None and not isinstance(source.value, dict):
            span = source.span(0, 0)
            _stop_at(
                [
                    Finding(
                        "values-shape", "error", say("{} is no map from name to value.", str(file)), span, say("Write NAME=value lines.")
                    )
                ],
                [],
            )
        values.update(source.value or {})
    return values


def _stop_at(findings: list[Finding], read: list[Source]) -> None:
    """Print findings and end, where there are errors."""
    if has_errors(findings):
        sources = {each.name: each for each in read}
        print(findings_text(findings, sources.get, style_for(sys.stderr, os.environ), ()), file=sys.stderr)
        raise typer.Exit(exit_codes.ERRORS)


def _print_names(wanted: list[Need]) -> None:
    style = style_for(sys.stdout, os.environ)
    width = max((len(need.name) for need in wanted), default=0)
    for need in wanted:
        lines = f"line {', '.join(map(str, need.lines))}"
        told = "required" if need.required else f"default {need.default or '(nothing)'}"
        print(f"{padded(need.name, width)}  {style.paint('faint', f'{told}, {lines}')}")
