"""The examples of `must`: maps of parameters for which a condition holds, or does not."""

from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.rendering.computing import Site
from jovial_scaffold.core.rendering.environment import Environment
from jovial_scaffold.core.rendering.instances import Shared
from jovial_scaffold.core.rendering.plan import Plan, Plans
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.model import Requirement
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import listed, nearest, say

_CONTEXT = {"project": "", "environment": "", "labels": {}, "run": {"date": "", "revision": "", "author": ""}}


def check_must_examples(plan: Plan) -> list[Finding]:
    """Each example judged, with defaults for the parameters that it leaves out: it must turn out as it says."""
    findings: list[Finding] = []
    for requirement in (*plan.template.must, *(each for d in plan.template.parameters.values() for each in d.must)):
        for examples, expected in ((requirement.passes, True), (requirement.fails, False)):
            for example, origin in examples:
                findings += _judged(plan, requirement, example, origin, expected)
    return findings


def _judged(plan: Plan, requirement: Requirement, example: dict[str, Any], origin: Origin, expected: bool) -> list[Finding]:
    declared = plan.template.parameters
    findings: list[Finding] = []
    values = {}
    for name, value in example.items():
        if name not in declared:
            hint = nearest(name, declared, say("The parameters are {}.", listed(sorted(declared)[:10])))
            message = say("The template declares no parameter `{}`.", name)
            findings.append(Finding("parameter-undeclared", "error", message, origin.child(name).key_span(), hint))
            continue
        values[name] = plan.checker.as_declared(declared[name], value)
    reads = {name for name in _reads(requirement) if name in declared}
    missing = sorted(name for name in reads if name not in values and declared[name].default is None)
    if missing and not findings:
        names = listed(say("`{}`", name) for name in missing)
        message = say("This example says nothing of {}, which the condition reads.", names)
        findings.append(
            Finding("must-example-wrong", "error", message, origin.value_span(), say("Give each parameter that is read a value."))
        )
    if findings:
        return findings
    parameters = Parameters("", (), values, tuple(name for name in declared if name not in values))
    scope = Environment(plan, Shared(Plans(), dict(_CONTEXT), findings.append), parameters)
    held = scope.computer.condition(requirement.require, {}, Site(), "require")
    if held is UNKNOWN or held is expected:
        return findings
    words = ("should pass and fails", "should fail and passes")[not expected]
    return [
        Finding(
            "must-example-wrong", "error", say("This example {}.", words), origin.value_span(), say("Correct the condition or the example.")
        )
    ]


def _reads(requirement: Requirement) -> set[str]:

    return {reference.name for formula, _, _ in formulas_of(requirement.require) for reference in formula.program.reads}
