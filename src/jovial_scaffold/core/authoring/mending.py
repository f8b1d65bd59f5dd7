"""Repairs of findings, as edits: what a finding proposes, and nothing that was not tried."""

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from posixpath import dirname, relpath
from typing import Any, NamedTuple

from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Found, Refusal
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.spelling import Speller
from jovial_scaffold.core.text.edits import Change, Edit
from jovial_scaffold.core.text.script import Script, Unplaced
from jovial_scaffold.core.text.source import Pointer, Source, value_at
from jovial_scaffold.core.words import Nearest, Sentence

MOST = 100  # repairs that are tried one by one
SHOWN = 1_000  # findings of which the repairs are shown
_IGNORED = ".gitignore"
_UNUSED = ("parameter-unused", "value-unused", "function-unused", "lookup-unused", "type-unused")


class Repair(NamedTuple):
    """What would mend a finding: edits, in a few words what they do, and the files that are made for it, which are their owner's alone."""

    finding: Finding
    edits: tuple[Edit, ...]
    how: str
    files: tuple[tuple[str, str], ...] = ()


def repairs(project: Project, findings: Iterable[Finding]) -> list[Repair]:
    """The repairs of those findings that have one; nobody has tried them yet."""
    found, texts = [], _Texts()
    for finding in findings:
        source = project.source(finding.span.file) if finding.span is not None else None
        if source is None or source.broken:
            continue
        try:
            repair = _repair(project, finding, source, texts)
        except Unplaced:
            continue
        if repair is not None and repair.edits:
            found.append(repair)
    return found


def public_repairs(project: Project, findings: Iterable[Finding]) -> list[Repair]:
    """Those that may be shown: they change no line that holds something secret."""
    found = []
    for repair in repairs(project, [*findings][:SHOWN]):
        sources = [(project.source(each.file), each) for each in repair.edits]
        if not any(source is None or source.hides(source.span(edit.start, edit.end)) for source, edit in sources):
            found.append(repair)
    return found


def _repair(project: Project, finding: Finding, source: Source, texts: "_Texts") -> Repair | None:
    start, end = _offsets(source, finding)
    for operand in _operands(finding.hint):
        if isinstance(operand, Nearest):
            near = Speller(operand.known).near(operand.name) if not isinstance(operand.known, Speller) else operand.known.near(operand.name)
            written = source.text[start:end]
            if near and written.count(operand.name) == 1:
                at = start + written.index(operand.name)
                edit = Edit(source.name, at, at + len(operand.name), str(near))
                return Repair(finding, (edit,), f"{operand.name} → {near}")
    if finding.id == "parameter-undeclared" and source.name in project.parameter_files:
        return _removed(finding, texts.script(source), texts.entry(source, start), "nobody declares it")
    if finding.id in _UNUSED:
        return _unused(project, finding, source, texts)
    if finding.id == "property-missing":
        return _left_open(project, finding)
    if finding.id == "description-missing":
        return _described(project, finding, source, texts.entry(source, start))
    if finding.id == "secret-in-clear" and source.name in project.parameter_files:
        return _taken_out(project, finding, source, texts.entry(source, start))
    if finding.id == "resource-absent":
        return _read_safely(finding, source, start, end)
    template, values = finding.hint.template, [each for each in finding.hint.operands if isinstance(each, str)]
    if template == 'Write "{}" in quotes.' and values:
        return Repair(finding, (Edit(source.name, start, end, f'"{source.text[start:end]}"'),), "quotes")
    if template == "Write {} without quotes." and values:
        return Repair(finding, (Edit(source.name, start, end, values[0]),), "no quotes")
    if finding.id == "yaml-cut" and template == "Put the whole value in quotes: `{}`" and values:
        begins = texts.value(source, start - 1)
        return Repair(finding, (Edit(source.name, begins, end, values[0]),), "quotes") if begins is not None else None
    return None


def _operands(hint: Sentence) -> list[Any]:
    found: list[Any] = []
    waiting: list[Any] = [hint]
    while waiting:
        each = waiting.pop()
        if isinstance(each, Sentence):
            waiting += each.operands
        else:
            found.append(each)
    return found


def _offsets(source: Source, finding: Finding) -> tuple[int, int]:
    span, starts = finding.span, source.line_starts
    assert span is not None
    first, last = starts[min(span.line, len(starts)) - 1], starts[min(span.end_line, len(starts)) - 1]
    return first + span.column - 1, last + span.end_column - 1


