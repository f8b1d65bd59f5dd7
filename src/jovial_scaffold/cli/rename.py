"""`jovial rename`: a name becomes another one, wherever it is meant."""

from os.path import relpath
from typing import Annotated

import typer

from jovial_scaffold.cli.completing import declared_names
from jovial_scaffold.cli.editing import DryRun, deliver_change, said, shared_change, sharing
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, load
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.folders import Within
from jovial_scaffold.machine.opening import Project


def command(
    old: Annotated[
        str,
        typer.Argument(
            help="What it is called: a name of the template, outputs.NAME, types.NAME, modules.NAME, environments.NAME, PARAMETER.FIELD.",
            show_default=False,
            autocompletion=declared_names,
        ),
    ],
    new: Annotated[str, typer.Argument(help="What it is to be called.", show_default=False)],
    inside: Annotated[str, typer.Option("--in", help="The module that it is a name of: its file, or its name in the project.")] = "",
    dry_run: DryRun = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """Its declaration and all uses change together: in the template, in documents, parameter files, examples and rules. A resource remembers
    what it was called (`$formerly`), so that what runs is not removed and made again. What is called the same elsewhere stays, and so does all
    that is rendered, but for the name; where that would not be so, nothing is written.

    Example: jovial rename copies machines --dry-run
    """
    with said():
        from jovial_scaffold.core.authoring.renaming import module_of, rename

        loaded = load(project, None, None)
        change, done = rename(loaded, old, new, inside)
        others = [] if inside else shared_change(loaded, change)
        module = module_of(loaded, inside) if inside else None
        for other in sharing(loaded, [module.origin.source.name] if module is not None else []):
            if module_of(other, inside) is not None:
                wanted, also = rename(other, old, new, inside)
                others.append((other, wanted))
                done += [Done(each.what, _from(loaded, other, each.file), each.how) for each in also]
        deliver_change(loaded, change, list(dict.fromkeys(done)), dry_run, format, others)


def _from(loaded: Project, other: Project, file: str) -> str:
    """A file of another project, by its name from this one."""
    assert isinstance(loaded.folder, Within)
    assert isinstance(other.folder, Within)
    return relpath(f"{other.folder.base}/{file}", loaded.folder.base)
