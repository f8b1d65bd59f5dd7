"""What a rendering would be if some of its inputs were others, and what a value of it was computed from.

Both are answered by evaluating what is asked for, and nothing else, with the evaluator that renders: an overlay is an environment of its
own, whose parameters and context are those of the rendering but for what is changed. Defaults follow.
"""

from collections.abc import Mapping
from typing import Any, Final, NamedTuple

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.limits import TRIAL_ROUNDS
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.rendering.computing import OMITTED, Site
from jovial_scaffold.core.rendering.documents import EvaluatedDocument
from jovial_scaffold.core.rendering.environment import Environment
from jovial_scaffold.core.rendering.instances import Instance, Shared, Surroundings
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.shapes import Text
from jovial_scaffold.core.rendering.texts import computed_text
from jovial_scaffold.core.schemas.lists import Lists
from jovial_scaffold.core.schemas.shapes import with_secrets
from jovial_scaffold.core.templates.inputs import CONTEXT as CONTEXT_NAME
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, ListValue, MapValue, Resource
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import say

CONTEXT: Final = f"{CONTEXT_NAME}."
MISSING: Final = object()  #: there is no such property, output or document


def same_text(written: Dynamic) -> object:
    """What all places of a template have in common where the same text stands."""
    content = written.content
    return content.program if isinstance(content, Formula) else content


def condition_text(condition: Condition | None) -> object:
    """The same of conditions."""
    content = condition.content if condition is not None else None
    return content.program if isinstance(content, Formula) else content


class Written(NamedTuple):
    """A part of a property as it is written: one text, or a constant, and the conditions of the resource and of the items of lists around it."""

    conditions: tuple[Condition, ...]
    value: Dynamic | Constant

    @property
    def key(self) -> tuple[object, ...]:
        """What all places have in common that change together: where the same is written, or the same expression with other text around it;
        of a constant, only its conditions say whether it is there."""
        conditions = [condition_text(each) for each in self.conditions]
        if not isinstance(self.value, Dynamic):
            return (*conditions, None)
        content = self.value.content
        if isinstance(content, Joined):
            found = self.value.formulas()
            if len(found) == 1:
                return (*conditions, Joined, found[0].program)
        return (*conditions, same_text(self.value))