class _Texts:
    """Where the entries of files begin, found once for all findings of a file."""

    def __init__(self) -> None:
        self._entries: dict[str, dict[int, Pointer]] = {}
        self._plain: dict[str, dict[int, int]] = {}
        self._scripts: dict[str, Script] = {}

    def script(self, source: Source) -> Script:
        """A script of a file, for one repair."""
        if source.name not in self._scripts:
            self._scripts[source.name] = Script(source)
        return self._scripts[source.name].afresh()

    def entry(self, source: Source, start: int) -> Pointer | None:
        """The entry whose key begins there."""
        if source.name not in self._entries:
            self._entries[source.name] = {
                place.key_start: pointer for pointer, place in source.places().items() if place.key_end > place.key_start
            }
        return self._entries[source.name].get(start)

    def value(self, source: Source, end: int) -> int | None:
        """Where a plain value begins that ends there."""
        if source.name not in self._plain:
            self._plain[source.name] = {place.end: place.start for place in source.places().values() if place.style == "plain"}
        return self._plain[source.name].get(end)


def _removed(finding: Finding, script: Script, pointer: Pointer | None, how: str) -> Repair | None:
    if pointer is None:
        return None
    held = value_at(script.source.value, pointer[:-1], None)
    script.remove(
        pointer[:-1] if len(pointer) > 1 and isinstance(held, dict) and len(held) == 1 else pointer
    )  # an empty section says nothing
    return Repair(finding, tuple(script.edits), how)


def _unused(project: Project, finding: Finding, source: Source, texts: _Texts) -> Repair | None:
    pointer = texts.entry(source, _offsets(source, finding)[0])
    repair = _removed(finding, texts.script(source), pointer, "nothing uses it")
    if repair is None or pointer is None or finding.id != "parameter-unused":
        return repair
    edits = list(repair.edits)
    for name in sorted(project.parameter_files):
        file = project.source(name)
        for key in file.value if file is not None and isinstance(file.value, dict) else ():
            if file is not None and key.casefold() == str(pointer[-1]):
                script = texts.script(file)
                script.remove((key,))
                edits += script.edits
    return Repair(finding, tuple(edits), repair.how)


def _left_open(project: Project, finding: Finding) -> Repair | None:
    resource = project.template.resources.get(finding.address.split("/")[0])
    name = finding.pointer
    if resource is None or resource.type is None or resource.module is not None or not name or "/" in name:
        return None
    parts = subschema(resource.type.schema, (name,))
    about = next((part["description"] for part in parts if isinstance(part.get("description"), str)), name)
    script = Script(resource.origin.source)
    script.insert(resource.origin.pointer, name, {"$open": about})
    return Repair(finding, tuple(script.edits), f"{name} is left open")


def _described(project: Project, finding: Finding, source: Source, pointer: Pointer | None) -> Repair | None:
    """A parameter whose description is left open; what catalogs say is for whoever writes them."""
    if pointer is None or pointer[:1] != ("parameters",) or not any(each.name == source.name for each in project.template_sources):
        return None
    script = Script(source)
    script.insert(pointer, "description", {"$open": "What it is for"})
    return Repair(finding, tuple(script.edits), "the description is left open")


def _taken_out(project: Project, finding: Finding, source: Source, pointer: Pointer | None) -> Repair | None:
    """A secret in a file of its own, which git ignores, and where it is taken from in its place."""
    value = value_at(source.value, pointer, None) if pointer else None
    if pointer is None or value is None or isinstance(value, dict | list | bool):
        return None
    stem = source.name.rpartition("/")[2].partition(".")[0]
    file = f"secrets/{'-'.join(re.sub('[^A-Za-z0-9_-]', '-', str(each)).lower() for each in (stem, *pointer))}.txt"
    if isinstance(project.folder.find(file), Found):
        return None
    script = Script(source)
    script.set(pointer, {"$secret": {"file": relpath(file, dirname(source.name) or ".")}})
    ignored = project.folder.read(_IGNORED)
    text = "" if isinstance(ignored, Refusal) else ignored.decode("utf-8", "replace")
    gap = "" if not text or text.endswith("\n") else "\n"
    ignore = Edit(_IGNORED, len(text), len(text), f"{gap}/{file}\n")
    return Repair(finding, (*script.edits, ignore), f"taken from {file}, which git ignores", ((file, f"{value}\n"),))


