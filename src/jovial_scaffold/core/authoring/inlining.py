"""A use of a module that is written out: its resources stand in the template itself, with what was handed to them in place of its parameters."""

from collections.abc import Iterator, Mapping
from textwrap import dedent
from typing import Any

from jovial_scaffold.core.authoring.borders import Use, uses_of
from jovial_scaffold.core.authoring.expected import addresses_follow
from jovial_scaffold.core.authoring.extracting import relative, verified
from jovial_scaffold.core.authoring.literals import is_secret, sources_of
from jovial_scaffold.core.authoring.moved_texts import (
    check_whole,
    entry_by_itself,
    has_comments,
    lines_from_brackets,
    part_with,
    value_text,
)
from jovial_scaffold.core.authoring.promises import broken
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.expressions.placeholders import Formula, Omittable
from jovial_scaffold.core.expressions.syntax import Call, Index, Literal, Name, Node, Select, nodes
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.templates.model import Compiled, Dynamic, Resource, Template
from jovial_scaffold.core.templates.names import all_formulas
from jovial_scaffold.core.templates.sections import SECTIONS
from jovial_scaffold.core.text.edits import Change, Edit
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.script import Script
from jovial_scaffold.core.text.source import Origin, Source, value_at
from jovial_scaffold.core.text.written_values import FLOW, yaml_flow
from jovial_scaffold.core.words import listed, nearest, say


def inline(project: Project, use: str) -> tuple[Change, list[Done]]:
    """Write a use of a module out. Raises ProjectError."""
    resource = project.template.resources.get(use)
    known = [name for name, each in project.template.resources.items() if each.module is not None]
    if resource is None or resource.module is None:
        hint = nearest(use, known, say("Its uses of modules are {}.", listed(known)) if known else say("It uses no module."))
        raise ProjectError([Finding("name-unknown", "error", say("The template has no use of a module `{}`.", use), None, hint)])
    project.views(project.environments)  # reads all files
    check_whole([*project.own_sources, *sources_of(project, resource.module.template)])
    writing = _Writing(project, resource, resource.module.template)
    change, done = writing.written()
    moved = {f"{use}/{name}": writing.names[name] for name in writing.module.resources}
    done += addresses_follow(project, moved, change)
    verified(project, change, moved)
    return change, done


