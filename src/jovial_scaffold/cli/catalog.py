"""`jovial catalog`: the types of resources, as people and programs read them."""

import os
import sys
from enum import StrEnum
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.completing import type_names
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, unusable
from jovial_scaffold.core.limits import PRINTED_FINDINGS
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType, shipped_catalog
from jovial_scaffold.core.words import nearest
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import counted, said, visible


class Action(StrEnum):
    """What is asked of catalogs."""

    list = "list"
    show = "show"
    search = "search"
    lint = "lint"
    compare = "compare"
    import_ = "import"


_TAKES = {
    Action.list: (0, 0, "nothing"),
    Action.show: (1, 2, "TYPE [PROPERTY]"),
    Action.search: (1, 1, "a WORD"),
    Action.lint: (1, 1, "the PATH of a folder or file"),
    Action.compare: (2, 2, "two types, such as machine_group.v1 machine_group.v2"),
    Action.import_: (1, 1, "a DOCUMENT: a file, or a folder of them"),
}


def command(
    action: Annotated[Action, typer.Argument(help="What to do.", show_default=False)],
    names: Annotated[
        list[str] | None,
        typer.Argument(help="A type and its property, a word, a path, or two types.", show_default=False, autocompletion=type_names),
    ] = None,
    into: Annotated[Path | None, typer.Option("--into", help="Of `import`: the folder that is written.", show_default=False)] = None,
    select: Annotated[
        list[str] | None, typer.Option("--select", help="Of `import`: only types of such a name, a pattern. May be repeated.")
    ] = None,
    name: Annotated[str, typer.Option("--name", help="Of `import`: what the catalog is called.", show_default=False)] = "",
    format: Format = ReportFormat.text,
    project: ProjectPath = None,
) -> None:
    """The types are those of the project's catalogs; outside of a project, those that come with the tool. `import` makes a catalog of an
    OpenAPI 3 description or of JSON Schemas.

    Example: jovial catalog show machine_group disks
    """
    given = names or []
    least, most, words = _TAKES[action]
    if not least <= len(given) <= most:
        raise typer.BadParameter(f"`{action.value}` takes {words}.", param_hint="names")
    if action is Action.import_:
        from jovial_scaffold.cli.importing import import_description

        raise typer.Exit(import_description(Path(given[0]), into, select or [], name, format))
    if action is Action.lint:
        raise typer.Exit(_lint(Path(given[0]), format))
    catalogs = _catalogs(project)
    types = sorted(catalogs, key=lambda each: (each.name, each.version))
    style = style_for(sys.stdout, os.environ)
    from jovial_scaffold.reports import catalog as report
    from jovial_scaffold.reports.machine import json_text

    if action is Action.search:
        _search(given[0], types, format)
    elif action is Action.compare:
        old, new = (_type(catalogs, name) for name in given)
        if format is ReportFormat.json:
            sys.stdout.write(json_text(report.differences_document(old, new)))
        else:
            sys.stdout.write(report.difference_text(old, new, style))
    else:
        chosen = types if action is Action.list else [_type(catalogs, given[0])]
        property = given[1] if len(given) > 1 else ""
        if property and not report.has_property(chosen[0], property):
            _not_there(f"{chosen[0].id} has no property `{property}`", property, [each.path for each in report.all_properties(chosen[0])])
        if format is ReportFormat.json:
            sys.stdout.write(json_text(report.catalog_document(chosen, property)))
        else:
            sys.stdout.write(report.type_list(types, style) if action is Action.list else report.type_page(chosen[0], property, style))


def _catalogs(path: Path | None) -> Catalogs:
    try:
        return Project.load(path or Path()).catalogs
    except ProjectError as error:
        # Only where there is no project at all do those stand in that come with the tool.
        if path is not None or any(each.id != "project-missing" for each in error.findings):
            raise typer.Exit(unusable(error)) from None
    catalogs = Catalogs()
    shipped = shipped_catalog("fulmar")
    if shipped is not None:
        catalogs.add(*shipped, "fulmar")
    return catalogs


def _type(catalogs: Catalogs, name: str) -> ResourceType:
    """A type by its name, with or without its catalog and version."""
    bare = [each for each in catalogs if name in (each.id.partition(".")[2], each.name.partition(".")[2])]
    found = catalogs.find(name) or (catalogs.find(bare[0].name if "." not in name else bare[0].id) if bare else None)
    if found is None:
        _not_there(
            f"no catalog knows the type `{name}`", name, [known for each in catalogs for known in (each.id, each.name.partition(".")[2])]
        )
    return found


def _not_there(what: str, name: str, known: list[str]) -> NoReturn:
    hint = said(nearest(name, known))
    print(f"jovial: {visible(what)}. {visible(hint)}".rstrip(), file=sys.stderr)
    raise typer.Exit(exit_codes.ERRORS)


def _search(word: str, types: list[ResourceType], format: ReportFormat) -> None:
    from jovial_scaffold.core.schemas.describing import found_by
    from jovial_scaffold.reports import catalog as report
    from jovial_scaffold.reports.machine import json_text

    found = found_by(word, types)
    if format is ReportFormat.json:
        sys.stdout.write(json_text(report.search_document(found)))
    elif found:
        sys.stdout.write(report.search_text(found, style_for(sys.stdout, os.environ)))
    else:
        print(f"jovial: no type and no property is about `{visible(word)}`.", file=sys.stderr)
    if not found:
        raise typer.Exit(exit_codes.ERRORS)


def _lint(path: Path, format: ReportFormat) -> int:
    from jovial_scaffold.core.schemas.catalog import loses_types, read_catalog
    from jovial_scaffold.core.schemas.linting import lint
    from jovial_scaffold.core.text.files import Files
    from jovial_scaffold.machine.disk import DiskFolder
    from jovial_scaffold.reports.findings import findings_text
    from jovial_scaffold.reports.machine import finding_entry, json_text

    if not path.exists():
        print(f"jovial: {visible(str(path))} is not there.", file=sys.stderr)
        return exit_codes.UNUSABLE
    whole = path.resolve()
    files = Files(DiskFolder(whole if path.is_dir() else whole.parent))
    found, findings = files.find("." if path.is_dir() else whole.name, None)
    if found is not None:
        types, defaults, label, problems = read_catalog(files, found, None)
        findings = [*findings, *problems, *lint(types, defaults, label, whole=not loses_types(problems))]
    errors = [each for each in findings if each.level == "error"]
    if format is ReportFormat.json:
        entries = [finding_entry(each) for each in findings]
        sys.stdout.write(json_text({"format": "jovial-catalog-lint/1", "path": str(path), "findings": entries}))
    else:
        if findings:
            style = style_for(sys.stdout, os.environ)
            shown = findings[: PRINTED_FINDINGS.most]
            print(findings_text(shown, lambda name: files.at(name)[0], style, (), f"{path}/" if path.is_dir() else ""))
            if len(shown) < len(findings):
                print(f"{counted(len(findings) - len(shown), 'further finding')} not printed; --format json has all.\n")
        print(f"{visible(str(path))}: {counted(len(findings), 'finding') if findings else 'nothing to report'}.")
    return exit_codes.ERRORS if errors else 0
