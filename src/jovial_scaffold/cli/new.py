"""`jovial new`: a project to begin with, and what is added to one."""

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.completing import environment_names, type_names
from jovial_scaffold.cli.editing import DryRun, Force, deliver_change, said
from jovial_scaffold.cli.gallery import Gallery, known_entries
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load, unusable
from jovial_scaffold.core.authoring import scaffolding
from jovial_scaffold.core.authoring.gallery import bytes_of, entry_named, made
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.machine.opening import Project

Name = Annotated[str, typer.Argument(help="Its name.", show_default=False)]


def command(context: typer.Context) -> None:
    """What is written passes `jovial check` from the first second, and nothing is overwritten.

    Example: jovial new project alp --environments sandbox,live
    """
    if context.invoked_subcommand is None:
        print(context.get_help())
        raise typer.Exit(exit_codes.UNUSABLE)


def project(
    name: Name,
    into: Annotated[
        Path | None, typer.Option("--into", help="The folder to write; it must not exist yet, or be empty.", show_default="./NAME")
    ] = None,
    environments: Annotated[
        str, typer.Option("--environments", help="Its environments, with commas between them.", show_default="sandbox,live")
    ] = "",
    start: Annotated[str, typer.Option("--from", help="A starting point, as `jovial gallery` lists them.", show_default=False)] = "",
    gallery: Gallery = None,
    ask: Annotated[
        bool, typer.Option("--ask", help="Ask at a terminal for what it begins with, its environments, and what it needs.")
    ] = False,
    force: Force = False,
) -> None:
    """A small project with comments: a template, and a parameter file for each environment; or one that begins at a starting point.

    Example: jovial new project alp --environments sandbox,rehearsal,live
    """
    from jovial_scaffold.machine.writing import new_folder

    folder = into or Path(name)
    try:
        asked = [each.strip() for each in environments.split(",") if each.strip()]
        values: dict[str, Any] = {}
        if ask:
            from jovial_scaffold.cli.asking import begun

            start, asked, values = begun(known_entries(gallery), start, asked, ",".join(scaffolding.ENVIRONMENTS))
        if start or (gallery is not None and not ask):
            files = made(entry_named(known_entries(gallery), start), name, asked, values)
        else:
            files = scaffolding.project_files(name, asked or scaffolding.ENVIRONMENTS)
        if folder.is_dir() and not any(folder.iterdir()):
            folder.resolve().rmdir()  # an empty one is as good as none
        if force and folder.is_dir():
            _overwrite(folder, files)
        else:
            with new_folder(folder) as whole:
                for path, text in files.items():
                    target = whole / path
                    target.parent.mkdir(parents=True, exist_ok=True)
                    target.write_bytes(bytes_of(text))
    except ProjectError as error:
        raise typer.Exit(unusable(error)) from None
    except FileExistsError:
        told = "Name another folder with --into, or overwrite what it has of the same names with --force."
        print(f"jovial: {folder} is there already, and nothing is overwritten. {told}", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE) from None
    for path in files:
        print(folder / path)
    print(f"\nNext: cd {folder} && jovial check && jovial compare", file=sys.stderr)


def _overwrite(folder: Path, files: dict[str, Any]) -> None:
    """Write files into a folder, all or none; what else is there stays."""
    from jovial_scaffold.core.text.edits import FileChange
    from jovial_scaffold.machine.changing import carry_out, content_below

    carry_out(folder, [FileChange(path, content_below(folder, path), bytes_of(text)) for path, text in files.items()])


def environment(
    name: Name,
    like: Annotated[
        str,
        typer.Option(
            "--like", help="The environment whose values it has; else the last.", show_default=False, autocompletion=environment_names
        ),
    ] = "",
    ask: Annotated[
        bool, typer.Option("--ask", help="Ask at a terminal which environment it is like, and what it has instead of each value of that.")
    ] = False,
    force: Force = False,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """An entry in the project file, and a parameter file whose values are those of another environment; a secret is where it comes from.

    Example: jovial new environment rehearsal --like live
    """

    def change(loaded: Project) -> tuple[Change, list[Done]]:
        if not ask:
            return scaffolding.new_environment(loaded, name, like, force)
        from jovial_scaffold.cli.asking import model, other_values

        chosen = like or model(loaded)
        made, done = scaffolding.new_environment(loaded, name, chosen, force)
        then, own = scaffolding.own_parameters(loaded, made, name)
        return made, [*done, *scaffolding.give(then, made, name, other_values(then, name, own))]

    _changed(project, change, dry_run, format)


def resource(
    type: Annotated[
        str, typer.Argument(help="The type, as `jovial catalog list` names it.", show_default=False, autocompletion=type_names)
    ],
    name: Name,
    into: Annotated[str, typer.Option("--into", help="The file of the template; else that of its last resource.", show_default=False)] = "",
    every: Annotated[bool, typer.Option("--all", help="With all properties; what need not be there is a comment.")] = False,
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """A block with what the type requires, each property with its type, bounds and description beside it. What nobody can know is left open:
    `jovial check` reports it until it is filled in. Where one resource is all that a property may refer to, it does.

    Example: jovial new resource machine_group desk
    """
    from jovial_scaffold.core.authoring.resources import new_resource

    _changed(project, lambda loaded: new_resource(loaded, type, name, into, every), dry_run, format)


def module(
    name: Name, force: Force = False, dry_run: DryRun = False, project: ProjectPath = None, format: Format = ReportFormat.text
) -> None:
    """A template to be used as a type, named in the project file.

    Example: jovial new module queue_pair
    """
    _changed(project, lambda loaded: scaffolding.new_module(loaded, name, force), dry_run, format)


def ruleset(
    name: Name, force: Force = False, dry_run: DryRun = False, project: ProjectPath = None, format: Format = ReportFormat.text
) -> None:
    """A file of rules with one rule and its examples, named in the project file.

    Example: jovial new ruleset house
    """
    _changed(project, lambda loaded: scaffolding.new_ruleset(loaded, name, force), dry_run, format)


def catalog(
    name: Name, force: Force = False, dry_run: DryRun = False, project: ProjectPath = None, format: Format = ReportFormat.text
) -> None:
    """A folder of types with one type, named in the project file.

    Example: jovial new catalog yard
    """
    _changed(project, lambda loaded: scaffolding.new_catalog(loaded, name, force), dry_run, format)


def _changed(path: Path | None, change: Callable[[Project], tuple[Change, list[Done]]], dry_run: bool, format: ReportFormat) -> None:
    with said():
        loaded = load(path, None, None)
        made, done = change(loaded)
        deliver_change(loaded, made, done, dry_run, format)


SUBCOMMANDS = {
    "project": (project, "Write a small project that is whole."),
    "environment": (environment, "Add an environment with the values of another."),
    "resource": (resource, "Add a resource with what its type requires."),
    "module": (module, "Add a module."),
    "ruleset": (ruleset, "Add a ruleset."),
    "catalog": (catalog, "Add a catalog of types."),
}
