"""New names: that they are names, and that the template has nothing that is called so."""

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.templates.compiling import is_name
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.words import NOTHING, Sentence, say


def check_name(name: str, hint: Sentence = NOTHING) -> None:
    """Raises ProjectError where something cannot be a name."""
    if not is_name(name):
        message = say("`{}` cannot be a name.", name)
        raise ProjectError([Finding("name-invalid", "error", message, None, hint or say("Write a-z, 0-9 and _, a letter first."))])


def check_new(template: Template, name: str, hint: Sentence = NOTHING) -> None:
    """Raises ProjectError where something cannot be a name, or the template has one of that name."""
    check_name(name, hint)
    if name in template.names or name in template.functions:
        raise taken(say("The template has a `{}` already.", name), hint)


def taken(message: Sentence, hint: Sentence = NOTHING) -> ProjectError:
    """A name is somebody else's."""
    return ProjectError([Finding("name-declared-twice", "error", message, None, hint or say("Choose another name."))])
