"""`jovial board`: everything in one page, written or served."""

import gc
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import Environments, Out, ProjectPath, WithFiles, WithValues, load, unusable
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.machine import writing
from jovial_scaffold.machine.opening import Project


def command(
    environments: Environments = None,
    out: Out = None,
    serve: Annotated[bool, typer.Option("--serve", help="Serve the page on this machine only, and reload it when a file changes.")] = False,
    port: Annotated[int, typer.Option("--port", help="The port to serve on; 0 for any that is free.", min=0, max=65535)] = 0,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
) -> None:
    """Environments side by side with search and filters, why each value is what it is, the map, the effects and the findings. The file
    needs no network and can be handed on; secrets are masked.

    Example: jovial board --out board.html
    """

    def made(live: bool) -> tuple[str, Project]:
        loaded = load(project, with_values, with_file, run_needed=True, views=environments or ())
        return page(loaded, environments or [], live), loaded

    try:
        text, loaded = made(serve)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if serve:
        _serve(lambda: made(True)[0], text, Path(loaded.folder.where), port)
        return
    target = out or Path("board.html")
    if str(target) == "-":
        sys.stdout.write(text)
    else:
        writing.write(target, text)
        size = len(text.encode("utf-8", "surrogateescape")) / 1e6
        print(f"Written: {target} ({size:.1f} MB)", file=sys.stderr)


def page(loaded: Project, environments: list[str], live: bool = False) -> str:
    """The page of a project; an environment whose snapshot cannot be read is shown without effects. Raises ProjectError."""
    from jovial_scaffold.core.changes.matrix import compare
    from jovial_scaffold.reports.board import board_page

    names = tuple(environments or loaded.environments)
    renderings = loaded.views(loaded.in_order(names))
    comparison = compare(renderings, everything=True)
    findings = [finding for side, views in loaded.sides(names) for finding in side.check(views).findings]
    effects = {}
    for name in names:
        if loaded.deployed_name(name) is None or has_errors(loaded.render(name).findings):
            continue
        try:
            effects[loaded.label(name)] = loaded.effects(name)
        except ProjectError as error:
            findings += error.findings
    return board_page(loaded.name, comparison, renderings, findings, effects, loaded.run["date"], live)


def _serve(make: Callable[[], str], text: str, root: Path, port: int) -> None:
    from jovial_scaffold.reports.serving import Server

    def again() -> str | None:
        try:
            return make()
        except ProjectError as error:
            unusable(error)  # says why; the last page stays
            return None

    try:
        server = Server(text, again, root, port)
    except OSError as error:
        print(f"jovial: port {port}: {error.strerror or error}", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE) from None
    gc.enable()  # what is made at each change of a file has circles, and this command does not end soon
    print(f"Serving {server.address} until Ctrl+C; the page follows the files of {root.name}/.", file=sys.stderr, flush=True)
    server.run()
