"""Nodes of chains inside of modules, of which uses that are written alike have all in common but digits and values: the page makes them of that."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.shapes import Text, texts_of
from jovial_scaffold.core.templates.compiling import shown_text
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic, ResourceShape, Template
from jovial_scaffold.core.text.source import value_at
from jovial_scaffold.reports.chains import Chains, cut_text
from jovial_scaffold.reports.weaving import Pieces, Slots, pieces_of
from jovial_scaffold.reports.wording import Wordings, room_of

_INSIDE, _ABOVE = 0, 1  # where a node reads a name: in the module, or where it is used


class _Form(NamedTuple):
    """What a node has in common with those of the same name in other uses, by its number: where it reads which names, and whether it is secret."""

    number: int
    reads: list[tuple[int, str]]
    is_secret: bool


class _Alike(NamedTuple):
    """Uses that are written alike: what stands in their file, with the digits of each, which of these the page needs, and the forms of nodes, by the
    name; None for a name of which uses have not enough in common. `woven` is None where there is one use that is written, for all of them."""

    woven: Any
    slots: Slots
    forms: dict[str, _Form | None]


class _Use(NamedTuple):
    """A use, by its number; `told` is what the page has of it but for its digits: the prefixes of what is in it and around it, and the line where it
    begins."""

    number: int
    alike: _Alike
    digits: tuple[str, ...]
    told: tuple[str, str, int]


class WovenChains(Chains):
    """Chains with such nodes, as [form, use, values by the number of the environment]."""

    def __init__(self, renderings: Sequence[Evaluated]) -> None:
        super().__init__(renderings)
        self._uses: dict[str, _Use | None] = {}  # by their prefix
        self._numbered: list[_Use] = []
        self._alike: dict[tuple[Any, ...], _Alike] = {}
        self._wordings = Wordings()
        self._given: dict[ResourceShape, dict[str, Text | int]] = {}
        #: [name, kind, pieces of what is written, a place or [a file, lines below the use], [where, which name is read]] of each
        self.forms: list[list[Any]] = []

    @property
    def uses(self) -> list[list[Any]]:
        """[prefix, the prefix around it, line, digits] of each use."""
        return [[*each.told, [each.digits[number] for number in each.alike.slots.numbers]] for each in self._numbered]

    def add(self, key: str, name: str, scope: Surroundings) -> bool:
        """Make a node, as far as possible of what uses have in common."""
        use = self._use_of(scope) if scope.use is not None else None
        if use is None:
            return super().add(key, name, scope)
        forms = use.alike.forms
        if name not in forms:
            forms[name] = None  # as long as it is looked at: it may lead to itself
            forms[name] = self._form_of(name, scope, use)
        form = forms[name]
        if form is None:
            return super().add(key, name, scope)
        self.nodes[key] = [form.number, use.number, self.values(name, scope, form.is_secret)]
        for where, each in form.reads:
            self.node_of(each, scope if where == _INSIDE else _above(scope), None)
        return True

    def _use_of(self, scope: Surroundings) -> _Use | None:
        """The use that a module's scope belongs to; None where nothing of it is known to be as in others."""
        prefix = scope.prefix
        if prefix not in self._uses:
            assert scope.use is not None
            use, found = None, self._found_alike(scope.use, scope.template)
            if found is not None:
                alike, digits = found
                source, pointer = scope.use.resource.origin
                line = source.key_line(pointer) if alike.woven is not None else 0
                use = _Use(len(self._numbered), alike, digits, (prefix, scope.use.scope.prefix, line))
                self._numbered.append(use)
            self._uses[prefix] = use
        return self._uses[prefix]

    def _found_alike(self, use: Instance, template: Template) -> tuple[_Alike, tuple[str, ...]] | None:
        resource = use.resource
        source, pointer = resource.origin
        if resource.loop is not None or use.scope.use is not None:  # it is written once for all of them
            return self._alike.setdefault((resource, template), _Alike(None, Slots(), {})), ()
        if source.meant or source.conceals(pointer) or not resource.shape.is_plain:
            return None
        found = self._wordings.alike(resource, self.content_of)
        if found is None:
            return None
        common, digits = found
        key = (resource.shape, template, source, common)
        if key not in self._alike:
            self._alike[key] = _Alike(common.woven, Slots(room_of(common)), {})
        return self._alike[key], digits

    def _form_of(self, name: str, scope: Surroundings, use: _Use) -> _Form | None:
        """That of a name's nodes; None where others may differ in more than digits and values."""
        made = self.made(name, scope.template, scope)
        assert scope.use is not None
        if made is None or made[0]["kind"] not in ("parameter", "value", "lookup"):
            return None
        entry, parts = made
        reads: list[tuple[int, str]] = []
        for part, where in parts:
            names = self.names_in(part)
            if names is None:
                return None
            reads += [(_INSIDE if where is scope else _ABOVE, each) for each in names if self.node_of(each, where, None)]
        written: Pieces = [entry["written"]]
        place: str | list[Any] = entry["place"]
        handed = scope.use.resource.properties.entry(name) if name in scope.template.parameters else None
        if handed is not None and use.alike.woven is not None:
            pieces = self._pieces_of(name, handed, scope.use, use)
            if pieces is None:
                return None
            source, pointer = handed.origin
            written, place = pieces, [source.name, source.key_line(pointer) - use.told[2]]
        self.forms.append([name, entry["kind"], written, place, list(dict.fromkeys(reads))])
        return _Form(len(self.forms) - 1, reads, name in scope.template.secret_names)

    def _pieces_of(self, name: str, handed: Compiled, instance: Instance, use: _Use) -> Pieces | None:
        """What is written where something is handed in, with the digits of each use; None where that is not all that is there."""
        (source, above), (own, at) = instance.resource.origin, handed.origin
        shape = instance.resource.shape
        if shape not in self._given:
            self._given[shape] = texts_of(shape)
        text = self._given[shape].get(name)
        if own is not source or at[: len(above)] != above or not isinstance(handed, Constant | Dynamic) or text is None:
            return None
        if isinstance(text, Text) and not all(isinstance(each, str) for each in text.reads):
            return None  # each reads another name
        pieces = pieces_of(value_at(use.alike.woven, at[len(above) :]), use.alike.slots)
        if pieces is None:
            return None
        numbers = use.alike.slots.numbers
        told = "".join(each if isinstance(each, str) else use.digits[numbers[each]] for each in pieces)
        return pieces if told == cut_text(shown_text(handed)) else None


def _above(scope: Surroundings) -> Surroundings:
    assert scope.use is not None
    return scope.use.scope
