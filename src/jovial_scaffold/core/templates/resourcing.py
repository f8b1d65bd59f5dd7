"""The section `resources`, uses of modules among them, and `everywhere`, whose properties are put into the resources that know them."""

import re
from contextlib import suppress
from typing import Any

from jovial_scaffold.core.expressions.errors import SyntaxProblem
from jovial_scaffold.core.expressions.syntax import Node
from jovial_scaffold.core.findings import Related
from jovial_scaffold.core.records import at_once, replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.schemas.catalog import Catalogs, ResourceType
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import Shape, secret_pointers, secret_texts
from jovial_scaffold.core.spelling import near
from jovial_scaffold.core.templates.casting import Castings
from jovial_scaffold.core.templates.compiling import is_name, overlaid, taken_for
from jovial_scaffold.core.templates.declaring import DeclarationReader
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic, Everywhere, Head, MapValue, Module, Resource
from jovial_scaffold.core.templates.reaching import WHOLE, Reached, Reaching
from jovial_scaffold.core.templates.renaming import ADDRESS
from jovial_scaffold.core.templates.shapes import ResourceShapes
from jovial_scaffold.core.text.moulds import Mould
from jovial_scaffold.core.text.source import Origin, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Described, Sentence, listed, nearest, say

_BARE_EXPRESSION = regex(r"\$\{[^'\"}]*\}\Z")
_RESOURCE = regex(r"\s*(?P<name>[^\s()]+)\s*\(\s*(?P<type>[^()]*?)\s*\)\s*\Z")
DIRECTIVES = ("$per", "$when", "$key", "$after", "$keep", "$formerly")


