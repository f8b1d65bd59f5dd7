"""Secrets that stand in a template in clear text: texts at secret places, and expressions there that are made of nothing that is secret."""

from collections.abc import Iterator, Sequence

from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.syntax import Call, Literal, nodes
from jovial_scaffold.core.findings import Finding, Level
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import Shape, secret_pointers, secret_shape
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic, ListValue, Loop, MapValue, Template, parts_of
from jovial_scaffold.core.templates.reaching import flowing
from jovial_scaffold.core.text.moulds import Mould
from jovial_scaffold.core.text.source import Origin, Pointer, pointer_text, value_at
from jovial_scaffold.core.words import Sentence, listed, say

_HANDED_IN = say("Hand it in by a parameter with `writeOnly: true`.")
_LEFT_OUT = say("Leave the default out: each environment says where it comes from, with `$secret`.")


def check_clear_text(template: Template) -> list[Finding]:
    """What of a template's secrets everybody can read who can read its files; what is not known to be public is not told."""
    looking = _Looking(template)
    found: dict[Origin, Finding] = {}
    sound: dict[Mould, set[str]] = {}  # by what many resources are alike, of which types nothing is to be told
    for resource in template.resources.values():
        kind = resource.type if resource.module is None else resource.module.interface
        if kind is None or kind.secret_shape is None or any(part.get("writeOnly") for part in subschema(kind.schema, ())):
            continue  # a whole that is secret is the catalog's mistake
        mould = resource.origin.source.outline.casts.get(resource.origin.pointer, (None,))[0]
        if mould is not None and kind.id in sound.get(mould, ()):
            continue
        looking.loop = resource.loop
        told = dict(looking.at(kind.secret_shape, resource.properties, f"{resource.name}:", (), _HANDED_IN))
        for origin, finding in told.items():
            found.setdefault(origin, finding)  # what `everywhere` gives is told once
        if mould is not None and not told and _is_same_in_all(mould, kind.secret_shape):
            sound.setdefault(mould, set()).add(kind.id)
    looking.loop = None
    for declaration in template.parameters.values():
        shape = secret_shape(declaration.schema)
        if shape is not None and declaration.default is not None:
            found.update(looking.at(shape, declaration.default, "", (declaration.name,), _LEFT_OUT))
    return list(found.values())


def _is_same_in_all(mould: Mould, shape: Shape) -> bool:
    """Whether all that is cast from a mould has the same at its secret places."""
    return all(isinstance(value_at(mould.woven, pointer), str) for pointer in secret_pointers(shape, mould.woven))


class _Looking:
    """Looks at the secret places of one template."""

    def __init__(self, template: Template) -> None:
        self._template = template
        self.loop: Loop | None = None  #: of the resource that is looked at

    def at(self, shape: Shape | None, compiled: Compiled, head: str, at: Pointer, hint: Sentence) -> Iterator[tuple[Origin, Finding]]:
        """What stands in clear text in a value that is secret where its shape says so, with where it is written."""
        if shape is None or not shape.marks:
            return
        if shape.write_only:
            yield from self._in_secret(compiled, f"{head}{pointer_text(at)}", hint)
        elif isinstance(compiled, Constant):
            for pointer in secret_pointers(shape, compiled.value):
                inside = Constant(value_at(compiled.value, pointer), compiled.origin.child(*pointer))
                yield from self._in_secret(inside, f"{head}{pointer_text((*at, *pointer))}", hint)
        elif isinstance(compiled, MapValue):
            for name, entry in compiled.entries:
                yield from self.at(shape.of(name), entry, head, (*at, name), hint)
        elif isinstance(compiled, ListValue):
            for index, item in enumerate(compiled.items):
                yield from self.at(shape.item(index), item, head, (*at, index), hint)
        else:
            for _, part in parts_of(compiled):
                yield from self.at(shape, part, head, at, hint)

    def _in_secret(self, compiled: Compiled, label: str, hint: Sentence) -> Iterator[tuple[Origin, Finding]]:
        """The same of a value that is secret as a whole."""
        if isinstance(compiled, Constant):
            if _holds_text(compiled.value):
                message = say("The secret `{}` stands here in clear text.", label)
                yield compiled.origin, Finding("secret-in-clear", "warning", message, compiled.origin.value_span(), hint)
        elif isinstance(compiled, Dynamic):
            public = self._public(compiled)
            if public is not None:
                message = say("The secret `{}` is made of nothing that is secret.", label)
                if public:
                    declared = listed([f"`{each}`" for each in public])
                    hint = say("Declare {} with `writeOnly: true`: what is handed in is secret then.", declared)
                level: Level = "note" if public else "warning"  # who it is that may log in, or where, may be no secret
                yield compiled.origin, Finding("secret-in-clear", level, message, compiled.origin.value_span(), hint)
        for _, part in parts_of(compiled):
            yield from self._in_secret(part, label, hint)

    def _public(self, dynamic: Dynamic) -> Sequence[str] | None:
        """The parameters that a text is made of, where it is one, and all that it is made of stands in clear text; None where that is not known."""
        template, seen = self._template, set[str]()
        waiting = [each.node for each in dynamic.formulas()]
        texts = isinstance(dynamic.content, Joined)
        public: list[str] = []
        while waiting:
            node = waiting.pop()
            texts = texts or any(isinstance(each, Literal) and isinstance(each.value, str) and each.value for each in nodes(node))
            called = {each.function for each in nodes(node) if isinstance(each, Call)}
            for name in flowing(node):
                if name in seen:
                    continue
                seen.add(name)
                if name in template.parameters:
                    schema = template.parameters[name].schema
                    if secret_shape(schema) is not None:
                        return None
                    public.append(name)
                elif name in template.functions:
                    body = template.functions[name]
                    seen.update(body.takes)  # what is handed to it was seen where it is called
                    waiting += [body.body.content.node] if isinstance(body.body.content, Formula) else []
                elif name in template.values:
                    parts = list(_dynamic(template.values[name].value))
                    texts = texts or any(isinstance(part, Constant) and _holds_text(part.value) for part in parts)
                    waiting += [each.node for part in parts if isinstance(part, Dynamic) for each in part.formulas()]
                elif self.loop is not None and name in self.loop.variables:
                    over = self.loop.over.content
                    texts = texts or (isinstance(over, Constant) and _holds_text(over.value))
                    waiting += [over.node] if isinstance(over, Formula) else []
                elif name in template.lookups or name == "context":
                    texts = True
                elif name not in called:
                    return None  # of a resource, or of a variable
        return sorted(public) if public or texts else None


def _dynamic(compiled: Compiled) -> Iterator[Compiled]:
    yield compiled
    for _, part in parts_of(compiled):
        yield from _dynamic(part)


def _holds_text(value: object) -> bool:
    """Whether anything is written that somebody could read."""
    if isinstance(value, dict):
        return any(map(_holds_text, value.values()))
    if isinstance(value, list):
        return any(map(_holds_text, value))
    return isinstance(value, str) and value.strip() != ""
