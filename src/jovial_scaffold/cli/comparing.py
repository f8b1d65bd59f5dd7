"""What a comparison comes to: the rows that are asked for, as they are written, and what is said beside."""

import sys
from collections.abc import Sequence
from enum import StrEnum
from pathlib import Path
from typing import NamedTuple

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import (
    PatchFormat,
    Wrong,
    all_of,
    exit_code,
    print_findings,
    show_errors,
    style_of,
)
from jovial_scaffold.core.changes.matrix import Comparison, compare
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.views import View
from jovial_scaffold.machine.opening import Project

PAIR = 2
TOO_FEW = "a comparison is of two environments or more: name another one."


class Grouping(StrEnum):
    """What the rows stand under."""

    resource = "resource"
    type = "type"
    module = "module"
    parameter = "parameter"
    aspect = "aspect"


class Asked(NamedTuple):
    """What of a comparison is shown, and how: the options of the command."""

    format: PatchFormat
    everything: bool
    only: Sequence[str]
    ignore: Sequence[str]
    by: Grouping
    most: int
    drivers: bool
    totals: bool
    echoes: bool
    out: Path | None
    parity: bool
    families: bool


def compared(renderings: Sequence[Evaluated], asked: "Asked") -> Comparison:
    """The rows that are asked for; where nothing tells echoes from others, none is looked for."""
    echoes = asked.parity or asked.format is PatchFormat.json or not (asked.drivers or asked.totals or asked.format is PatchFormat.patch)
    return compare(renderings, asked.everything, asked.only, asked.ignore, echoes=echoes)


def written(comparison: Comparison, asked: Asked, judged: list[Finding]) -> str:
    from jovial_scaffold.core.changes.totals import totals as sums
    from jovial_scaffold.reports import drivers as driving
    from jovial_scaffold.reports import matrix, matrix_report

    numbers, format = sums(comparison) if asked.totals else [], asked.format
    if format is PatchFormat.json:
        from jovial_scaffold.reports.machine import compare_document, json_text

        return json_text(compare_document(comparison, numbers, judged, asked.families))
    if format is PatchFormat.patch:
        from jovial_scaffold.core.changes.patching import patch
        from jovial_scaffold.reports.machine import json_text, target_document

        return json_text(patch(*(target_document(rendering, comparison.fits) for rendering in comparison.renderings)))
    if format is not PatchFormat.text:
        from jovial_scaffold.reports import tables

        report = matrix_report.matrix_report(comparison, numbers, asked.echoes)
        return tables.written(report, format.value)
    style = style_of(asked.out)
    if asked.families:
        from jovial_scaffold.core.changes.families import families
        from jovial_scaffold.reports.families import families_text

        return families_text(families(comparison), comparison, style)
    if asked.totals:
        return matrix_report.totals_text(numbers, comparison, style)
    if asked.drivers:
        return "\n".join(driving.drivers_lines(comparison, style)) or "Nothing differs.\n"
    return matrix.matrix_text(comparison, style, asked.everything, asked.by.value, asked.most, asked.echoes)


def reported(comparison: Comparison, asked: Asked, found: list[Finding], format: str, out: Path) -> str:
    return written(comparison, asked._replace(format=PatchFormat(format), out=out), found)


def refuse_result(comparison: Comparison, accept: bool, wrong: Wrong, format: PatchFormat) -> None:
    """What is wrong cannot be meant, and a patch is of two. Raises BadParameter."""
    if format is PatchFormat.patch and len(comparison.renderings) != PAIR:
        raise typer.BadParameter("a patch leads from one environment to another: name two.", param_hint="--format")
    if accept and wrong:
        show_errors(wrong)
        print("What differs cannot be accepted while there are errors.", file=sys.stderr)
        raise typer.Exit(exit_codes.ERRORS)


def refuse_twice(named: Sequence[tuple[str, str]]) -> None:
    """One environment has one column, however it is called: `live`, and `alp:live` in that project. Raises BadParameter."""
    seen = set()
    for project, text in named:
        view = View.parse(text)
        key = (project, view.environment, view.revision, view.values)
        if key in seen:
            raise typer.BadParameter(f"{view.environment} is named twice.", param_hint="ENVIRONMENTS")
        seen.add(key)


def ended(loaded: Project, comparison: Comparison, judged: list[Finding], wrong: Wrong, format: PatchFormat, differences_code: bool) -> int:
    """Say what was found beside the result; the exit code."""
    sys.stdout.flush()
    if judged:
        print_findings(judged, loaded, to_stderr=format is not PatchFormat.text)
    show_errors(wrong)
    code = exit_code([*all_of(wrong), *judged])
    return code or (exit_codes.DIFFERENCES if differences_code and comparison.differences else 0)
