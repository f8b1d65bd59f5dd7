"""`jovial board`: everything in one page, written or served."""

import gc
import json
import os
import sys
from collections.abc import Callable, Iterator
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Annotated
from urllib.parse import parse_qsl, quote

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import (
    EnvelopeFile,
    Environments,
    Out,
    ProjectPath,
    WithFiles,
    WithValues,
    load,
    overrides,
    processors,
    unusable,
)
from jovial_scaffold.cli.workspace import Projects, WholeWorkspace, workspace_asked
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.machine import writing
from jovial_scaffold.machine.opening import Project, today

if TYPE_CHECKING:
    from jovial_scaffold.reports.board import Board, Findings


def command(
    environments: Environments = None,
    out: Out = None,
    serve: Annotated[
        bool,
        typer.Option("--serve", help="Serve the page on this machine only, reload it when a file changes, and try other values in it."),
    ] = False,
    port: Annotated[int, typer.Option("--port", help="The port to serve on; 0 for any that is free.", min=0, max=65535)] = 0,
    workspace: WholeWorkspace = False,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
) -> None:
    """Environments side by side with search and filters, why each value is what it is, the map, the effects and the findings. The file
    needs no network and can be handed on; secrets are masked.

    Example: jovial board --out board.html
    """
    chosen = environments or []

    def loaded(chosen: list[str]) -> Iterator[tuple[str, Project, list[str]]]:
        """The folder of each project that is asked for, and which of its environments."""
        opened = workspace_asked(project, workspace)
        if opened is None:
            yield "", load(project, with_values, with_file, envelope=envelope, views=chosen), chosen
        else:
            projects = Projects(opened, overrides(Path(), with_values, with_file, envelope=envelope))
            for _, folder, each, views in projects.usable(chosen):
                yield folder, each, views

    def made(live: bool) -> tuple[str, Path]:
        opened = workspace_asked(project, workspace)
        every = [(each, board(each, views, folder, processors())) for folder, each, views in loaded(chosen)]
        title = opened.name if opened is not None else every[0][0].name
        root = Path(opened.folder.where if opened is not None else every[0][0].folder.where)
        return board_page(title, [each for _, each in every], live), root

    def tried(query: str) -> bytes:
        pairs = parse_qsl(query, keep_blank_values=True)
        name, environment, *_ = [*(value for _, value in pairs), "", ""]
        asked = [f"{name}:{environment}"] if workspace_asked(project, workspace) is not None else chosen
        return _tried({each.name: each for _, each, _ in loaded(asked)}.get(name), environment, pairs[2:])

    try:
        from jovial_scaffold.reports.board import board_page

        text, root = made(serve)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    if serve:
        _serve(lambda: made(True)[0], tried, text, root, port)
        return
    target = out or Path("board.html")
    if str(target) == "-":
        sys.stdout.write(text)
    else:
        writing.write(target, text)
        size = len(text.encode("utf-8", "surrogateescape")) / 1e6
        print(f"Written: {target} ({size:.1f} MB)", file=sys.stderr)


def board(loaded: Project, environments: list[str], folder: str = "", workers: int = 1) -> "Board":
    """What the page shows of a project; an environment whose snapshot cannot be read is shown without effects. Raises ProjectError."""
    from jovial_scaffold.core.parallel import spread
    from jovial_scaffold.reports.board import board_of

    names = loaded.in_order(environments or loaded.environments)
    sides, beside = loaded.sides(names), loaded.processes(workers, names)
    # Environments are rendered here, since all of them are compared. Beside that, templates are checked.
    checks = [side.static_checks() for side, _ in sides]
    with spread([task for tasks in checks for task in tasks], beside) as results:
        renderings = loaded.views(names)
        found = iter(results())
    static = [[*islice(found, len(tasks))] for tasks in checks]
    effects, unread = {}, []
    for name in names:
        if loaded.deployed_name(name) is None or has_errors(loaded.render(name).findings):
            continue
        try:
            effects[loaded.label(name)] = loaded.effects(name)
        except ProjectError as error:
            unread += error.findings

    def check() -> "Findings":
        judged = [side.check(views, static=each) for (side, views), each in zip(sides, static, strict=True)]
        findings = [each for result in judged for each in result.findings]
        return [*findings, *unread], [each for result in judged for each in result.waived_findings]

    return board_of(loaded.name, renderings, check, effects, today(os.environ), folder, workers)


_NOTHING = b'{"effects": [], "beside": [], "findings": []}'


def _tried(loaded: Project | None, environment: str, values: list[tuple[str, str]]) -> bytes:
    """What other values would do to an environment, as JSON; what is wrong with them is among the findings."""
    from jovial_scaffold.core.changes.matrix import compare
    from jovial_scaffold.reports.board import trial_data
    from jovial_scaffold.reports.machine import finding_entry, json_text

    if loaded is None or environment not in loaded.environments or not values:
        return _NOTHING
    view = f"{environment}?{'&'.join(f'{quote(each)}={quote(value)}' for each, value in values)}"
    try:
        comparison = compare(loaded.views([environment, view]))
        errors = loaded.effect_errors(view)
        known = loaded.deployed_name(environment) is not None and not errors
        effects = loaded.effects(view) if known else None
        findings = [*errors, *(effects.findings if effects is not None else ())]
        document = trial_data(comparison, effects, findings)
    except ProjectError as error:
        document = {**json.loads(_NOTHING), "findings": [finding_entry(each) for each in error.findings]}
    return json_text(document).encode("utf-8", "surrogateescape")


def _serve(make: Callable[[], str], answer: Callable[[str], bytes], text: str, root: Path, port: int) -> None:
    from jovial_scaffold.reports.serving import Server

    def again() -> str | None:
        try:
            return make()
        except ProjectError as error:
            unusable(error)  # says why; the last page stays
            return None

    def answered(query: str) -> bytes | None:
        try:
            return answer(query)
        except ProjectError:
            return None

    try:
        server = Server(text, again, answered, root, port)
    except OSError as error:
        print(f"jovial: port {port}: {error.strerror or error}", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE) from None
    gc.enable()  # what is made at each change of a file has circles, and this command does not end soon
    print(f"Serving {server.address} until Ctrl+C; the page follows the files of {root.name}/.", file=sys.stderr, flush=True)
    server.run()
