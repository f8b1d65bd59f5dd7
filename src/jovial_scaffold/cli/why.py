"""`jovial why`: where a rendered value comes from."""

import os
import sys
from collections.abc import Callable, Sequence
from contextlib import suppress
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.completing import addresses
from jovial_scaffold.cli.options import (
    EnvelopeFile,
    Environments,
    Format,
    ProjectPath,
    ReportFormat,
    WithFiles,
    WithValues,
    all_of,
    errors_of,
    folder_shown,
    load,
    show_errors,
    unusable,
)
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rendering.explaining import Reason, Unexplained
from jovial_scaffold.core.views import View
from jovial_scaffold.core.words import NOTHING, Listed, nearest, say
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import said, visible

What = Annotated[
    str,
    typer.Argument(
        help="ADDRESS, ADDRESS:PROPERTY, or the name of an output, document, value or parameter; several with commas between them.",
        autocompletion=addresses,
        show_default=False,
    ),
]


def command(
    what: What = "",
    environments: Environments = None,
    impact: Annotated[
        bool, typer.Option("--impact", help="The other way: what a name of the template, or what stands at FILE:LINE, may reach.")
    ] = False,
    idle: Annotated[
        bool, typer.Option("--idle", help="Only the settings of parameter files that change nothing where they are set.")
    ] = False,
    history: Annotated[bool, typer.Option("--history", help="What the value was in each commit that changed it.")] = False,
    most: Annotated[int, typer.Option("--max", help="With --history, look at so many commits at most.", min=1)] = 20,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
    format: Format = ReportFormat.text,
) -> None:
    """Without an environment, the first one that has it is explained, and what the others have stands beside it.

    Example: jovial why gates/kes:copies live
    """
    try:
        if idle:
            _idle(load(project, with_values, with_file, envelope=envelope), [*([what] if what else ()), *(environments or ())], format)
            return
        if not what:
            raise typer.BadParameter("say what is to be explained, such as gates/kes:copies.", param_hint="WHAT")

        def opened(views: Sequence[str]) -> Project:
            return load(project, with_values, with_file, envelope=envelope, run_needed="context" in what, views=views)

        what, loaded = _in_order(what, environments or [], opened)
        chosen = tuple(environments or loaded.environments)
        if impact:
            _impact(loaded, what, chosen, format)
            return
        parts = _parts(loaded, what, chosen)
        found, views = _every(loaded, parts, chosen, bool(environments))
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if history:
        _history(loaded, parts[0], views[0], most, format)
        return
    wrong = errors_of(loaded, list(dict.fromkeys(views))) if any(deep_marks(reason.value)[2] for _, reason in found) else []
    if format is ReportFormat.json:
        from jovial_scaffold.reports.explaining import explanation_document
        from jovial_scaffold.reports.machine import json_text

        sys.stdout.write(json_text(explanation_document(loaded.name, found, all_of(wrong))))
        raise typer.Exit(exit_codes.ERRORS if show_errors(wrong) else 0)
    from jovial_scaffold.reports.explaining import explanation_text

    style = style_for(sys.stdout, os.environ)
    sys.stdout.write("\n".join(explanation_text(reason, name, style, folder_shown(loaded)) for name, reason in found))
    raise typer.Exit(exit_codes.ERRORS if show_errors(wrong) else 0)


def _in_order(what: str, environments: list[str], opened: Callable[[Sequence[str]], Project]) -> tuple[str, Project]:
    """What is asked for, and the project: the environment may stand first, too, and then stands in `environments` afterwards. Raises
    ProjectError."""
    try:
        loaded = opened(environments)
    except ProjectError:
        if len(environments) != 1:
            raise
        loaded = None  # an address may have been taken for PROJECT:ENVIRONMENT
    if len(environments) == 1 and (loaded is None or not _names(loaded, environments[0])):
        with suppress(ProjectError):
            other = opened([what])
            if _names(other, what):
                what, environments[0] = environments[0], what
                return what, other
    return what, loaded or opened(environments)


def _names(loaded: Project, text: str) -> bool:
    """Whether a text names an environment of a project, or a view of one."""
    with suppress(ProjectError):
        return View.parse(text).environment in loaded.environments
    return False


def _every(loaded: Project, parts: Sequence[str], chosen: tuple[str, ...], asked: bool) -> tuple[list[tuple[str, Reason]], list[str]]:
    """What is explained of several parts, with the labels of environments, and their names; ends where there is no such thing."""
    found: dict[tuple[str, str], tuple[str, Reason]] = {}  # of what is not there, the same is said whatever part is asked about
    views = []
    for part in parts:
        explained = _explained(loaded, part, chosen, asked)
        if not explained:
            _nothing(loaded, part, chosen)
        for name, reason in explained:
            found.setdefault((name, reason.name), (loaded.label(name), reason))
            views.append(name)
    return [*found.values()], views


