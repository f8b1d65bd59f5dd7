"""A name that becomes another one: at its declaration, and wherever it is meant; what is called the same elsewhere stays."""

from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any

from jovial_scaffold.core.authoring import renaming_elsewhere
from jovial_scaffold.core.authoring.expected import addresses_follow, parameter_follows
from jovial_scaffold.core.authoring.following import follow
from jovial_scaffold.core.authoring.likeness import Place, is_new_to, is_same_but_for
from jovial_scaffold.core.authoring.naming import check_name, check_new, taken
from jovial_scaffold.core.authoring.promises import after, broken, stays
from jovial_scaffold.core.authoring.settings import Done
from jovial_scaffold.core.expressions.syntax import Call, Name, Node, Select, nodes
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.model import Resource, Template
from jovial_scaffold.core.templates.names import all_formulas, readings
from jovial_scaffold.core.text.edits import Change, Edit
from jovial_scaffold.core.text.script import Script, Unplaced
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.words import listed, nearest, say


def rename(project: Project, old: str, new: str, inside: str = "") -> tuple[Change, list[Done]]:
    """Rename what the project's template calls `old`, or a module does that is `inside` a file; an output is `outputs.NAME`. What no expression
    reads is renamed by `renaming_elsewhere`. Raises ProjectError."""
    elsewhere = None if inside else renaming_elsewhere.kind_of(project, old)
    if elsewhere is not None:
        return elsewhere(project, old, new)
    renaming = planned(project, old, new, inside)
    change, done = renaming.change, renaming.done
    if renaming.is_plain and _is_shown(project, renaming):
        return change, done
    then = follow(project, change, renaming.old, new, done)
    for was, becomes in zip(project.views(project.environments), then.views(project.environments), strict=True):
        stays(was.environment, was, becomes, renaming.moved(was), renaming.names)
    return change, done


def _is_shown(project: Project, renaming: "Renaming") -> bool:
    """Whether the files show that all stays as it is but for the name, what is wrong with it, too. What rules say of it, which may compare
    addresses and read parameters in ways of their own, is looked at."""
    then = after(project, renaming.change)
    if not is_same_but_for(project, then, renaming.change, renaming.old, renaming.new, renaming.meant):
        return False
    return not project.rulesets or not (found := _errors(then)) or not found - _errors(project)


def _errors(project: Project) -> Counter[str]:
    found = project.check(environments_only=True).findings
    return Counter(each.id for each in found if each.level == "error")


def planned(project: Project, old: str, new: str, inside: str = "") -> "Renaming":
    """What changes with a name that expressions read, as far as it can be read off the files. Raises ProjectError."""
    template = _template(project, inside)
    kind, declared = _declared(template, old)
    renaming = Renaming(project, template, kind, declared, old.removeprefix("outputs."), new)
    if kind == "output":
        check_name(new)
        if new in template.outputs:
            raise taken(say("The template has an output `{}` already.", new))
    else:
        check_new(template, new)
    for environment in project.environments:
        project.parameters_of(environment)  # reads all files
    renaming.is_plain = renaming.is_own and kind not in ("output", "document") and is_new_to(project, new)
    renaming.declaration()
    if kind == "function":
        renaming.calls()
    elif kind != "output":
        renaming.uses()
    if kind == "parameter":
        if renaming.is_own:
            renaming.parameter_files()
        else:
            renaming.callers()
        renaming.examples()
    if kind == "resource" and renaming.is_own:
        renaming.done += addresses_follow(project, {old: new}, renaming.change)
    if kind == "parameter" and renaming.is_own:
        renaming.done += parameter_follows(project, old, new, renaming.change)
    if kind in ("parameter", "output") and renaming.is_own:
        renaming.rules("parameters" if kind == "parameter" else "outputs")
    return renaming


def _template(project: Project, inside: str) -> Template:
    """The template of a module, by its file or its name in the project; that of the project where nothing is named. Raises ProjectError."""
    if not inside:
        return project.template
    found = module_of(project, inside)
    if found is None:
        known = [*project.project_file.modules, *(each.label for each in project.modules)]
        hint = nearest(inside, known, say("Its modules are {}.", listed(known)) if known else say("It uses none."))
        raise ProjectError([Finding("name-unknown", "error", say("The project uses no module `{}`.", inside), None, hint)])
    return found


def module_of(project: Project, name: str) -> Template | None:
    """The template of a module that a project uses, by its file from the project or its workspace, or as it is named where it is used."""
    for template in project.templates:
        for resource in template.resources.values():
            module = resource.module
            if module is not None and name in (resource.type_text, module.label, module.label.lstrip("./"), f"./{module.label}"):
                return module.template
    return None