class _Writing:
    """What the template has in the place of a use of a module."""

    def __init__(self, project: Project, use: Resource, module: Template) -> None:
        self.project = project
        self.template = project.template
        self.use = use
        self.module = module
        self.change = Change(project.folder)
        self.uses = uses_of(module)
        self._possible()
        taken = {*(self.template.names - {use.name}), *self.template.functions}
        inside = [*module.resources, *module.values, *module.functions, *module.lookups]
        self.names = {name: name if name not in taken else self._apart(name, {*taken, *inside}) for name in inside}
        self._taken = taken | {*self.names.values()}
        self.edits: list[Edit] = []  #: in what is taken over
        self.values: dict[str, str] = {}  #: named values that stand for parameters and outputs, as they are written
        self._parameters: dict[str, str] = {}  # what expressions read in the place of each
        for name in module.parameters:
            self._parameter(name)
        self.edits += [
            each
            for each in self._readings()
            if not any(each.start >= one.start and each.end <= one.end and each.file == one.file for one in self.edits)
        ]

    def _possible(self) -> None:
        """Raises ProjectError where a use cannot be written out."""
        use, module = self.use, self.module
        reasons = (
            (use.loop is not None, say("`{}` is repeated.", use.name)),
            (use.when is not None, say("`{}` may be absent.", use.name)),
            (use.keep is not None, say("`{}` is kept as a whole.", use.name)),
            (bool(module.must) or any(each.must for each in module.parameters.values()), say("The module states conditions (`must`).")),
            (bool(module.documents), say("The module has documents.")),
        )
        why = next((reason for holds, reason in reasons if holds), None)
        if why is not None:
            raise broken(why)

    def _apart(self, name: str, taken: set[str]) -> str:
        wanted = f"{self.use.name}_{name}"
        while wanted in taken:
            wanted = f"{wanted}_"
        return wanted

    # -- parameters

    def _parameter(self, name: str) -> str:
        """What an expression reads in the place of a parameter; a default may read others, which come first then."""
        if name not in self._parameters:
            self._parameters[name] = self._handed(name)
        return self._parameters[name]

    def _handed(self, name: str) -> str:
        """The same, found out: a name that is handed over, or a named value."""
        handed = self.use.properties.entry(name)
        declaration = self.module.parameters[name]
        written = handed if handed is not None else declaration.default
        if written is None:
            raise broken(say("Nothing is handed to `{}`, and it has no default.", name))
        formula = _whole(written)
        if handed is not None and formula is not None and _is_chain(formula.node):
            return formula.text
        origin = written.origin
        once = self._only_use(name)
        if once is not None and handed is not None:
            self.edits.append(once._replace(text=value_text(origin)))
            return name
        if is_secret(origin):
            raise broken(say("What is handed to `{}` is secret, and would stand as a named value.", name))
        wanted = name if name not in self._taken else self._apart(name, self._taken)
        self._taken.add(wanted)
        self.values[wanted] = value_text(origin, [] if handed is not None else [*self._readings_at(origin)])
        return wanted

    def _only_use(self, name: str) -> Edit | None:
        """Where a parameter is read once, as a whole value in a line of its own."""
        uses = [each for each in self.uses if each.reference.name == name]
        if len(uses) != 1:
            return None
        source, pointer = uses[0].origin
        place = source.place(pointer)
        if source.text[place.start : place.end] != f"${{{name}}}" or place.style != "plain":
            return None
        return Edit(source.name, place.start, place.end, "")

    # -- names

    def _readings(self) -> Iterator[Edit]:
        """What expressions of the module read by another name then."""
        for each in self.uses:
            yield from self._reading(each)
        for formula, origin in all_formulas(self.module):
            for node in nodes(formula.node):
                if isinstance(node, Call) and node.target is None and self.names.get(node.function, node.function) != node.function:
                    start = formula.offset + node.name_start
                    offsets = origin.source.inner_offsets(origin.pointer, start, start + len(node.function))
                    if offsets is not None:
                        yield Edit(origin.source.name, *offsets, self.names[node.function])

    def _readings_at(self, origin: Origin) -> Iterator[Edit]:
        for each in self.uses:
            if each.origin.source is origin.source and each.origin.pointer[: len(origin.pointer)] == origin.pointer:
                yield from self._reading(each)

    def _reading(self, each: Use) -> Iterator[Edit]:
        name = each.reference.name
        if name in self.module.names:
            becomes = self._meant(name)
            if becomes != name:
                yield Edit(each.origin.source.name, *each.span(len(name)), becomes)

    def _meant(self, name: str) -> str:
        """What a name of the module is called then."""
        return self._parameter(name) if name in self.module.parameters else self.names[name]

    # -- what is written

    def written(self) -> tuple[Change, list[Done]]:
        """The change, and what it does."""
        source, pointer = self.use.origin
        script = Script(source)
        resources = sorted(self.module.resources.values(), key=lambda each: each.origin.source.place(each.origin.pointer).key_start)
        if script.is_in_lines(pointer):
            start, end = script.block(pointer)
            blocks = [self._resource(each, script.column(pointer)) for each in resources]
            self.change.add([Edit(source.name, start, end, ("\n" if script.is_apart(pointer) else "").join(blocks))])
        else:
            place = source.place(pointer)
            entries = self._entries([self._resource(each, 0) for each in resources])
            begins = source.text.rfind("\n", 0, place.key_start) + 1
            own_lines = script.lines_in_brackets(pointer) is not None
            between = f",\n{source.text[begins : place.key_start]}" if own_lines else ", "
            text = between.join(FLOW[script.notation]({key: value})[1:-1].strip() for key, value in entries.items())
            self.change.add([Edit(source.name, place.key_start, place.end, text)])
        self._outputs()
        self._sections(source)
        self._after()
        self._renames(source)
        done = [Done(self.names[name], source.name, f"was {self.use.name}/{name}") for name in self.module.resources]
        done += [Done(name, source.name, "named value") for name in self.values]
        module = self.module.origin.source.name
        if sum(each.module is self.use.module for template in self.project.templates for each in template.resources.values()) == 1:
            done.append(Done(self.use.name, module, "stays; nothing of this project uses it any more"))
        return self.change, done

    def _entries(self, blocks: list[str]) -> dict[str, Any]:
        """Entries in lines of their own as values, for a place in brackets. Raises ProjectError where comments would be lost."""
        found: dict[str, Any] = {}
        for block in blocks:
            read, _ = read_source(dedent(block).encode("utf-8", "surrogateescape"), "x.yaml")
            if read is None or not isinstance(read.value, dict):
                raise broken(say("An entry of {} cannot be read by itself.", self.module.origin.source.name))
            if has_comments(read):
                raise broken(say("{} has comments, and there is no place for them in brackets.", self.module.origin.source.name))
            found.update(read.value)
        return found

    def _from_brackets(self, origin: Origin, key: str, far: int, more: list[str]) -> str:
        """The lines of an entry that stands in brackets, under a key; what stands there besides goes into them, too."""
        value = value_text(origin, self.edits)
        if more:
            if not value.startswith("{"):
                raise broken(say("{} has no properties of its own.", key))
            value = f"{{{', '.join(more)}{', ' if value[1:].strip() != '}' else ''}{value[1:]}"
        return lines_from_brackets(origin, f"{yaml_flow(key)}: {value}", far)

    def _block(self, origin: Origin, key: str, far: int, more: list[str] | None = None) -> str:
        """The lines of an entry under a key, as far in as they are to stand."""
        script = Script(origin.source)
        if not script.is_in_lines(origin.pointer):
            return self._from_brackets(origin, key, far, more or [])
        start, end = script.block(origin.pointer)
        column = script.column(origin.pointer)
        if str(origin.pointer[-1]) != key:
            script.rename(origin.pointer, key)
        text = part_with(origin.source, start, end, (*self.edits, *script.edits)).replace("\r\n", "\n")
        lines = text.rstrip("\n").split("\n")
        step = next((len(line) - len(line.lstrip()) for line in lines if len(line) - len(line.lstrip()) > column), column + 2)
        lines += [f"{' ' * step}{line}" for line in more or ()]
        return "".join(f"{' ' * (far - column)}{line}"[max(0, column - far) :] + "\n" if line.strip() else "\n" for line in lines)

    def _resource(self, resource: Resource, far: int) -> str:
        name = self.names[resource.name]
        more = []
        if self.use.after:
            if resource.after:
                raise broken(say("`{}` and {} both wait for others.", self.use.name, resource.name))
            more.append(f"$after: [{', '.join(other for other, _ in self.use.after)}]")
        held = value_at(resource.origin.source.value, resource.origin.pointer, None)
        for key, origin in self._everywhere(resource):
            readings = [*self._readings_at(origin)]
            given = self._given_anyway(resource, key)
            if given is not None and entry_by_itself(origin, readings).value == entry_by_itself(given).value:
                continue
            written = value_text(origin, readings)
            if isinstance(held, dict) and key in held:
                if isinstance(held[key], dict):
                    raise broken(say("`{}` of {} is merged with what `everywhere` gives.", key, resource.name))
                continue
            more.append(f"{key}: {written}")
        self._gets_nothing_more(resource, {*(held if isinstance(held, dict) else ()), *(key for key, _ in self._everywhere(resource))})
        type_text = str(resource.origin.pointer[-1]).removeprefix(resource.name)
        if resource.module is not None and resource.type_text.startswith("."):
            type_text = f" ({relative(resource.module.label, self.use.origin.source.name)})"
        if more and not isinstance(held, dict):
            raise broken(say("{} has no properties of its own.", resource.name))
        return self._block(resource.origin, f"{name}{type_text}", far, more)

    def _gets_nothing_more(self, resource: Resource, has: set[str]) -> None:
        """Raises ProjectError where `everywhere` of the template, which does not reach into modules, would give a resource more than it has."""
        kind = resource.type
        if kind is None or resource.module is not None:
            return
        for source in self.project.own_sources:
            held = source.value.get("everywhere") if isinstance(source.value, dict) else None
            for fitting, given in held.items() if isinstance(held, dict) else ():
                names = given.keys() & kind.schema.get("properties", {}).keys() if isinstance(given, dict) else set()
                if names - has and kind.fits(fitting):
                    raise broken(say("`everywhere` would give {} `{}`, which it has not in the module.", resource.name, min(names - has)))

    def _given_anyway(self, resource: Resource, key: str) -> Origin | None:
        """What `everywhere` of the template gives a resource; None where it gives none, or merges some."""
        kind = resource.type
        named = [
            Origin(source, ("everywhere", fitting, key))
            for source in self.project.own_sources
            for fitting, held in ((source.value.get("everywhere") or {}) if isinstance(source.value, dict) else {}).items()
            if kind is not None and isinstance(held, dict) and key in held and kind.fits(fitting)
        ]
        return named[0] if len(named) == 1 else None

    def _everywhere(self, resource: Resource) -> Iterator[tuple[str, Origin]]:
        """What `everywhere` of the module gives a resource; the most particular pattern is the last, and holds."""
        source, kind = self.module.origin.source, resource.type
        held = source.value.get("everywhere") if isinstance(source.value, dict) else None
        if not isinstance(held, dict) or kind is None or resource.module is not None:
            return
        found: dict[str, Origin] = {}
        for key in sorted(held, key=lambda each: (len(each.replace("*", "").replace("?", "")), each)):
            if isinstance(held[key], dict) and kind.fits(key):
                for name in held[key]:
                    if name in kind.schema.get("properties", {}):
                        found[name] = Origin(source, ("everywhere", key, name))
        yield from found.items()

    def _outputs(self) -> None:
        """What the template reads of the use."""
        for each in uses_of(self.template):
            if each.reference.name != self.use.name:
                continue
            field = each.reference.path[0] if each.reference.path else ""
            mark = ".?" if each.reference.optional else "."
            output = self.module.outputs.get(str(field))
            if output is None or not each.text.startswith(f"{self.use.name}{mark}{field}", each.reference.start):
                raise broken(say("`{}` reads more of {} than an output.", each.text, self.use.name))
            start, end = each.span(len(self.use.name) + len(mark) + len(str(field)))
            self.change.add([Edit(each.origin.source.name, start, end, self._output(output.name, output.value, each.reference.optional))])

    def _output(self, name: str, value: Compiled, optional: bool) -> str:
        formula = _whole(value)
        content = value.content if isinstance(value, Dynamic) else None
        is_optional = isinstance(content, Omittable)
        if is_optional and optional:
            formula = content.formula  # type: ignore[union-attr]  # it is one
        elif is_optional or optional:
            raise broken(say("The output `{}` may be absent.", name))
        if formula is None:
            wanted = self._apart(name, {*self.template.names, *self.names.values(), *self.values})
            self.values.setdefault(wanted, value_text(value.origin, [*self._readings_at(value.origin)]))
            return wanted
        text, last = formula.text, 0
        pieces: list[str] = []
        here = [
            one
            for one in self.uses
            if one.origin == value.origin and one.offset == formula.offset and one.reference.name in self.module.names
        ]
        for one in sorted(here, key=lambda each: each.reference.start):
            pieces += (text[last : one.reference.start], self._meant(one.reference.name))
            last = one.reference.start + len(one.reference.name)
        whole = "".join((*pieces, text[last:]))
        return whole if _is_chain(formula.node) else f"({whole})"

    def _sections(self, source: Source) -> None:
        """What the module names itself, and the named values that stand for what was handed over."""
        found: dict[str, list[str]] = {}
        sections: Mapping[str, Mapping[str, Any]] = {
            "types": self.module.types,
            "let": self.module.values,
            "functions": self.module.functions,
            "lookups": self.module.lookups,
        }
        used = {*self._needed_types()}
        for section, held in sections.items():
            far = self._far(section, source)
            for name, each in held.items():
                origin = each if isinstance(each, Origin) else each.origin
                if section == "types" and not self._is_new_type(name, origin, used):
                    continue
                block = self._block(Origin(origin.source, origin.pointer[:2]), self.names.get(name, name), far)
                found.setdefault(section, []).append(block)
        far = self._far("let", source)
        for name, text in self.values.items():
            found.setdefault("let", []).append(f"{' ' * far}{name}: {text}\n")
        for section in SECTIONS:
            if section in found:
                self._put(section, "".join(found[section]), source)

    def _is_new_type(self, name: str, origin: Origin, used: set[str]) -> bool:
        """Whether a type is to be taken over. Raises ProjectError where the template has another one of its name."""
        own = self.template.types.get(name)
        if (
            name in used
            and own is not None
            and value_at(own.source.value, own.pointer, None) != value_at(origin.source.value, origin.pointer, None)
        ):
            raise broken(say("The template has another type `{}`.", name))
        return name in used and own is None

    def _needed_types(self) -> Iterator[str]:
        for function in self.module.functions.values():
            text = str(value_at(function.origin.source.value, function.origin.pointer, ""))
            yield from (name for name in self.module.types if f"#/types/{name}" in text)

    def _home(self, section: str, source: Source) -> Source:
        sources = [source, *self.project.own_sources]
        return next((each for each in sources if isinstance(each.value, dict) and each.value.get(section)), source)

    def _far(self, section: str, source: Source) -> int:
        home = self._home(section, source)
        held = home.value.get(section)
        return Script(home).column((section, next(iter(held)))) if held and Script(home).is_in_lines((section, next(iter(held)))) else 2

    def _put(self, section: str, text: str, source: Source) -> None:
        """Lines of entries, behind the others of a section; a section that is not there stands where others have it."""
        home = self._home(section, source)
        script = Script(home)
        held = home.value.get(section)
        if not script.is_in_lines((section, next(iter(held))) if held else (next(iter(home.value)),)):
            entries = self._entries([text])
            if held:
                for name, value in entries.items():
                    script.insert((section,), name, value)
            else:
                script.add_section(section, entries, SECTIONS)
            self.change.add(script.edits)
            return
        if held:
            last = max((script.block((section, key)) for key in held), key=lambda each: each[1])
            self.change.add([Edit(home.name, last[1], last[1], text)])
            return
        rank = {name: number for number, name in enumerate(SECTIONS)}
        following = next(key for key in home.value if rank.get(key, 0) > rank[section])
        start = script.block((following,))[0]
        self.change.add([Edit(home.name, start, start, f"{section}:\n{text}\n")])

    def _after(self) -> None:
        for resource in self.template.resources.values():
            if any(other == self.use.name for other, _ in resource.after):
                inside = [self.names[name] for name in self.module.resources]
                wanted = [each for other, _ in resource.after for each in (inside if other == self.use.name else [other])]
                script = Script(resource.origin.source)
                script.set((*resource.origin.pointer, "$after"), wanted)
                self.change.add(script.edits)

    def _renames(self, source: Source) -> None:
        """What runs knows the resources by their old addresses; on the way back from a module, by their own."""
        held = source.value.get("renames") or {}
        script = Script(source)
        back = {name: f"{self.use.name}/{name}" for name in self.module.resources}
        left = dict(held)
        for name, address in back.items():
            olds = [old for old, new in held.items() if new == address]
            for old in olds:
                if old == self.names[name]:
                    del left[old]
                else:
                    left[old] = self.names[name]
            if not olds:
                left[address] = self.names[name]
        if held and not left:
            script.cut(("renames",)) if script.is_in_lines(("renames",)) else script.remove(("renames",))
        elif held:
            for old in held:
                if old not in left:
                    script.remove(("renames", old))
                elif left[old] != held[old]:
                    script.set(("renames", old), left[old])
            for old, new in left.items():
                if old not in held:
                    script.insert(("renames",), old, new)
        elif left:
            script.add_section("renames", left, SECTIONS)
        self.change.add(script.edits)


def _whole(value: Compiled) -> Formula | None:
    """The one expression that a value is."""
    return value.content if isinstance(value, Dynamic) and isinstance(value.content, Formula) else None


def _is_chain(node: Node) -> bool:
    """Whether an expression is a name, and what is read from it by fields and keys that are written out."""
    while not isinstance(node, Name):
        if (isinstance(node, Select) and not node.optional) or (
            isinstance(node, Index) and isinstance(node.index, Literal) and not node.optional
        ):
            node = node.operand
        else:
            return False
    return True
