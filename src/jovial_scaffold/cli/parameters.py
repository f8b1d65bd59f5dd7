"""`jovial parameters`: what the parameters are in each environment, and commands that write their files."""

import sys
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.completing import environment_names, parameter_names, setting_names
from jovial_scaffold.cli.editing import DryRun, Force, deliver_change, said
from jovial_scaffold.cli.options import (
    EnvelopeFile,
    Format,
    OneEnvironment,
    Out,
    ProjectPath,
    ReportFormat,
    TableFormat,
    WithFiles,
    WithValues,
    deliver,
    folder_shown,
    load,
    named_values,
    style_of,
    unusable,
)
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.reports.words import visible

if TYPE_CHECKING:
    from jovial_scaffold.core.parameters.envelopes import Envelope

In = Annotated[str, typer.Option("--in", help="The environment whose value it is.", show_default=False, autocompletion=environment_names)]


def command(
    context: typer.Context,
    only: Annotated[str, typer.Option("--only", help="Parameters of such a name: a pattern of * and ?.", show_default=False)] = "",
    unset: Annotated[bool, typer.Option("--unset", help="Only those that have no value in some environment.")] = False,
    inside: Annotated[
        list[str] | None,
        typer.Option("--in", help="An environment; all where none is named. May be repeated.", autocompletion=environment_names),
    ] = None,
    out: Out = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
    format: Annotated[TableFormat, typer.Option("--format", help="How the result is written.")] = TableFormat.text,
) -> None:
    """Each parameter with its type, bounds and default, its value in each environment, and the line that sets it; or, with a command behind
    it, a change of parameter files, which `--dry-run` only shows.

    Example: jovial parameters --unset
    """
    if context.invoked_subcommand is not None:
        return
    try:
        from jovial_scaffold.core.authoring.inventory import inventory

        loaded = load(project, with_values, with_file, envelope=envelope)
        names = loaded.in_order(inside or loaded.environments)
        found = inventory(list(loaded.template.parameters.values()), loaded.views(names))
        labels = [loaded.label(name) for name in names]
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    fits = pattern(only or "*")
    found = [each for each in found if fits.match(each.name) and (not unset or each.is_unset)]
    from jovial_scaffold.reports import parameters as writing

    if format is TableFormat.text:
        text = writing.parameters_text(loaded.name, found, labels, style_of(out), folder_shown(loaded))
    elif format is TableFormat.json:
        from jovial_scaffold.reports.machine import json_text

        text = json_text(writing.parameters_document(loaded.name, found))
    else:
        from jovial_scaffold.reports.tables import written

        text = written(writing.parameters_report(loaded.name, found, labels), format.value)
    deliver(text, out)


