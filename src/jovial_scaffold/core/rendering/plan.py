"""What is known of a template before any environment, found once however often it is rendered or used as a module."""

from functools import cached_property

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.residuals import pending_property
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import INSTANCES
from jovial_scaffold.core.parameters.resolving import Checker
from jovial_scaffold.core.rendering.shapes import Codes
from jovial_scaffold.core.spelling import Speller
from jovial_scaffold.core.templates.compiling import formulas_of, presence_uses
from jovial_scaffold.core.templates.functions import Functions
from jovial_scaffold.core.templates.inputs import Inputs
from jovial_scaffold.core.templates.model import Constant, Loop, Resource, Template
from jovial_scaffold.core.templates.names import Reach, Reaches, reached_resources, resource_cycles
from jovial_scaffold.core.text.source import pointer_text


class Plan:
    """A template with its functions, the checker of its parameters, and who needs whom."""

    def __init__(self, template: Template) -> None:
        self.template = template
        self.functions = Functions(template)
        self.checker = Checker(template)
        self.inputs = Inputs(template)
        self.codes = Codes(template)
        self._reaches = Reaches(template)
        self._known: dict[tuple[str, str], Reach] = {}
        self._certain: dict[str, tuple[frozenset[str], tuple[str, ...]] | None] = {}

    @cached_property
    def speller(self) -> Speller:
        """For names that the template does not have."""
        return Speller(self.template.names)

    @cached_property
    def in_order(self) -> tuple[Resource, ...]:
        """The resources by their names."""
        return tuple(self.template.resources[name] for name in sorted(self.template.resources))

    @cached_property
    def later_names(self) -> frozenset[str]:
        """What defaults and `must` cannot read."""
        return self.template.later_names

    @cached_property
    def cycles(self) -> tuple[list[Finding], frozenset[str]]:
        """Resources that wait for each other: findings, and the names of all that do."""
        return resource_cycles(self.template, reached_resources(self.template, self._whole))

    def _whole(self, resource: Resource) -> Reach:
        """What a resource needs, and all that is handed to a module."""
        return self._reaches.of_resource(resource) if resource.module else self.resource(resource.name)

    def resource(self, name: str) -> Reach:
        """What a resource needs; of a use of a module, what decides whether it is there."""
        key = (name, "")
        if key not in self._known:
            resource = self.template.resources[name]
            self._known[key] = self._reaches.of(presence_uses(resource)) if resource.module else self._reaches.of_resource(resource)
        return self._known[key]

    def certain(self, name: str) -> tuple[frozenset[str], tuple[str, ...]] | None:
        """What a resource comes after in every environment, as a set and in order; None where that is not the same in all of them. It does
        not hold inside of a use of a module."""
        if name not in self._certain:
            reach, resource, resources = self.resource(name), self.template.resources[name], self.template.resources
            targets = reach.resources - {name} if name in reach.resources else reach.resources
            is_certain = not (reach.outputs or resource.after or resource.module)
            is_certain = is_certain and all(resources[each].is_single for each in targets)
            self._certain[name] = (targets, tuple(sorted(targets)) if len(targets) > 1 else tuple(targets)) if is_certain else None
        return self._certain[name]

    def hands_resources(self, use: Resource) -> bool:
        """Whether a use of a module hands in anything of resources."""
        reach = self._reaches.of_resource(use)
        return bool(reach.resources or reach.outputs)

    def argument(self, use: str, parameter: str) -> Reach:
        """What is handed to a parameter of a module."""
        key = (use, parameter)
        if key not in self._known:
            uses = [
                each for name, value in self.template.resources[use].properties.entries if name == parameter for each in formulas_of(value)
            ]
            self._known[key] = self._reaches.of(uses)
        return self._known[key]

    def output(self, name: str) -> Reach:
        """What an output needs."""
        key = ("", name)
        if key not in self._known:
            output = self.template.outputs.get(name)
            self._known[key] = self._reaches.of(formulas_of(output.value) if output else [])
        return self._known[key]


def _constant_items(loop: Loop) -> int:
    """The number of items where a loop goes over what reads no name, else 0."""
    content = loop.over.content
    if isinstance(content, Constant):
        return len(content.value) if isinstance(content.value, list | dict) else 0
    if content.program.reads or content.program.own_calls:
        return 0
    try:
        over = content.program.run(MapScope({}), {})
    except EvaluationError:
        return 0
    return len(over) if isinstance(over, list | dict) else 0


class Plans:
    """The plans of a project's template and its modules, each made once."""

    def __init__(self) -> None:
        self._plans: dict[Template, Plan] = {}
        self._least: dict[Template, int] = {}
        self._pending: dict[tuple[str, str], Pending] = {}
        self._texts: dict[str, str] = {}

    def pending(self, address: str, property: str) -> Pending:
        """What only the deployment knows of a property that the cloud sets: the same in all environments."""
        key = (address, property)
        if key not in self._pending:
            if property not in self._texts:  # of which there are few
                self._texts[property] = pointer_text((property,))
            self._pending[key] = pending_property(address, self._texts[property])
        return self._pending[key]

    def least_instances(self, template: Template) -> int:
        """How many resources and uses of modules a template makes at the least: those without condition, in loops over constants each
        item. Modules that use modules multiply, so this may be very many, and is known before one of them is made."""
        known = self._least.get(template)
        if known is None:
            known = sum(self._least_of(each) for each in template.resources.values())
            self._least[template] = known = min(known, INSTANCES.most + 1)
        return known

    def _least_of(self, resource: Resource) -> int:
        if resource.when is not None:
            return 0
        inside = 1 + (self.least_instances(resource.module.template) if resource.module else 0)
        return inside if resource.loop is None else inside * _constant_items(resource.loop)

    def of(self, template: Template) -> Plan:
        """The plan of a template."""
        plan = self._plans.get(template)
        if plan is None:
            plan = self._plans[template] = Plan(template)
        return plan