class Overlay:
    """A rendering under other inputs: `changes` are values by the name of a parameter, or of an entry of `context` (`context.run`).

    `meter` is what all overlays of one question may do together: where it is spent, what they give means nothing.
    """

    def __init__(self, rendering: Evaluated, changes: Mapping[str, Any], meter: Meter) -> None:
        values = {name: value for name, value in rendering.parameters.values.items() if name not in rendering.parameters.defaulted}
        context = dict(rendering.context)
        for name, value in changes.items():
            if name.startswith(CONTEXT):
                context[name.removeprefix(CONTEXT)] = value
            else:
                values[name] = value
        scope = rendering.scope
        shared = Shared(scope.shared.plans, context, lambda finding: None, deployed=scope.shared.deployed, meter=meter)
        parameters = Parameters(rendering.environment, rendering.parameters.layers, values)
        self.scope = Environment(scope.plan, shared, parameters)
        self._values: dict[object, Any] = {}
        self._conditions: dict[object, Any] = {}
        self._counterparts: dict[str, tuple[Instance, bool]] = {}
        self._last: tuple[str, str, Any] = ("", "", None)

    def instance(self, address: str) -> Instance | None:
        """What is there at an address."""
        return self.scope.instance_at(address)

    def counterpart(self, instance: Instance) -> tuple[Instance, bool]:
        """What stands here for a resource of the rendering, or for a use of a module, whatever decides that it is there; and whether a loop around
        it gives its items here, or those of the rendering had to be taken. Raises EvaluationError where there would be more than there may be."""
        if instance.address not in self._counterparts:
            above, is_own = self.counterpart(instance.scope.use) if instance.scope.use is not None else (None, True)
            scope = above.inside if above is not None else self.scope
            if not isinstance(scope, Environment):
                raise EvaluationError(say("There are too many uses of modules."))
            found = (scope.instances(instance.resource) or {}).get(instance.key)
            if found is None:
                found = scope.assumed(instance.resource, instance.key, instance.variables)
                is_own = is_own and instance.resource.loop is None
            self._counterparts[instance.address] = found, is_own
        return self._counterparts[instance.address]

    def computed(self, resource: Resource, index: int, text: Text) -> Any:
        """One of the values that the code of a single resource of the template itself computes, which is written as `text`; UNKNOWN where
        that can only be told the careful way."""
        return computed_text(self.scope, resource, index, text)

    def property(self, address: str, name: str) -> Any:
        """A written property as it would be rendered; MISSING where it, or the resource, is not there."""
        if self._last[:2] != (address, name):  # parts of one property are asked for one after the other
            self._last = (address, name, self._property(address, name))
        return self._last[2]

    def _property(self, address: str, name: str) -> Any:
        resource = self.scope.template.resources.get(address)
        if resource is not None and resource.loop is None and resource.when is None:
            compiled = resource.properties.entry(name)
            return MISSING if compiled is None else self._marked(resource, name, self.value(compiled))
        instance = self.instance(address)
        compiled = instance.resource.properties.entry(name) if instance is not None else None
        if instance is None or compiled is None:
            return MISSING
        if not instance.values and instance.inside is None and instance.scope.plan.codes.of(instance.resource.shape) is not None:
            instance.scope.properties(instance)  # all of them, which takes hardly longer than one
        return self._marked(instance.resource, name, instance.scope.property(instance, name, compiled))

    def value(self, compiled: Compiled) -> Any:
        """A value that sees no variables: of one text, it is the same wherever it stands."""
        if not isinstance(compiled, Dynamic):
            return self.scope.computer.whole(compiled, {}, Site())
        text = same_text(compiled)
        if text not in self._values:
            self._values[text] = self.scope.computer.whole(compiled, {}, Site())
        return self._values[text]

    def part(self, written: Written) -> Any:
        """A part of a property; MISSING where it is not there."""
        for condition in written.conditions:
            held = self._held(condition)
            if held is not True:
                return UNKNOWN if held is UNKNOWN else MISSING
        value = self.value(written.value)
        return MISSING if value is OMITTED else value

    def _held(self, condition: Condition) -> Any:
        known = condition_text(condition)
        if known not in self._conditions:  # the same text as a value may give something else
            self._conditions[known] = self.scope.computer.condition(condition, {}, Site())
        return self._conditions[known]

    def _marked(self, resource: Resource, name: str, value: Any) -> Any:
        if value is OMITTED:
            return MISSING
        below = resource.type.shape.properties.get(name) if resource.type is not None else None
        return with_secrets(below, value) if below is not None and below.marks else value

    def output(self, name: str) -> Any:
        """An output; MISSING where it is absent."""
        value = self.scope.output(name) if name in self.scope.template.outputs else OMITTED
        return MISSING if value is OMITTED else value

    def document(self, name: str) -> EvaluatedDocument | None:
        """A document, by its name with the uses of modules that lead to it."""
        *uses, last = name.split("/")
        scope: Surroundings = self.scope
        if uses:
            instance = self.scope.instance_at("/".join(uses))
            if instance is None or instance.inside is None:
                return None
            scope = instance.inside
        if last not in scope.template.documents:
            return None
        scope.value(last)
        found: EvaluatedDocument = scope.document(last)
        return found


def written_at(resource: Resource, label: Pointer, lists: Lists) -> Written | None:
    """How a part of a property is written, where no loop stands around it; items of lists are known by a key that is written out."""
    if resource.loop is not None:
        return None
    compiled: Compiled | None = resource.properties
    within: Pointer = ()
    conditions = [resource.when] if resource.when is not None else []
    for step in label:
        if isinstance(compiled, ListValue):
            compiled, within = _item(compiled, str(step), lists.key(within)), (*within, 0)
            if isinstance(compiled, MapValue) and compiled.when is not None:
                conditions.append(compiled.when)
        elif isinstance(compiled, MapValue) and compiled.loop is None and (compiled.when is None or compiled.when in conditions):
            compiled, within = compiled.entry(str(step)), (*within, step)
        else:
            return None
    if isinstance(compiled, Dynamic) or (isinstance(compiled, Constant) and conditions):
        return Written(tuple(conditions), compiled)
    return None


def stands_by_itself(resource: Resource, place: Pointer, lists: Lists) -> bool:
    """Whether what all resources of a shape write at a place is a part that no condition and no loop around it decides about, and all items
    of lists on the way may be known by keys that are written out: constants, so that it is the same for all of the shape."""
    compiled: Compiled | None = resource.properties
    within: Pointer = ()
    for step in place:
        if isinstance(compiled, ListValue):
            if not isinstance(step, int) or not _are_keyed(compiled, lists.key(within)):
                return False
            compiled, within = compiled.items[step], (*within, 0)
        elif isinstance(compiled, MapValue) and compiled.loop is None and compiled.when is None:
            compiled, within = compiled.entry(str(step)), (*within, step)
        else:
            return False
    return isinstance(compiled, Dynamic)


