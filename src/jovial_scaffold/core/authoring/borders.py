"""What stands on both sides of a border that is drawn through a template: what some resources read, and who reads them."""

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.authoring.promises import broken
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.templates.model import Resource, Template
from jovial_scaffold.core.templates.names import all_formulas
from jovial_scaffold.core.text.edits import Change, Edit
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Origin, Pointer
from jovial_scaffold.core.words import say


class Use(NamedTuple):
    """An expression that reads a name: the characters of the name in the text at `origin`, what is read of it, and the entry that it stands in
    (section and key; nothing for the text of a document)."""

    origin: Origin
    offset: int
    text: str
    reference: Reference
    entry: Pointer

    def whole(self) -> tuple[int, int]:
        """The characters of the expression, in the file. Raises ProjectError where they have no place."""
        offsets = self.origin.source.inner_offsets(self.origin.pointer, self.offset, self.offset + len(self.text))
        if offsets is None:
            raise broken(say("`{}` has no place that could be changed.", self.text))
        return offsets

    def span(self, length: int) -> tuple[int, int]:
        """The characters from the name on, in the file. Raises ProjectError where they have no place."""
        start = self.offset + self.reference.start
        offsets = self.origin.source.inner_offsets(self.origin.pointer, start, start + length)
        if offsets is None:
            raise broken(say("A use of `{}` in {} has no place that could be changed.", self.reference.name, self.origin.source.name))
        return offsets


def uses_of(template: Template) -> list[Use]:
    """Every reading of a name of a template."""
    found: dict[tuple[Origin, int, int], Use] = {}  # what `everywhere` gives is read for each resource
    for formula, origin in all_formulas(template):
        entry = origin.pointer[:2] if origin.source.value != origin.source.text else ()
        for each in formula.program.reads:
            if each.name != "context":
                found[origin, formula.offset, each.start] = Use(origin, formula.offset, formula.text, each, entry)
    return list(found.values())