def set_values(
    values: Annotated[
        list[str],
        typer.Argument(help="NAME=VALUE, or NAME/PART=VALUE for a part of one.", show_default=False, autocompletion=setting_names),
    ],
    inside: In,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """Each value is checked by the declaration before anything is written. It goes into the file that sets it for this environment alone,
    else into the environment's own; no other environment changes. A secret is written as where it comes from.

    Example: jovial parameters set copies=3 tags/owner=desk --in live
    """
    with said():
        from jovial_scaffold.core.authoring.settings import set_parameters

        loaded = load(project, None, None)
        change, done = set_parameters(loaded, inside, named_values(values))
        deliver_change(loaded, change, done, dry_run, format)


def drop(
    name: Annotated[str, typer.Argument(help="The parameter.", show_default=False, autocompletion=parameter_names)],
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """The declaration goes, and the values in all parameter files. Where something still reads it, nothing is written, and the places are
    listed.

    Example: jovial parameters drop zone --dry-run
    """
    with said():
        from jovial_scaffold.core.authoring.settings import drop as dropped

        loaded = load(project, None, None)
        change, done = dropped(loaded, name)
        deliver_change(loaded, change, done, dry_run, format)


def prune(dry_run: DryRun = False, project: ProjectPath = None, format: Format = ReportFormat.text) -> None:
    """Values that nobody declares go, and those that every environment which takes their file would have without them.

    Example: jovial parameters prune --dry-run
    """
    with said():
        from jovial_scaffold.core.authoring.settings import prune as pruned

        loaded = load(project, None, None)
        change, done = pruned(loaded)
        deliver_change(loaded, change, done, dry_run, format)


class Notation(StrEnum):
    """How a parameter file is written."""

    yaml = "yaml"
    json = "json"
    toml = "toml"
    dotenv = "dotenv"


def form(
    environment: OneEnvironment,
    open_only: Annotated[bool, typer.Option("--open-only", help="Only what has no value and no default.")] = False,
    notation: Annotated[
        Notation | None, typer.Option("--notation", help="How it is written; else as the environment's last file.", show_default=False)
    ] = None,
    into: Annotated[
        str, typer.Option("--into", help="A file of the project that gets what is missing, and nothing else.", show_default=False)
    ] = "",
    envelope: EnvelopeFile = None,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """A parameter file to fill in: each parameter with its type, bounds and description; what has no value is open, and a secret is where it
    may come from. Printed, or put into a file, which keeps all that it has.

    Example: jovial parameters form live --open-only --into parameters/live.yaml
    """
    with said():
        from jovial_scaffold.core.authoring.forms import form as made
        from jovial_scaffold.core.authoring.forms import merged_form

        loaded = load(project, None, None)
        if not into:
            wrapping = _envelope(envelope) if envelope is not None else None
            deliver(made(loaded, environment, notation.value if notation else "", open_only, wrapping), None)
            return
        change, done = merged_form(loaded, environment, into, open_only)
        deliver_change(loaded, change, done, dry_run, format)


def convert(
    file: Annotated[str, typer.Argument(help="A parameter file of the project.", show_default=False)],
    to: Annotated[Notation, typer.Option("--to", help="The notation.", show_default=False)],
    out: Out = None,
    envelope: EnvelopeFile = None,
    force: Force = False,
    project: ProjectPath = None,
) -> None:
    """The same values with the same types, and the comments that the notation can hold. What it cannot hold is listed on standard error, and a
    secret in clear text becomes where it may come from. With an envelope, the values of a parameter file are put into it (without comments), and
    those of any other file are taken out of it. Nothing is overwritten without --force.

    Example: jovial parameters convert parameters/live.yaml --to toml --out parameters/live.toml
    """
    with said():
        from jovial_scaffold.core.authoring.converting import convert as converted

        loaded = load(project, None, None)
        for each in loaded.environments:
            loaded.parameters_of(each)  # reads their files
        source = loaded.source(file) if file in loaded.parameter_files else None
        if source is None and envelope is not None:
            source = _taken_out(file, envelope)
            envelope = None
        if source is None:
            print(f"jovial: {file} is no parameter file of an environment.", file=sys.stderr)
            raise typer.Exit(exit_codes.UNUSABLE)
        text, lost = converted(loaded, source, "yaml" if envelope is not None else to.value)
        if envelope is not None:
            text = _wrapped(text, envelope, to.value)
            lost = [each for each in lost if not each[1].startswith("#")]
    if out is not None and str(out) != "-" and out.exists() and not force:
        print(f"jovial: {out} is there already, and nothing is overwritten. --force overwrites it.", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE)
    deliver(text, out)
    for line, what in lost:
        print(visible(f"{file}:{line}  left out: {what}"), file=sys.stderr)


def _envelope(path: Path) -> "Envelope":
    """An envelope that the command line names. Raises ProjectError."""
    from jovial_scaffold.core.parameters.envelopes import read_envelope

    source, findings = read_source(read_named(str(path)), str(path))
    if source is None or source.broken:
        raise ProjectError(findings)
    found, wrong = read_envelope(source)
    if found is None:
        raise ProjectError(wrong)
    return found


def _wrapped(text: str, envelope: Path, notation: str) -> str:
    """The values of a flat text in YAML, inside of an envelope."""
    from jovial_scaffold.core.parameters.envelopes import wrapped_text

    source, _ = read_source(text.encode("utf-8", "surrogateescape"), "form.yaml")
    return wrapped_text((source.value if source is not None else None) or {}, _envelope(envelope), notation)


def _taken_out(file: str, envelope: Path) -> Source:
    """The values of any file that stand in an envelope there. Raises ProjectError."""
    from jovial_scaffold.core.parameters.envelopes import unwrapped

    source, findings = read_source(read_named(file), file)
    if source is None or source.broken:
        raise ProjectError(findings)
    found, wrong = unwrapped(source, _envelope(envelope))
    if found is None or wrong:
        raise ProjectError(wrong)
    return found


SUBCOMMANDS = {
    "convert": (convert, "Write a parameter file in another notation."),
    "form": (form, "Print a parameter file to fill in, or put what is missing into one."),
    "set": (set_values, "Write values into the parameter file of an environment."),
    "prune": (prune, "Take away values that say nothing."),
    "drop": (drop, "Take a parameter away, with its declaration and all its values."),
}