def _read_safely(finding: Finding, source: Source, start: int, end: int) -> Repair | None:
    """`.?` before what is read of a resource that may be absent; the whole value is left out then, where it is nothing else."""
    field, before = source.text[start:end], source.text[:start]
    match = re.search(r"(\$\{\s*)?(\w+)\s*\.\Z", before)
    if match is None or not re.fullmatch(r"\w+", field):
        return None
    edits = [Edit(source.name, start - 1, start, ".?")]
    if match[1] and re.match(r"\s*\}", source.text[end:]):
        opening = match.start(1) + 2
        edits.append(Edit(source.name, opening, opening, "?"))
    return Repair(finding, tuple(edits), f"{match[2]}.?{field}")


# -- which of them hold


class Mended(NamedTuple):
    """What mending does: a `change`, and what is `done` by it. Whether that `changes` what is rendered; and the ids of findings that `wait`,
    because their repairs would."""

    change: Change
    done: list[Done]
    changes: bool
    wait: tuple[str, ...]


def mend(project: Project, ids: Sequence[str] = (), paths: Sequence[str] = ()) -> Mended:
    """Apply the repairs of findings: of `ids`, and in `paths`, or of all. What would change a rendering is only done where ids are named; what
    brings another finding (but an open value) is never done. Raises ProjectError."""
    before = project.check().findings
    chosen = [each for each in before if (not ids or each.id in ids) and (not paths or _lies_in(each, paths))]
    kept: list[Repair] = []
    wait: dict[str, None] = {}
    offered = repairs(project, chosen)[:MOST]
    trial = _Trial(project, before)
    then = trial.made(offered) if offered else None
    if then is not None and (ids or trial.keeps(then)):
        kept = offered
    else:
        for each in offered:
            then = trial.made([*kept, each])
            if then is None:
                continue
            if ids or trial.keeps(then):
                kept.append(each)
            else:
                wait[each.finding.id] = None
    change = _change(project, kept)
    becomes = trial.made(kept) if ids and kept else None
    changes = becomes is not None and not trial.keeps(becomes)
    return Mended(change, [Done(each.finding.id, each.edits[0].file, each.how) for each in kept], changes, tuple(wait))


def _lies_in(finding: Finding, paths: Sequence[str]) -> bool:
    name = finding.span.file if finding.span is not None else ""
    return any(name == path or name.startswith(f"{path.rstrip('/')}/") for path in paths)


def _change(project: Project, repairs: Iterable[Repair]) -> Change:
    change = Change(project.folder)
    for repair in repairs:
        change.add(repair.edits)
        for name, text in repair.files:
            change.write(name, text, private=True)
    return change


class _Trial:
    """Repairs that are tried together. The same may be wrong in several places, so findings are counted."""

    def __init__(self, project: Project, before: Sequence[Finding]) -> None:
        self._project = project
        self._before = Counter((each.id, each.message) for each in before)
        self._renderings: dict[str, Any] = {}

    def made(self, repairs: list[Repair]) -> Project | None:
        """The project as they make it; nothing where one undoes another, they do not mend what they are for, or bring anything else."""
        if _clashing(repairs):
            return None
        change = _change(self._project, repairs)
        try:
            then = self._project.edited(change.files())
            found = then.check().findings
        except ProjectError:
            return None
        now = Counter((each.id, each.message) for each in found if each.id != "value-open")
        now.update((each.finding.id, each.finding.message) for each in repairs)
        return None if now - self._before else then

    def keeps(self, then: Project) -> bool:
        """Whether all that was known of renderings is as it was."""
        for environment in self._project.environments:
            if environment not in self._renderings:
                self._renderings[environment] = self._project.render(environment)
            was, becomes = self._renderings[environment], then.render(environment)
            for address, resource in was.resources.items():
                other = becomes.resources.get(address)
                if other is None or not _known_stays(resource.properties, other.properties):
                    return False
        return True


def _known_stays(was: dict[str, Any], becomes: dict[str, Any]) -> bool:
    return all(deep_marks(value)[2] or (name in becomes and same(value, becomes[name])) for name, value in was.items())


def _clashing(repairs: Iterable[Repair]) -> bool:
    """Whether one changes what another changes too."""
    taken: list[Edit] = []
    for repair in repairs:
        if any(_clash(edit, other) for edit in repair.edits for other in taken):
            return True
        taken += repair.edits
    return False


def _clash(one: Edit, other: Edit) -> bool:
    return one.file == other.file and one.start < other.end and other.start < one.end and one != other