class Border:
    """What moves, what it takes in and what it gives out."""

    def __init__(self, project: Project, names: Sequence[str], use: str) -> None:
        self.project = project
        self.template = project.template
        self.use = use
        self.resources = [*dict.fromkeys(names)]
        self.change = Change(project.folder)
        self.done: list[Done] = []
        self.uses = uses_of(self.template)
        self._together: dict[tuple[Origin, int], list[Use]] = {}  # those of one expression
        for each in self.uses:
            self._together.setdefault((each.origin, each.offset), []).append(each)
        self._calls = self._called()
        self.views = project.views(project.environments)  # reads all files
        self.everywhere = self._everywhere()
        self.moved = self._moved()
        self.takes: dict[str, Use] = {}  #: parameters of the module, by what is handed to them
        self.hands: dict[str, str] = {}  #: what is handed to them, where that is no name
        self.gives: dict[str, str] = {}  #: outputs, and what they read
        self.given: dict[str, str] = {}  #: those that are whole expressions, by these
        self.waits: list[str] = []  #: what stays, and has to be there before
        self.inner: list[Edit] = []  # in what moves
        self.copied: set[str] = set()  # functions
        self._sort()

    def origin(self, name: str) -> Origin:
        """Where something is declared that may move. Raises KeyError."""
        template = self.template
        for section in (template.resources, template.values, template.functions, template.lookups):
            found: Any = section.get(name)
            if found is not None:
                return found.origin if name not in template.values else self.whole(found.origin)
        raise KeyError(name)

    @staticmethod
    def whole(origin: Origin) -> Origin:
        """The entry of a section that something stands in."""
        return Origin(origin.source, origin.pointer[:2])

    def _everywhere(self) -> list[Origin]:
        """The entries of `everywhere` that fit what moves: it takes a copy along, since they do not reach into modules."""
        kinds = [each.type for name in self.resources if (each := self.template.resources[name]).type is not None and each.module is None]
        return [
            Origin(source, ("everywhere", key))
            for source in self.project.own_sources
            for key in (source.value.get("everywhere") or {} if isinstance(source.value, dict) else ())
            if any(kind is not None and kind.fits(key) for kind in kinds)
        ]

    def _moved(self) -> set[str]:
        """The names of what moves: the resources, and what nothing else reads."""
        template, moved = self.template, {*self.resources}
        places = {self.whole(each).pointer for each in self.everywhere}
        candidates = {*template.values, *template.lookups}
        readers: dict[str, set[Pointer]] = {}
        for each in self.uses:
            readers.setdefault(each.reference.name, set()).add(each.entry)
        while True:
            entries = {self.origin(name).pointer[:2] for name in moved}
            more = {name for name in candidates - moved if readers.get(name) and readers[name] <= entries and not readers[name] & places}
            if not more:
                return moved
            moved |= more

    def _sort(self) -> None:
        """What is read across the border."""
        entries = {self.origin(name).pointer[:2] for name in self.moved}
        copied = {each.pointer for each in self.everywhere}
        self.odd = {
            (each.origin, each.offset)
            for each in self.uses
            if each.reference.name in self.template.resources
            and (each.reference.name in self.moved) != (each.entry in entries)
            and not self._is_plain(each, each.entry in entries)
        }
        known = self.template.names
        for each in self.uses:
            if each.reference.name not in known:
                continue  # a variable
            name, inside = each.reference.name, each.entry in entries or each.entry in copied
            if inside and name not in self.moved:
                self._taken(each)
            if name in self.moved and (not inside or each.entry in copied):
                self._given(each)
        for name in self.resources:
            self._waits(self.template.resources[name])
        self.copied |= self.functions_of([*entries, *copied])

    def _waits(self, resource: Resource) -> None:
        """Where what moves waits for what stays, the use of the module does."""
        left = [name for name, _ in resource.after if name not in self.moved]
        if not left:
            return
        kept = [name for name, _ in resource.after if name in self.moved]
        script, pointer = Script(resource.origin.source), (*resource.origin.pointer, "$after")
        if kept:
            script.set(pointer, kept)
        else:
            script.remove(pointer)
        self.inner += script.edits
        self.waits += [name for name in left if name not in self.waits]

    def _called(self) -> dict[Pointer, dict[int, set[str]]]:
        """The functions of the template that expressions call, by the entry that they stand in and where in its text they begin."""
        found: dict[Pointer, dict[int, set[str]]] = {}
        for formula, at in all_formulas(self.template):
            own = {call.function for call in formula.program.own_calls if call.function in self.template.functions}
            if own:
                found.setdefault(at.pointer[:2], {}).setdefault(formula.offset, set()).update(own)
        return found

    def functions_of(self, entries: Iterable[Pointer]) -> set[str]:
        """The functions that expressions of some entries call, and those that these call."""
        found: set[str] = set()
        waiting = [*entries]
        while waiting:
            new = set().union(*self._calls.get(waiting.pop(), {}).values()) - found
            found |= new
            waiting += [self.template.functions[name].origin.pointer[:2] for name in new]
        return found

    def _is_plain(self, each: Use, inside: bool) -> bool:
        """Whether a property of one resource is read, which can be handed over by itself."""
        is_one = self.template.resources[each.reference.name].loop is None
        return bool(self.field(each)) and is_one and not (inside and each.reference.optional)

    def _taken(self, each: Use) -> None:
        """A reading of something that stays becomes one of a parameter."""
        name = each.reference.name
        if name not in self.template.resources:
            self.takes.setdefault(name, each)
            return
        field = self.field(each)
        if (each.origin, each.offset) in self.odd:
            self._whole_taken(each)
            return
        parameter = self._free(f"{name}_{field}", f"{name}.{field}")
        self.takes.setdefault(parameter, each)
        self.hands[parameter] = f"{name}.{field}"
        start, end = each.span(len(name) + 1 + len(field))
        self.inner.append(Edit(each.origin.source.name, start, end, parameter))

    def _whole_taken(self, each: Use) -> None:
        """An expression that reads nothing of what moves is handed over as it is."""
        names = {one.reference.name for one in self._together[each.origin, each.offset]}
        if names & self.moved or not self._is_free(each, names):
            raise broken(say("`{}` reads {}, which would stay: let both move.", each.text, each.reference.name))
        known = next((parameter for parameter, text in self.hands.items() if text == each.text), "")
        parameter = known or self._free(f"{each.reference.name}_read", each.text)
        self.takes.setdefault(parameter, each)
        self.hands[parameter] = each.text
        self.inner.append(Edit(each.origin.source.name, *each.whole(), parameter))

    def _given(self, each: Use) -> None:
        """A reading of something that moves becomes one of an output."""
        name, reference = each.reference.name, each.reference
        if name not in self.template.resources or (each.origin, each.offset) in self.odd:
            self._whole_given(each)
            return
        field = self.field(each)
        output = f"{name}_{field}"
        mark = ".?" if reference.optional else "."
        self.gives[output] = f"${{{'?' if reference.optional else ''}{name}{mark}{field}}}"
        start, end = each.span(len(name) + len(mark) + len(field))
        self.change.add([Edit(each.origin.source.name, start, end, f"{self.use}{mark}{output}")])

    def _whole_given(self, each: Use) -> None:
        """An expression that reads nothing else than what the module knows becomes an output as it is."""
        uses = self._together[each.origin, each.offset]
        names = {one.reference.name for one in uses}
        stays = names - self.moved
        if not self._is_free(each, names) or stays & self.template.resources.keys():
            raise broken(say("`{}` reads {}, which would move.", each.text, each.reference.name))
        for one in uses:
            if one.reference.name in stays:
                self.takes.setdefault(one.reference.name, one)
        called = self._calls.get(each.entry, {}).get(each.offset, set())
        self.copied |= called | self.functions_of(self.template.functions[name].origin.pointer[:2] for name in called)
        output = self.given.setdefault(each.text, self._output_name(each))
        self.gives[output] = f"${{{each.text}}}"
        self.change.add([Edit(each.origin.source.name, *each.whole(), f"{self.use}.{output}")])

    def _output_name(self, each: Use) -> str:
        """What an expression is called as an output: as the template's own, where it is all of one."""
        wanted = str(each.entry[1]) if each.entry[0] == "outputs" else f"{each.reference.name}_read"
        number = sum(name.rstrip("0123456789") == wanted for name in self.given.values())
        return f"{wanted}{number + 1}" if number else wanted

    def _is_free(self, each: Use, names: set[str]) -> bool:
        """Whether an expression reads names of the template alone, and no variable of a loop around it."""
        return bool(each.entry) and names <= self.template.names

    def field(self, each: Use) -> str:
        """The property of a resource that is read; nothing where it is read in another way."""
        name, reference = each.reference.name, each.reference
        field = reference.path[0] if reference.path else ""
        mark = ".?" if reference.optional else "."
        is_plain = isinstance(field, str) and each.text.startswith(f"{name}{mark}{field}", reference.start)
        return str(field) if is_plain and not each.text.startswith("has(", max(0, reference.start - 4)) else ""

    def _free(self, name: str, handed: str) -> str:
        """A name for a parameter that nothing in the module has, and to which nothing else is handed."""
        taken = self.moved | (self.template.names - self.template.resources.keys())
        while name in taken or self.hands.get(name, handed) != handed:
            name = f"{name}_"
        return name