def _declared(template: Template, old: str) -> tuple[str, Origin]:
    """What a name is, and where it is declared. Raises ProjectError."""
    if old.startswith("outputs."):
        found = template.outputs.get(old.removeprefix("outputs."))
        if found is not None:
            return "output", found.value.origin
    sections: tuple[tuple[str, Any], ...] = (
        ("parameter", template.parameters),
        ("value", template.values),
        ("resource", template.resources),
        ("function", template.functions),
        ("lookup", template.lookups),
        ("document", template.documents),
    )
    for kind, section in sections:
        if old in section:
            return kind, section[old].origin
    known = [*template.names, *template.functions, *(f"outputs.{name}" for name in template.outputs)]
    hint = nearest(
        old, known, say("Parameters, values, resources, functions, lookups and documents go by their name; outputs as outputs.NAME.")
    )
    raise ProjectError([Finding("name-unknown", "error", say("The template has nothing that is called `{}`.", old), None, hint)])


class Renaming:
    """The edits of one renaming: of a `kind` of thing, which is `declared` somewhere."""

    def __init__(self, project: Project, template: Template, kind: str, declared: Origin, old: str, new: str) -> None:
        self.project = project
        self.template = template
        self.kind = kind
        self.declared = declared
        self.old = old
        self.new = new
        self.is_own = template is project.template
        self.is_plain = False  #: whether all that there is to it can be seen in the files
        self.change = Change(project.folder)
        self.done: list[Done] = []
        self.meant: Counter[Place] = Counter()

    @property
    def names(self) -> dict[str, str]:
        """What outputs and documents of the project are called then, where that is another name."""
        return {self.old: self.new} if self.kind in ("output", "document") and self.is_own else {}

    def moved(self, was: Evaluated) -> dict[str, str]:
        """The addresses that change with the name of a resource, and what they are then."""
        found = {}
        for address in was.resources if self.kind == "resource" else ():
            if self.old not in address.split("/"):
                continue
            for scope, resource in was.scope.along(address):
                if resource.origin == self.declared:
                    head = len(scope.prefix)
                    found[address] = f"{address[:head]}{self.new}{address[head + len(self.old) :]}"
        return found

    def _count(self, file: str, how: str) -> None:
        self.done.append(Done(f"{self.old} → {self.new}", file, how))

    def _used(self, uses: Iterable[tuple[Origin, Edit]], one: str, many: str) -> None:
        """Change uses, and say how many there are in each file."""
        found = dict.fromkeys(uses)  # what `everywhere` gives is read for each resource
        self.change.add(edit for _, edit in found)
        self.meant.update((origin.source.name, origin.pointer) for origin, _ in found)
        for file, count in Counter(edit.file for _, edit in found).items():
            self._count(file, f"{count} {one if count == 1 else many}")

    def _within(self, origin: Origin, start: int, end: int) -> tuple[Origin, Edit]:
        """The new name for some characters of a text."""
        offsets = origin.source.inner_offsets(origin.pointer, start, end)
        if offsets is None:
            raise broken(say("A use of `{}` in {} has no place that could be changed.", self.old, origin.source.name))
        return origin, Edit(origin.source.name, *offsets, self.new)

    def declaration(self) -> None:
        """The key that declares it; a resource remembers what it was called."""
        source, pointer = self.declared
        script = Script(source)
        if self.kind == "output":  # of a map with a value, its key is one above
            pointer = next((pointer[:depth] for depth in range(len(pointer), 0, -1) if pointer[depth - 1] == self.old), pointer)
        key = str(pointer[-1])
        try:
            script.rename(pointer, self.new + key.removeprefix(self.old))
            if self.kind == "resource":
                self._formerly(script, self.template.resources[self.old], pointer)
        except Unplaced:
            raise broken(say("The declaration of `{}` has no place that could be changed.", self.old)) from None
        self.change.add(script.edits)
        self.meant[source.name, pointer] += 1
        self._count(source.name, "declaration")

    def _formerly(self, script: Script, resource: Resource, pointer: Any) -> None:
        held = resource.formerly
        if held == self.new:  # on the way back nothing is to be remembered
            script.remove((*pointer, "$formerly"))
        elif not held and isinstance(_value(script, pointer), dict) and _value(script, pointer):
            script.insert_first(pointer, "$formerly", self.old)

    def uses(self) -> None:
        """Every expression that reads it, and `$after`."""
        self._used(self._read(), "use", "uses")

    def _read(self) -> Iterator[tuple[Origin, Edit]]:
        for origin, start, end in readings(self.template, self.old):
            yield self._within(origin, start, end)
        named = [(origin, self.new) for each in self.template.resources.values() for name, origin in each.after if name == self.old]
        for entry in self.template.renames:
            head, slash, rest = entry.new.partition("/")
            named += [(entry.origin, f"{self.new}{slash}{rest}")] if head == self.old else []
        for origin, text in named:
            script = Script(origin.source)
            script.set(origin.pointer, text)
            yield from ((origin, each) for each in script.edits)

    def calls(self) -> None:
        """Every call of a function."""
        self._used(self._called(), "call", "calls")

    def _called(self) -> Iterator[tuple[Origin, Edit]]:
        for formula, origin in all_formulas(self.template):
            for node in nodes(formula.node):
                if isinstance(node, Call) and node.function == self.old and node.target is None:
                    start = formula.offset + node.name_start
                    yield self._within(origin, start, start + len(self.old))

    def parameter_files(self) -> None:
        """The values that files give it."""
        names: dict[str, None] = {}
        for environment in self.project.environments:
            for layer in self.project.parameters_of(environment).layers:
                if layer.source is not None:
                    names[layer.source.name] = None
        for name in names:
            source = self.project.source(name)
            held = source.value if source is not None else None
            script = Script(source) if source is not None else None
            for key in held if isinstance(held, dict) and script is not None else ():
                if script is not None and (key == self.old or (script.notation == "dotenv" and key.casefold() == self.old)):
                    script.rename((key,), self.new.upper() if key.isupper() and key != self.old else self.new)
                    self.change.add(script.edits)
                    self._count(name, "value")

    def examples(self) -> None:
        """The examples of conditions over parameters, which name them."""
        requirements = [*self.template.must, *(must for each in self.template.parameters.values() for must in each.must)]
        for requirement in requirements:
            self._examples((*requirement.passes, *requirement.fails))

    def _examples(self, examples: Iterable[tuple[dict[str, Any], Origin]]) -> None:
        for example, origin in examples:
            if self.old in example:
                script = Script(origin.source)
                script.rename((*origin.pointer, self.old), self.new)
                self.change.add(script.edits)
                self.meant[origin.source.name, (*origin.pointer, self.old)] += 1
                self._count(origin.source.name, "example")

    def callers(self) -> None:
        """What is handed to a parameter of a module, wherever it is used."""
        for template in self.project.templates:
            for resource in template.resources.values():
                held = _value(Script(resource.origin.source), resource.origin.pointer) if resource.module is not None else None
                if (
                    resource.module is not None
                    and resource.module.template is self.template
                    and isinstance(held, dict)
                    and self.old in held
                ):
                    script = Script(resource.origin.source)
                    script.rename((*resource.origin.pointer, self.old), self.new)
                    self.change.add(script.edits)
                    self._count(resource.origin.source.name, f"handed to {resource.name}")

    def rules(self, root: str) -> None:
        """What rules read of parameters, or of outputs: `self` is what they are over."""
        for ruleset in self.project.rulesets:
            for rule in ruleset.rules:
                roots = (root, "self") if rule.over == root else (root,)
                self._examples((*rule.passes, *rule.fails) if rule.over == root else ())
                for part in (rule.where, rule.require, rule.message, rule.fix):
                    for formula, origin, _ in formulas_of(part):
                        for node in nodes(formula.node):
                            if isinstance(node, Select) and node.field == self.old and _is_root(node.operand, roots):
                                self._field(node, formula.offset, origin, rule.name)

    def _field(self, node: Select, offset: int, origin: Origin, rule: str) -> None:
        start = offset + node.field_start
        offsets = origin.source.inner_offsets(origin.pointer, start, start + len(self.old))
        if offsets is not None:
            self.change.add([Edit(origin.source.name, *offsets, self.new)])
            self._count(origin.source.name, f"rule {rule}")


def _is_root(node: Node, roots: tuple[str, ...]) -> bool:
    """Whether something is read of the map of parameters, or of outputs: of an environment's own, or of one of a pair."""
    return (isinstance(node, Name) and node.name in roots) or (isinstance(node, Select) and node.field == roots[0])


def _value(script: Script, pointer: Any) -> Any:
    value: Any = script.source.value
    for step in pointer:
        value = value[step]
    return value
