"""`jovial findings`: what the ids of findings mean."""

import os
import sys
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import Format, ReportFormat
from jovial_scaffold.core.registry import SHIPPED, Page, known_ids, read_registry
from jovial_scaffold.core.words import nearest, say
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import said, visible


def registry() -> tuple[Page, ...]:
    """All pages, as they are shipped."""
    return read_registry(SHIPPED.read_text("utf-8"))


def _ids(incomplete: str) -> list[str]:
    return [each for each in known_ids() if each.startswith(incomplete)]


def command(
    id: Annotated[str | None, typer.Argument(help="One id; all when none is named.", show_default=False, autocompletion=_ids)] = None,
    format: Format = ReportFormat.text,
) -> None:
    """Each has an example that gives it, and what is written instead.

    Example: jovial findings name-unknown
    """
    pages = registry()
    chosen = [page for page in pages if id is None or page.id == id]
    if not chosen:
        hint = said(nearest(id or "", [page.id for page in pages], say("jovial findings lists them all.")))
        print(f"jovial: there is no finding `{visible(id or '')}`. {hint}", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE)
    if format is ReportFormat.json:
        from jovial_scaffold.reports.machine import json_text
        from jovial_scaffold.reports.registry import registry_document

        sys.stdout.write(json_text(registry_document(chosen)))
        return
    from jovial_scaffold.reports.registry import registry_list, registry_page

    style = style_for(sys.stdout, os.environ)
    sys.stdout.write(registry_list(chosen, style) if id is None else "\n".join(registry_page(page, style) for page in chosen))
