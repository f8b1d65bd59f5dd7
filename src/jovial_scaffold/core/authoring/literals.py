"""Texts that a template writes out, and what recurs in them."""

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.errors import ExpressionError
from jovial_scaffold.core.expressions.placeholders import expression_end
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.text.source import Origin, Pointer, Source, pointer_text

_SECTIONS = ("let", "everywhere", "resources", "outputs")
_FOR_PEOPLE = ("description", "title")
_PLACES = 3  # a text that stands in fewer places needs no name
_SHORTEST = 4  # characters
_WORDS = 4  # of a part of a text
_PART = re.compile(r"[A-Za-z0-9]+")
_FILE = 40  # what binding one more file together is worth, in characters


class Written(NamedTuple):
    """A text that is written out: what it is called, where it stands, and itself. A document is one as a whole."""

    label: str
    origin: Origin
    text: str


def sources_of(project: Project, template: Template) -> list[Source]:
    """The files of a template, of which a module may have several."""
    if template is project.template:
        return project.own_sources
    declared = template.parameters, template.values, template.resources, template.outputs, template.documents
    sections = (*declared, template.functions, template.lookups)
    origins = [template.origin, *(_origin(each) for section in sections for each in section.values())]
    return list(dict.fromkeys(each.source for each in origins))


def _origin(declared: Any) -> Origin:
    found: Origin = declared.origin
    return found


def texts(project: Project, template: Template) -> Iterator[Written]:
    """The texts in named values, properties, `everywhere`, outputs and documents of a template; those of a module begin with its file."""
    before = "" if template is project.template else f"{template.origin.source.name} "
    for source in sources_of(project, template):
        if not isinstance(source.value, dict):
            continue
        for section in _SECTIONS:
            held = source.value.get(section)
            for name, value in held.items() if isinstance(held, dict) else ():
                head = str(name).partition(" (")[0]
                for pointer, text in _inside(value, ()):
                    if is_secret(Origin(source, (section, name, *pointer))):
                        continue
                    rest = pointer_text(pointer)
                    label = f"{head}:{rest}" if section == "resources" else f"{section}.{head}{'/' if rest else ''}{rest}"
                    yield Written(f"{before}{label}", Origin(source, (section, name, *pointer)), text)
    for document in template.documents.values():
        if document.narrowed is None and "marks" not in (_entry(document.origin) or ()):
            yield Written(f"{before}{document.name}", document.file, document.file.source.text)


def reached(project: Project) -> list[Template]:
    """The templates that a name of the project can reach: its own, and those of modules that lie in its folder and are nobody else's."""
    own = [each.template for each in project.modules if not each.label.startswith("../")]
    return [project.template, *own]


def is_secret(origin: Origin) -> bool:
    """Whether what stands somewhere, or something around it, is never shown."""
    hidden = origin.source.hidden_pointers
    return any(origin.pointer[:depth] in hidden for depth in range(len(origin.pointer) + 1))


def _entry(origin: Origin) -> Any:
    value: Any = origin.source.value
    for step in origin.pointer:
        value = value[step]
    return value


def _inside(value: Any, pointer: Pointer) -> Iterator[tuple[Pointer, str]]:
    """The texts in a value, but for what directives say."""
    if isinstance(value, str):
        yield pointer, value
    elif isinstance(value, dict):
        for key, item in value.items():
            if key not in _FOR_PEOPLE and (not key.startswith("$") or key.startswith("$$")):
                yield from _inside(item, (*pointer, key))
    elif isinstance(value, list):
        for index, item in enumerate(value):
            yield from _inside(item, (*pointer, index))


def written_out(text: str) -> Iterator[tuple[int, str]]:
    """The parts of a text that are no expressions, and where they begin."""
    at = 0
    while at < len(text):
        start = text.find("${", at)
        if start < 0:
            yield at, text[at:]
            return
        yield at, text[at:start]
        try:
            at = expression_end(text, start + 2) + 1
        except ExpressionError:
            return


