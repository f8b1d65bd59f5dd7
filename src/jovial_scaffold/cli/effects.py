"""`jovial effects`: what a deployment would do to what runs now."""

import sys
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.answers import answered
from jovial_scaffold.cli.focusing import OF_FINDINGS, OtherReports, asked_reports, deliver_all, no_reports, run_of, write_reports
from jovial_scaffold.cli.options import (
    Ask,
    AtMost,
    By,
    DifferencesCode,
    EnvelopeFile,
    KeyFile,
    OneEnvironment,
    Out,
    PatchFormat,
    ProjectPath,
    WithFiles,
    WithValues,
    deliver,
    exit_code,
    load,
    print_findings,
    style_of,
    tell_as_json,
    text_of_findings,
    unusable,
)
from jovial_scaffold.core.changes.effect_records import Effects
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.machine.opening import Project

Against = Annotated[
    Path | None, typer.Option("--against", help="What runs now, as JSON; else the project file's `deployed`.", show_default=False)
]
Source = Annotated[
    str | None, typer.Option("--from", help="With the parameters of another environment, or of another revision.", show_default=False)
]
OnlyParameters = Annotated[
    list[str] | None, typer.Option("--only", help="With --from: only this parameter. May be repeated.", show_default=False)
]
Settings = Annotated[
    list[str] | None,
    typer.Option(
        "--each", help="What setting a parameter would do, name=value, or a name for all its values. May be repeated.", show_default=False
    ),
]


def command(
    environment: OneEnvironment,
    against: Against = None,
    source: Source = None,
    only: OnlyParameters = None,
    each: Settings = None,
    by: Annotated[By, typer.Option("--by", help="What the text goes by.")] = By.cause,
    details: Annotated[bool, typer.Option("--details", help="Each property that changes, whatever the cause.")] = False,
    teardown: Annotated[bool, typer.Option("--teardown", help="What removing everything would do.")] = False,
    others: Annotated[bool, typer.Option("--others", help="Also list what runs there and is not ours.")] = False,
    differences_code: DifferencesCode = False,
    key_file: KeyFile = None,
    out: Out = None,
    ask: Ask = False,
    at_most: AtMost = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
    format: Annotated[
        PatchFormat, typer.Option("--format", help="`patch` is a JSON Patch from what runs to what would.")
    ] = PatchFormat.text,
    report: OtherReports = None,
) -> None:
    """The verdict stands first, then what stands against it, then each cause with all that it leads to, the severest first. What is to be
    kept, is locked, or breaks a rule over changes is an error.

    Example: jovial effects live --with telemetry_gigabytes=900
    """
    if only and source is None:
        raise typer.BadParameter("name whose parameters: --from ENVIRONMENT.", param_hint="--only")
    wanted = asked_reports(report, (*PatchFormat, *OF_FINDINGS))
    try:
        loaded = load(project, with_values, with_file, envelope=envelope, key_file=key_file, at_most=at_most, views=[environment])
        (environment,) = answered(loaded, [environment], ask)
        side, _ = loaded.side(environment)
        errors = loaded.effect_errors(environment, source or "", only or ())
        if errors and not teardown:
            print_findings(errors, side, to_stderr=True)
            print(f"What would happen in {loaded.label(environment)} cannot be said before these errors are mended.", file=sys.stderr)
            write_reports([one for one in wanted if one[0] in OF_FINDINGS], [run_of(side, [loaded.label(environment)], errors)], dict)
            tell_as_json(errors, exit_codes.ERRORS)
            raise typer.Exit(exit_codes.ERRORS)
        if each:
            no_reports(wanted, "what single settings would do")
            raise typer.Exit(_each(loaded, environment, each, format, out))
        result = loaded.effects(environment, str(against) if against else None, teardown, source or "", only or ())
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    shown = by.value, details, others
    text = partial(_written, loaded, environment, result, format, shown, out)
    runs = [run_of(loaded, [loaded.label(environment)], result.findings)] if wanted else []
    deliver_all(wanted, text, out, partial(_reported, loaded, environment, result, shown), runs)
    sys.stdout.flush()
    if format is not PatchFormat.text or out is not None:
        print_findings(result.findings, loaded, to_stderr=True)
    code = exit_code(result.findings)
    raise typer.Exit(code or (exit_codes.DIFFERENCES if differences_code and not result.nothing else 0))


def _reported(loaded: Project, environment: str, result: Effects, shown: tuple[str, bool, bool], format: str, out: Path) -> str:
    return _written(loaded, environment, result, PatchFormat(format), shown, out)


def _each(loaded: Project, environment: str, settings: list[str], format: PatchFormat, out: Path | None) -> int:
    """What single settings would do; the exit code. Raises ProjectError."""
    from jovial_scaffold.reports.settings import settings_document, settings_text

    if format not in (PatchFormat.text, PatchFormat.json):
        raise typer.BadParameter("what single settings would do is text or json.", param_hint="--format")
    found = loaded.settings(environment, settings)
    label = loaded.label(environment)
    if format is PatchFormat.json:
        from jovial_scaffold.reports.machine import json_text

        deliver(json_text(settings_document(loaded.name, label, found)), out)
    else:
        deliver(settings_text(label, found, style_of(out)), out)
    return 0


def _written(
    loaded: Project, environment: str, result: Effects, format: PatchFormat, shown: tuple[str, bool, bool], out: Path | None
) -> str:
    if format is PatchFormat.text:
        from jovial_scaffold.reports.effects import Shown, effects_text

        style = style_of(out)
        found = result.findings if out is None else []
        severe, noted = (
            text_of_findings([each for each in found if (each.level == "note") == is_note], loaded, style) for is_note in (False, True)
        )
        return effects_text(loaded.name, result, style, Shown(*shown), severe, noted)
    from jovial_scaffold.reports import effects_document as writing

    if format is PatchFormat.json:
        from jovial_scaffold.reports.machine import json_text

        return json_text(writing.effects_document(loaded.name, result))
    if format is PatchFormat.patch:
        from jovial_scaffold.core.changes.patching import patch
        from jovial_scaffold.reports.machine import deployed_document, json_text, target_document

        target = {} if result.teardown else target_document(loaded.render(environment))["resources"]
        return json_text(patch(deployed_document(result.snapshot), {"resources": target}))
    from jovial_scaffold.reports import tables

    report = writing.effects_report(loaded.name, result)
    return tables.written(report, format.value)