def _by_key(items: ListValue, key: str | None) -> dict[str | int, int] | None:
    """Which item has a key, where the keys of all are written out and differ."""
    found: dict[str | int, int] = {}
    for number, each in enumerate(items.items if key is not None else ()):
        held: Any = None
        if isinstance(each, Constant) and isinstance(each.value, dict):
            held = each.value.get(key)
        elif isinstance(each, MapValue) and each.loop is None:
            held = next((entry.value for its, entry in each.entries if its == key and isinstance(entry, Constant)), None)
        if not isinstance(held, str) or held in found:
            return None
        found[held] = number
    return found or None


def _are_keyed(items: ListValue, key: str | None) -> bool:
    """Whether each item of a list is a constant, or a map that writes its key out and is always there."""
    for each in items.items:
        if isinstance(each, MapValue) and each.loop is None and each.when is None:
            if not any(name == key and isinstance(entry, Constant) for name, entry in each.entries):
                return False
        elif not isinstance(each, Constant):
            return False
    return key is not None


def _item(items: ListValue, wanted: str, key: str | None) -> Compiled | None:
    """The item with a key, where the keys of all are written out and differ."""
    number = (_by_key(items, key) or {}).get(wanted)
    return items.items[number] if number is not None else None


def alone(resource: Resource, name: str) -> Program | None:
    """The one expression that a property of a resource is, where no loop and no condition stands around it."""
    if resource.loop is not None or resource.when is not None:
        return None
    compiled = resource.properties.entry(name)
    return compiled.content.program if isinstance(compiled, Dynamic) and isinstance(compiled.content, Formula) else None


def trial_meter(rendering: Evaluated) -> Meter:
    """What the trials of one question may do."""
    return rendering.scope.shared.meter.beside(TRIAL_ROUNDS.most)


class Behind:
    """The inputs that the values of one rendering may have been computed from: names of its parameters, and `context`."""

    def __init__(self, rendering: Evaluated) -> None:
        self._rendering = rendering
        self._parts: dict[object, frozenset[str]] = {}

    def property(self, address: str, name: str) -> frozenset[str]:
        """Of a property, and of the resource's being there."""
        instance = self._rendering.resources[address].instance
        return self._outside(instance.scope, instance.scope.plan.inputs.of_property(instance.resource, name))

    def value(self, address: str, name: str) -> frozenset[str]:
        """Of what a property is, wherever the resource is there."""
        instance = self._rendering.resources[address].instance
        inputs = instance.scope.plan.inputs
        found = inputs.of_value(instance.resource.properties.entry(name)) | inputs.of_items(instance.resource)
        return self._outside(instance.scope, found, is_there=True)

    def part(self, written: Written, known: tuple[object, ...]) -> frozenset[str]:
        """Of a part of a property of the template itself, by its key, which is `known`."""
        if known not in self._parts:
            inputs = self._rendering.scope.plan.inputs
            self._parts[known] = inputs.of_value(written.value).union(*map(inputs.of_value, written.conditions))
        return self._parts[known]

    def presence(self, address: str) -> frozenset[str]:
        """Of there being something at an address."""
        resource = self._rendering.scope.template.resources.get(address)
        if resource is not None:  # as most are: a resource of the template itself, as a whole
            return self._rendering.scope.plan.inputs.of_presence(resource)
        if address in self._rendering.resources:
            instance = self._rendering.resources[address].instance
            return self._outside(instance.scope, instance.scope.plan.inputs.of_presence(instance.resource))
        along = self._rendering.scope.along(address)
        return frozenset().union(*(self._outside(scope, scope.plan.inputs.of_presence(resource)) for scope, resource in along))

    def output(self, name: str) -> frozenset[str]:
        """Of an output."""
        scope = self._rendering.scope
        output = scope.template.outputs.get(name)
        return scope.plan.inputs.of_value(output.value) if output is not None else frozenset()

    def document(self, name: str) -> frozenset[str]:
        """Of a document's text and target, and of its being there."""
        document = self._rendering.documents.get(name)
        if document is None:
            return frozenset()
        return self._outside(document.scope, document.scope.plan.inputs.of_document(document.document))

    def _outside(self, scope: Surroundings, inputs: frozenset[str], is_there: bool = False) -> frozenset[str]:
        """Inputs of a module as those of whoever uses it, with what decides whether it is used; of one that surely `is_there`, only with those of
        its items."""
        while scope.use is not None:
            use, above = scope.use.resource, scope.use.scope
            found = set(above.plan.inputs.of_items(use) if is_there else above.plan.inputs.of_presence(use))
            if CONTEXT_NAME in inputs:
                found.add(CONTEXT_NAME)
            given = dict(use.properties.entries)
            for name in inputs & given.keys():
                found |= above.plan.inputs.of_value(given[name])
            scope, inputs = above, frozenset(found)
        return inputs
