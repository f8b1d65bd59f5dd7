"""`jovial functions`: what expressions can call."""

import os
import sys
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import Format, ReportFormat
from jovial_scaffold.core.expressions.functions import FUNCTIONS, signatures
from jovial_scaffold.core.words import nearest, say
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import said


def _names(incomplete: str) -> list[str]:
    return sorted({name for name, _ in FUNCTIONS if name.startswith(incomplete)})


def command(
    name: Annotated[
        str | None, typer.Argument(help="One function; all when none is named.", show_default=False, autocompletion=_names)
    ] = None,
    format: Format = ReportFormat.text,
) -> None:
    """Each function has an example that holds.

    Example: jovial functions carve
    """
    chosen = [function for function in FUNCTIONS.values() if name is None or function.name == name]
    if not chosen:
        hint = said(nearest(name or "", [each for each, _ in FUNCTIONS], say("jovial functions lists them all.")))
        print(f"jovial: there is no function `{name}`. {hint}", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE)
    if format is ReportFormat.json:
        from jovial_scaffold.reports.machine import functions_document, json_text

        sys.stdout.write(json_text(functions_document(chosen, signatures)))
        return
    from jovial_scaffold.reports.functions import function_list, function_page

    style = style_for(sys.stdout, os.environ)
    sys.stdout.write(function_list(chosen, style) if name is None else "\n".join(function_page(function, style) for function in chosen))