def _explained(loaded: Project, what: str, chosen: Sequence[str], asked: bool) -> list[tuple[str, Reason]]:
    """Why something is what it is, in each environment that was asked for, or else in the first that has it, or says why it is not there."""
    found: list[tuple[str, Reason]] = []
    for name in chosen:
        try:
            reason = loaded.why(what, name)
        except Unexplained:
            continue
        if not asked and not (reason.is_presence and reason.value is False):
            return [(name, reason)]
        found.append((name, reason))
    return found if asked else found[:1]


def _parts(loaded: Project, what: str, chosen: Sequence[str]) -> list[str]:
    """What is asked for, one after the other: commas stand between, and what follows ADDRESS:PROPERTY without a colon is of the same address.
    Where there is something of the whole name, that is meant."""
    if "," not in what or _explained(loaded, what, chosen, False):
        return [what]
    parts: list[str] = []
    for each in what.split(","):
        address, colon, _ = parts[-1].partition(":") if parts else ("", "", "")
        same = f"{address}:{each}"
        parts.append(same if colon and ":" not in each and _explained(loaded, same, chosen, False) else each)
    return [each for each in parts if each]


def _idle(loaded: Project, environments: list[str], format: ReportFormat) -> None:
    """Settings that change nothing. Raises ProjectError."""
    from jovial_scaffold.reports.idle import idle_document, idle_text

    found = loaded.idle(environments)
    if format is ReportFormat.json:
        from jovial_scaffold.reports.machine import json_text

        sys.stdout.write(json_text(idle_document(loaded.name, found)))
    else:
        sys.stdout.write(idle_text(found, style_for(sys.stdout, os.environ), folder_shown(loaded)))


def _impact(loaded: Project, what: str, chosen: tuple[str, ...], format: ReportFormat) -> None:
    """What something may reach. Raises ProjectError."""
    from jovial_scaffold.reports.impact import impact_document, impact_text

    try:
        found = loaded.impact(what, chosen)
    except Unexplained:
        known = sorted({*loaded.template.names, *loaded.template.functions})
        hint = said(
            nearest(what, known, say("Name a parameter, value, function, lookup, resource, document or label, or write FILE:LINE."))
        )
        is_line = what.rpartition(":")[2].isdigit()
        told = (
            f"nothing that stands at {visible(what)} reaches anything"
            if is_line
            else f"nothing is called {visible(what)} that could reach anything"
        )
        print(f"jovial: in {loaded.name} {told}. {hint}", file=sys.stderr)
        raise typer.Exit(exit_codes.ERRORS) from None
    if format is ReportFormat.json:
        from jovial_scaffold.reports.machine import json_text

        sys.stdout.write(json_text(impact_document(loaded.name, what, found)))
    else:
        sys.stdout.write(impact_text(what, found, style_for(sys.stdout, os.environ)))


def _history(loaded: Project, what: str, environment: str, most: int, format: ReportFormat) -> None:
    from jovial_scaffold.reports.explaining import history_document, history_text

    try:
        side, here = loaded.side(environment)
        moments = side.history(what, here, most)
        environment = loaded.label(environment)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if format is ReportFormat.json:
        from jovial_scaffold.reports.machine import json_text

        sys.stdout.write(json_text(history_document(loaded.name, what, environment, moments)))
    else:
        sys.stdout.write(history_text(what, environment, moments, style_for(sys.stdout, os.environ)))


def _nothing(loaded: Project, what: str, chosen: tuple[str, ...]) -> None:
    """Say that there is no such thing, and end."""
    address, _, pointer = what.partition(":")
    known = sorted({name for environment in chosen for name in loaded.names(environment)})
    where = f" in {loaded.label(chosen[0])}" if len(chosen) == 1 else " in any of its environments"
    if address in known:
        properties = sorted({name for environment in chosen for name in loaded.properties(environment, address)})
        otherwise = say("It has {}.", ", ".join(properties[:12])) if properties else NOTHING
        hint = said(nearest(pointer.partition("/")[0], properties, otherwise))
        print(f"jovial: {address} has no {visible(pointer)}{where}. {hint}", file=sys.stderr)
    else:
        broken = errors_of(loaded, chosen)
        if broken:  # what has that name may be what could not be read
            show_errors(broken)
        below = [name for name in known if name.startswith(f"{address}/")]
        hint = said(nearest(address, known, say("jovial render lists the addresses.")))
        told = f"{loaded.name} has nothing called {visible(address)}{where}. {hint}"
        if below:
            told = f"{visible(address)} stands for several: {said(say('{}', Listed(tuple(below), most=8)))}. Ask about one of them."
        print(f"jovial: {told}", file=sys.stderr)
    raise typer.Exit(exit_codes.ERRORS)
