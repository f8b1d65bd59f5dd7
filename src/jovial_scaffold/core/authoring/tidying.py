"""The files of a project in the one layout: which ones, in what order their sections stand, and which are left as they are."""

from collections.abc import Collection, Sequence
from itertools import accumulate
from typing import NamedTuple

from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.folders import Refusal
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import KEYS as PROJECT_KEYS
from jovial_scaffold.core.rules.reading import SECTIONS as RULESET_SECTIONS
from jovial_scaffold.core.templates.sections import SECTIONS as TEMPLATE_SECTIONS
from jovial_scaffold.core.text.differences import differences
from jovial_scaffold.core.text.edits import Change, Edit
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.laid_lines import Strange
from jovial_scaffold.core.text.roles import role_of
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.text.tidying import tidied

_ORDERS: dict[str, Sequence[str]] = {
    "a template": TEMPLATE_SECTIONS,
    "a project file": PROJECT_KEYS,
    "a ruleset": RULESET_SECTIONS,
    "a workspace file": ("workspace", "projects", "catalogs", "modules", "rulesets", "lookups", "labels"),
    "the schema of a resource type": ("$schema", "$id", "title", "description", "type"),
}
_FOREIGN = ("a report of this tool", "a deployed snapshot")


class Tidied(NamedTuple):
    """What tidying does: a `change`, what is `done` by it, the files that stay as they are since they are `unreadable`, and those that are laid
    out in an `odd` way, which nobody knows to lay out anew: with anchors, tags, several documents, or keys written with `?`."""

    change: Change
    done: list[Done]
    unreadable: tuple[str, ...]
    odd: tuple[str, ...]


def tidy(project: Project, paths: Collection[str] = (), beyond: bool = False) -> Tidied:
    """Lay out the files of a project that people write, or those of them that `paths` name or hold. Files that are named and that the project
    does not use are laid out, too; with `beyond`, all that it uses of its workspace."""
    change = Change(project.folder)
    done: list[Done] = []
    odd: list[str] = []
    chosen, unreadable = _chosen(project, paths, beyond)
    for source in chosen:
        is_template = any(each.name == source.name for each in project.template_sources)
        try:
            made = tidied(source, _ORDERS.get("a template" if is_template else role_of(source.value), ()))
        except Strange:
            (unreadable if source.broken or source.problems else odd).append(source.name)
            continue
        if made != source.text:
            change.add(_edits(source, made))
            done.append(Done("layout", source.name, "every value and comment stays"))
    return Tidied(change, done, tuple(unreadable), tuple(odd))


def tidied_text(text: str, notation: str) -> str | None:
    """A text by itself, in a notation that is named by the ending of files; nothing where it cannot be laid out."""
    source, _ = read_source(text.encode("utf-8", "surrogateescape"), f"text{notation}")
    if source is None:
        return None
    try:
        return tidied(source, _ORDERS.get(role_of(source.value), ()))
    except Strange:
        return None if source.broken or source.problems else text


def _chosen(project: Project, paths: Collection[str], beyond: bool) -> tuple[list[Source], list[str]]:
    """The files that are asked for, and the names of those that are named and cannot be read."""
    for environment in project.environments:
        project.parameters_of(environment)  # reads their files; all others are read by now
    facts = {each.text for each in project.project_file.lookups.values()}
    found = {}
    for source in project.sources:
        is_text = isinstance(source.value, str) and source.value == source.text  # a document
        if not is_text and source.name not in facts and role_of(source.value) not in _FOREIGN and not source.name.endswith(".csv"):
            whole = read_source(project.folder.read(source.name), source.name)[0] if source.wrapped is not None else source
            found[source.name] = whole or source
    unreadable = []
    for path in paths:
        if path not in found:
            content = project.folder.read(path)
            named, _ = read_source(content, path)
            if named is not None:
                found[path] = named
            elif not (isinstance(content, Refusal) and content.kind == "folder"):
                unreadable.append(path)
    if not paths:
        return [each for name, each in found.items() if beyond or not name.startswith("../")], []
    return [each for name, each in found.items() if any(_is_in(name, path) for path in paths)], unreadable


def _is_in(name: str, path: str) -> bool:
    return name == path or name.startswith(f"{path}/") or (path == "." and not name.startswith("../"))


def _edits(source: Source, made: str) -> list[Edit]:
    """The lines that differ, as edits."""
    old, new = source.text.splitlines(keepends=True), made.splitlines(keepends=True)
    starts = [0, *accumulate(map(len, old))]
    return [Edit(source.name, starts[first], starts[last], "".join(new[start:end])) for first, last, start, end in differences(old, new)]
