"""What a shell completes: names of the project here, as far as it can be read."""

from collections.abc import Callable, Iterable

from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.machine.opening import Project

Complete = Callable[[str], list[str]]


def _of_project(names: Callable[[Project], Iterable[str]]) -> Complete:
    """Completion by names of the project here; nothing where there is none, or none that can be used."""

    def complete(incomplete: str) -> list[str]:
        try:
            return sorted({name for name in names(Project.load()) if name.startswith(incomplete)})
        except ProjectError:
            return []

    return complete


environment_names = _of_project(lambda project: project.environments)
parameter_names = _of_project(lambda project: project.template.parameters)
resource_names = _of_project(lambda project: project.template.resources)
type_names = _of_project(lambda project: (each.id for each in project.catalogs))
rule_names = _of_project(lambda project: (rule.label for ruleset in project.rulesets for rule in ruleset.rules))
declared_names = _of_project(lambda project: project.template.names | project.template.functions.keys())


def setting_names(incomplete: str) -> list[str]:
    """`NAME=` of the parameters, until there is a value."""
    return [] if "=" in incomplete else [f"{name}=" for name in parameter_names(incomplete)]


def addresses(incomplete: str) -> list[str]:
    """Addresses of all environments, and, once there is a colon, the properties there."""
    try:
        project = Project.load()
        address, colon, begun = incomplete.partition(":")
        if not colon:
            return sorted({name for each in project.environments for name in project.names(each) if name.startswith(incomplete)})
        found: set[str] = set()
        for each in project.environments:
            if address in project.names(each):
                found.update(f"{address}:{name}" for name in project.properties(each, address) if name.startswith(begun))
        return sorted(found)
    except ProjectError:
        return []
