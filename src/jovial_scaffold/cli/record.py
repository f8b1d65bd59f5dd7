"""`jovial record`: a rendering saved as what runs."""

import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import (
    EnvelopeFile,
    KeyFile,
    OneEnvironment,
    ProjectPath,
    WithFiles,
    WithValues,
    deliver,
    load,
    print_findings,
    unusable,
)
from jovial_scaffold.core.changes.snapshots import EARLIER, FORMAT, snapshot_document
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.machine.disk import read_named
from jovial_scaffold.machine.opening import Project


def command(
    environment: OneEnvironment,
    out: Annotated[
        Path | None,
        typer.Option("--out", help="The file to write; else the project file's `deployed`; `-` is standard output.", show_default=False),
    ] = None,
    key_file: KeyFile = None,
    project: ProjectPath = None,
    with_values: WithValues = None,
    with_file: WithFiles = None,
    envelope: EnvelopeFile = None,
) -> None:
    """For places that have no other list of what runs: record after each deployment, and `jovial effects` says what the next would do.
    Secrets are never written: with a key from outside, keyed hashes of them are, so that `jovial effects` can say whether they changed.

    Example: jovial record live --out deployed/live.json
    """
    try:
        loaded = load(project, with_values, with_file, envelope=envelope, run_needed=True, key_file=key_file, views=[environment])
        side, here = loaded.side(environment)
        rendering = side.render(here)
        target = out or _deployed(loaded, environment)
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    errors = [each for each in rendering.findings if each.level == "error"]
    print_findings(errors, side, to_stderr=True)
    if has_errors(errors):
        raise typer.Exit(exit_codes.ERRORS)
    if target is None:
        raise typer.BadParameter("name a file, or write `deployed` for the environment in the project file.", param_hint="--out")
    others = _before(target) if str(target) != "-" and target.exists() else ()
    if str(target) != "-" and out is None:
        target.parent.mkdir(parents=True, exist_ok=True)
    revision = loaded.recorded_revision(environment)
    document = snapshot_document(loaded.name, rendering, side.run, loaded.snapshot_key, others, revision)
    deliver(json.dumps(document, ensure_ascii=False, indent=1) + "\n", target)


def _deployed(loaded: Project, environment: str) -> Path | None:
    """The file that the project file names; one that lies outside of the project is not written."""
    name = loaded.deployed_name(environment)
    return Path(loaded.folder.where) / name if name else None


def _before(target: Path) -> tuple[Any, ...]:
    """Of a snapshot that is written anew, what is not ours."""
    source, _ = read_source(read_named(str(target)), str(target))
    value = source.value if source is not None and not source.broken else None
    if not isinstance(value, dict) or value.get("format") not in (FORMAT, EARLIER):
        print(f"jovial: {target} is there, and `jovial record` did not write it. Name another file, or remove it.", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE)
    others = value.get("others")
    return tuple(others) if isinstance(others, list) else ()