class ResourceReader(DeclarationReader):
    """Reads resources; their types come from the catalogs, or are modules."""

    catalogs: Catalogs
    shapes: ResourceShapes
    castings: Castings
    lost_resources: bool  #: whether a resource could not be read
    reaching: Reaching
    secret_reads: dict[Reached, None]  #: names, with what of their values stands at secret properties
    secret_moulds: dict[tuple[str, Mould], bool]  #: of types and moulds, whether there is something to hide in what is cast

    def resource_names(self) -> set[str]:
        """What resources are called, as far as their keys say so: expressions that differ in those are read as one."""
        sections = [source.value.get("resources") for source in self.sources]
        matches = [_RESOURCE.match(key) for section in sections if isinstance(section, dict) for key in section]
        return {match["name"] for match in matches if match is not None}

    def resource(self, key: str, content: Any, origin: Origin) -> Resource | None:
        """One entry of `resources`: `name (type)`."""
        match = _RESOURCE.match(key)
        if match is None:
            self.without_type(key, content, origin)
            return None
        name, type_text = match["name"], match["type"]
        if not self.name(name, origin):
            self.lose(content)
            return None
        if content is None:
            content = {}
        if content is not UNKNOWN and not isinstance(content, dict):
            self.report(
                "resource-shape", say("A resource is a map of properties, and this is {}.", Described(content)), origin.value_span()
            )
            content = UNKNOWN
        if isinstance(content, dict) and "<<" in content and not origin.source.name.endswith(".json"):
            self.lost_expression(str(content))
            content = UNKNOWN  # what it should have been merged with is not known, and was said
        known = isinstance(content, dict)
        module = kind = None
        if known:
            module, kind = self.resource_type(type_text, origin)
        cast = origin.source.outline.casts.get(origin.pointer) if module is None else None
        head = (name, type_text, kind, module, origin)
        made = self.castings.resource(cast, content, head) if cast is not None and known else None
        if kind is not None and (cast is None or made is None or self.has_secrets(kind, cast[0], content)):
            self.hide_secrets(kind.secret_shape, content, origin, origin)
        for each, shapes in module.template.secret_parts.items() if module is not None else ():
            for shape in shapes if each in content else ():
                self.hide_secrets(shape, content[each], origin.child(each), origin)
        if made is None:
            said = len(self.findings)
            made = self.compiled(content if known else {}, head)
            if cast is not None and said == len(self.findings):
                self.castings.learn(cast, content, made)
        return made

    def compiled(self, content: dict[str, Any], head: Head) -> Resource:
        """A resource with what stands in it."""
        origin = head[-1]
        strange = [each for each in content if each[:1] == "$" and each[:2] != "$$" and each not in DIRECTIVES and each != "$schema"]
        for each in strange:
            hint = nearest(each, DIRECTIVES, say("A property that begins with a dollar sign is written ${}.", each))
            self.report(
                "directive-unknown", say("The directive `{}` has no meaning on a resource.", each), origin.child(each).key_span(), hint
            )
        if strange:
            content = taken_for(content, origin, DIRECTIVES, strange)
        directives = {key: value for key, value in content.items() if key in DIRECTIVES}
        plain = {key: value for key, value in content.items() if key not in DIRECTIVES and key not in strange}
        value = self.map(plain, origin, in_list=False)
        if isinstance(value, Constant):
            value = MapValue(tuple((k, Constant(v, origin.child(k if k in plain else f"${k}"))) for k, v in value.value.items()), origin)
        assert isinstance(value, MapValue)
        loop = self.loop(directives["$per"], origin.child("$per")) if "$per" in directives else None
        return Resource(
            *head,
            at_once(value),
            loop,
            self.condition(directives["$when"], origin.child("$when")) if "$when" in directives else None,
            self.key(directives, origin),
            self.after(directives.get("$after"), origin.child("$after")),
            self.condition(directives["$keep"], origin.child("$keep")) if "$keep" in directives else None,
            self.formerly(directives.get("$formerly", ""), origin.child("$formerly")),
            *self.shapes.of(value, loop.variables if loop is not None else ()),
        )

    def has_secrets(self, kind: ResourceType, mould: Mould, content: Any) -> bool:
        """Whether resources of a type that are cast from a mould have secret properties of which something is to be hidden or noted that
        was not with the one that was compiled: all of them, or none."""
        if (kind.id, mould) not in self.secret_moulds:
            written = [value_at(mould.woven, pointer) for pointer in secret_pointers(kind.secret_shape, content)]
            written += [value_at(mould.woven, pointer) for pointer, _ in secret_texts(kind.secret_shape, content)]
            self.secret_moulds[kind.id, mould] = not all(isinstance(each, str) and _BARE_EXPRESSION.match(each) for each in written)
        return self.secret_moulds[kind.id, mould]

    def without_type(self, key: str, content: Any, origin: Origin) -> None:
        """Report an entry that names no type: a group, or a mistake."""
        if isinstance(content, dict) and "resources" in content:
            hint = say("Write its resources one by one, or make it a module.")
            self.later(say("A group of resources"), origin.key_span(), hint, {key: content})
            return
        bare_name = key.strip() if is_name(key.strip()) else "gates"
        message = say("`{}` does not name a resource and its type.", key)
        given = content.get("type") if isinstance(content, dict) else None
        if isinstance(given, str) and (self.catalogs.find(given) or self.library.is_module(given)):
            hint = say("Its type stands behind its name, and its properties below that: {} ({}):", bare_name, given)
        else:
            keys = set(content) if isinstance(content, dict) else set()
            likely = max(self.catalogs, key=lambda each: _likeness(keys, each), default=None)
            hint = say("For example: {} ({}):", bare_name, likely.name if likely is not None else "fulmar.machine")
        self.report("resource-shape", message, origin.key_span(), hint)
        self.unknown_names.update(re.findall(r"[a-z][a-z0-9_]*", key)[:1])
        self.lose(content)

    def lose(self, content: Any) -> None:
        """A resource that is not read: what it names, and what it may have been, is not judged."""
        self.lost_expression(str(content))
        self.lost_resources = True

    def resource_type(self, text: str, origin: Origin) -> tuple[Module | None, ResourceType | None]:
        """What stands between the parentheses: a module and its interface, or a type of a catalog."""
        if self.library.is_module(text):
            module = self.library.module(text, lambda: origin.source.span(*_type_offsets(origin, text)), origin)
            return module, module.interface if module else None
        found = self.catalogs.find(text)
        if found is None and not self.catalogs.types_unknown:
            span = origin.source.span(*_type_offsets(origin, text))
            self.report("type-unknown", say("No catalog knows the type `{}`.", text), span, self.library_advice(text))
        elif found is not None and found.schema.get("deprecated") is True:
            span = origin.source.span(*_type_offsets(origin, text))
            newest = self.catalogs.newest(found)
            hint = say("{} is the newest version.", newest.id) if newest is not found else say("Its catalog says what to take instead.")
            self.report("type-deprecated", say("The type {} is deprecated.", found.id), span, hint, "warning")
        return None, found

    def hide_secrets(self, shape: Shape | None, content: Any, origin: Origin, resource: Origin) -> None:
        """What stands at a secret place of a resource, or of a property of it, is shown in no line of the file, unless it is one expression
        without literals."""
        for pointer in secret_pointers(shape, content):
            self.hide_secret(value_at(content, pointer), origin.child(*pointer), resource)
        for pointer, inner in secret_texts(shape, content):
            self.follow(value_at(content, pointer), inner, origin.child(*pointer), resource)

    def hide_secret(self, value: Any, origin: Origin, resource: Origin) -> None:
        """The same of one value; what it reads is noted, for that stands there, too."""
        if not (isinstance(value, str) and _BARE_EXPRESSION.match(value)):
            origin.source.hide(origin.pointer)
        for item in value.values() if isinstance(value, dict) else value if isinstance(value, list) else (value,):
            if isinstance(item, dict | list):
                self.hide_secret(item, origin, resource)
            elif isinstance(item, str):
                self.follow(item, WHOLE, origin, resource)

    def follow(self, text: str, shape: Shape, origin: Origin, resource: Origin) -> None:
        """Note what a text reads for its secret places, through what a loop of its resource goes over; what is written out for them is shown in
        no line."""
        if "${" not in text:
            return
        with suppress(SyntaxProblem):  # which is said where the text is compiled
            content = self.programs.text(text)
            formulas = Dynamic(content, origin).formulas() if not isinstance(content, str) else ()
            waiting = [(each.node, shape, origin, True) for each in formulas]
            for node, inner, place, sees_loop in waiting:
                for name, read in self.reaching.of(node, inner):
                    over = self.over(resource, name, read) if sees_loop else None
                    if not name:
                        place.source.hide(place.pointer)
                    elif over is not None:
                        waiting.append((*over, False))
                    else:
                        self.secret_reads[name, read] = None

    def over(self, resource: Origin, name: str, read: Shape) -> tuple[Node, Shape, Origin] | None:
        """What a variable of a resource's loop goes over, with what is read of that, and where it stands."""
        loop = value_at(resource.source.value, (*resource.pointer, "$per"), None)
        for names, text in loop.items() if isinstance(loop, dict) else ():
            if name in map(str.strip, names.split(",")) and isinstance(text, str):
                return self.programs.bare(text).node, self.reaching.of_any(read), resource.child("$per", names)
        return None

    def library_advice(self, text: str) -> Sentence:
        """What to write instead of a type that nobody knows."""
        modules = getattr(self.library, "names", ())
        close = near(text, modules)
        return say("Did you mean the module `{}`?", close) if close else self.catalogs.advice(text)

    def key(self, directives: dict[str, Any], origin: Origin) -> Any:
        """`$key`."""
        if "$key" not in directives:
            return None
        if "$per" not in directives:
            self.report("directive-unknown", say("`$key` has no meaning without `$per`."), origin.child("$key").key_span())
        return self.condition(directives["$key"], origin.child("$key"))

    def formerly(self, content: Any, origin: Origin) -> str:
        """`$formerly`."""
        if content == "" or content is UNKNOWN:
            return ""
        if not isinstance(content, str) or not ADDRESS.match(content):
            given = Described(content)
            self.report(
                "resource-shape",
                say("`$formerly` is the old address, and this is {}.", given),
                origin.value_span(),
                say("For example: $formerly: gate_pool"),
            )
            return ""
        return content

    def after(self, content: Any, origin: Origin) -> tuple[tuple[str, Origin], ...]:
        """`$after`."""
        if content is None or content is UNKNOWN:
            return ()
        if isinstance(content, str):
            return ((content, origin),)
        if isinstance(content, list) and all(isinstance(item, str) for item in content):
            return tuple((item, origin.child(index)) for index, item in enumerate(content))
        message = say("`$after` is a list of names of resources, and this is {}.", Described(content))
        self.report("resource-shape", message, origin.value_span())
        return ()

    # -- everywhere

    def everywhere(self) -> list[Everywhere]:
        """The entries of `everywhere`, the least particular pattern first: later ones are merged over it."""
        found: dict[str, Everywhere] = {}
        for key, content, origin in self.section("everywhere"):
            if content is UNKNOWN:
                continue
            if not isinstance(content, dict):
                message = say("An entry of `everywhere` is a map of properties, and this is {}.", Described(content))
                self.report("template-shape", message, origin.value_span(), say('For example: "fulmar.*": {tags: "${tags}"}'))
                continue
            if key in found:
                related = (Related(found[key].origin.key_span(), say("The first one is here.")),)
                message = say("The pattern `{}` stands in two files of this template.", key)
                self.report("name-declared-twice", message, origin.key_span(), say("Put them together."), related=related)
                continue
            for kind in self.catalogs:
                if kind.fits(key):
                    self.hide_secrets(kind.secret_shape, content, origin, origin)
            value = self.map(content, origin, in_list=False)
            if isinstance(value, Constant):
                value = MapValue(tuple((k, Constant(v, origin.child(k))) for k, v in value.value.items()), origin)
            if isinstance(value, MapValue):
                if value.when is not None:
                    message = say("`$when` has no meaning in `everywhere`.")
                    self.report("directive-unknown", message, value.when.origin.key_span(), say("Write it on the resources."))
                found[key] = Everywhere(key, value.entries, origin)
        # More letters of its own make a pattern more particular; the order of keys in the file does not matter.
        return sorted(found.values(), key=lambda each: (len(each.pattern.replace("*", "").replace("?", "")), each.pattern))

    def with_everywhere(self, resources: dict[str, Resource], everywhere: list[Everywhere]) -> dict[str, Resource]:
        """The resources with the properties of fitting entries below their own; entries and properties that fit none are reported."""
        if not everywhere:
            return resources
        known: dict[tuple[str, str], bool] = {}
        result = {}
        for name, resource in resources.items():
            kind = resource.type
            if kind is None or resource.module is not None:
                result[name] = resource
                continue
            below: dict[str, Compiled] = {}
            for entry in everywhere:
                if not kind.fits(entry.pattern):
                    continue
                known.setdefault((entry.pattern, ""), True)
                for key, value in entry.properties:
                    if key not in kind.schema.get("properties", {}) and not subschema(kind.schema, (key,)):
                        known.setdefault((entry.pattern, key), False)
                        continue
                    known[entry.pattern, key] = True
                    _merge(below, key, value)
            properties = dict(below)
            for key, value in resource.properties.entries:
                if key in below:
                    _merge(properties, key, value)
                else:
                    properties[key] = value
            merged = MapValue(tuple(properties.items()), resource.properties.origin)
            shape, constants = self.shapes.of(merged, resource.variables)
            result[name] = replace(resource, written=at_once(merged), shape=shape, constants=constants)
        self._report_unfitting(everywhere, known, resources)
        return result

    def _report_unfitting(self, everywhere: list[Everywhere], known: dict[tuple[str, str], bool], resources: dict[str, Resource]) -> None:
        if self.lost_resources or any(resource.type is None for resource in resources.values()):
            return
        types = sorted({resource.type.name for resource in resources.values() if resource.type and not resource.module})
        for entry in everywhere:
            if (entry.pattern, "") not in known:
                hint = say("The types here are {}.", listed(types[:10])) if types else say("The template has no resources.")
                message = say("No resource of this template has a type that fits `{}`.", entry.pattern)
                self.report("everywhere-unused", message, entry.origin.key_span(), hint, "warning")
            for key, _ in entry.properties:
                if known.get((entry.pattern, key)) is False:
                    message = say("No type that fits `{}` has a property `{}`.", entry.pattern, key)
                    fitting = [each for each in self.catalogs if each.fits(entry.pattern)]
                    hint = nearest(key, {name for each in fitting for name in each.schema.get("properties", {})})
                    self.report("property-unknown", message, entry.origin.child(key).key_span(), hint)


def _merge(properties: dict[str, Compiled], key: str, value: Compiled) -> None:
    """Put a value over what is there."""
    merged = overlaid(properties[key], value) if key in properties else value
    properties.pop(key, None)
    if merged is not None:
        properties[key] = merged


def _likeness(keys: set[str], kind: ResourceType) -> tuple[int, int]:
    """How many keys a type knows, and how few that it requires are not among them."""
    return len(keys.intersection(kind.schema.get("properties", ()))), -len(set(kind.schema.get("required", ())) - keys)


def _type_offsets(origin: Origin, type_text: str) -> tuple[int, int]:
    place = origin.source.place(origin.pointer)
    written = origin.source.text[place.key_start : place.key_end]
    opening = written.find("(")
    start = place.key_start + max(written.find(type_text, opening + 1), 0)
    return start, start + max(len(type_text), 1)