def occurrences(text: str, part: str) -> list[int]:
    """Where a part stands as words of their own in what is written out of a text."""
    word = re.compile(rf"(?<![A-Za-z0-9]){re.escape(part)}(?![A-Za-z0-9])")
    return [
        at + match.start() for at, piece in written_out(text) for match in word.finditer(piece) if _ends_apart(text, at + match.end(), part)
    ]


def _ends_apart(text: str, end: int, part: str) -> bool:
    """Whether no expression follows at once, whose text would be one word with it; the same before."""
    start = end - len(part)
    return not text.startswith("${", end) and not text.endswith("}", 0, start)


class Recurring(NamedTuple):
    """A text that recurs: in which `places`, and how many characters a name for it would save, counting files that it binds together."""

    text: str
    places: tuple[Written, ...]
    worth: int

    @property
    def files(self) -> list[str]:
        """The files that it stands in."""
        return sorted({each.origin.source.name for each in self.places})


def suggestions(project: Project) -> list[Recurring]:
    """Texts and parts of texts that stand in several places, the worthiest first; a part of one that is as frequent is left out, and so is what
    a schema lists as allowed, or something of the template is called."""
    found: dict[str, dict[tuple[str, Pointer], Written]] = {}
    listed = {(each.name, pointer) for each, pointer in _choices(project)}
    for each in (one for template in reached(project) for one in texts(project, template)):
        place = (each.origin.source.name, each.origin.pointer)
        for part in _parts(each) if place not in listed else ():
            found.setdefault(part, {})[place] = each
    known = {each.replace("-", "_") for template in reached(project) for each in template.names}  # what things are called after themselves
    recurring = [
        _weighed(text, [*places.values()])
        for text, places in found.items()
        if len(places) >= _PLACES and text.lower().replace("-", "_") not in known
    ]
    kept: list[Recurring] = []
    for one in sorted(recurring, key=lambda each: (-each.worth, each.text)):
        if one.worth > 0 and not any(one.text in other.text and len(one.places) <= len(other.places) for other in kept):
            kept.append(one)
    return kept


def _parts(each: Written) -> Iterator[str]:
    """A text, and the stretches of a few words in it."""
    is_document = each.origin.pointer == ()
    for _, piece in written_out(each.text):
        words = [*_PART.finditer(piece)]
        for first, start in enumerate(words):
            for last in words[first : first + _WORDS]:
                part = piece[start.start() : last.end()]
                if len(part) >= _SHORTEST and not part.isdigit() and "\n" not in part and not (is_document and " " in part):
                    yield part
    if not is_document and len(each.text.strip()) >= _SHORTEST and "${" not in each.text and "\n" not in each.text:
        yield each.text


def _choices(project: Project) -> Iterator[tuple[Source, Pointer]]:
    """The places of values that a schema lists as allowed: they are names already."""
    for resource in (each for template in reached(project) for each in template.resources.values()):
        if resource.type is None:
            continue
        source, pointer = resource.origin
        for inner, _ in _inside(_entry(resource.origin), ()):
            if any("enum" in part or "const" in part for part in subschema(resource.type.schema, inner)):
                yield source, (*pointer, *inner)


def _weighed(text: str, places: list[Written]) -> Recurring:
    files = len({each.origin.source.name for each in places})
    shorter = len(re.sub(r"[^A-Za-z0-9]", "", text)) - 4
    return Recurring(text, tuple(places), shorter * len(places) + _FILE * (files - 1) * (shorter > 0))


def proposed_name(text: str, taken: frozenset[str]) -> str:
    """A name for a text, that the template has not."""
    words = [word.lower() for word in _PART.findall(text)][:_WORDS]
    name = "_".join(words)
    name = name if name[:1].isalpha() else f"text_{name}"
    while name in taken:
        name = f"{name}_text"
    return name[:64]
