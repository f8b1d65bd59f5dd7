"""Views: environments as they are asked for, under other values or as of a revision."""

from urllib.parse import unquote

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.words import say


@value_record
class View:
    """An environment as it is asked for: `live`, under other values `live?copies=4&zone=middle`, as of a revision `live@HEAD~3`, of another
    project of the workspace `alp:live`."""

    label: str
    environment: str
    revision: str = ""
    values: tuple[tuple[str, str], ...] = ()
    project: str = ""

    @classmethod
    def parse(cls, text: str) -> "View":
        """What a text asks for. Raises ProjectError where a value is not of the form name=value."""
        named, _, query = text.partition("?")
        environment, _, revision = named.partition("@")
        project, _, environment = environment.rpartition(":")
        values = []
        for each in query.split("&") if query else ():
            name, equals, value = each.partition("=")
            if not equals or not name:
                hint = say("Write them after a question mark, with & between them: live?copies=4&zone=middle")
                message = say("A part of the view of {} is not of the form name=value.", named)
                raise ProjectError([Finding("view-invalid", "error", message, None, hint)])
            values.append((unquote(name), unquote(value)))
        if named.endswith("@"):
            hint = say("For example live@HEAD~1; `git log --oneline` lists the revisions.")
            raise ProjectError([Finding("view-invalid", "error", say("{} names no revision after the @.", named), None, hint)])
        return cls(text, environment, revision, tuple(values), project)

    @property
    def here(self) -> str:
        """The same in the project of its revision."""
        return f"{self.environment}{self.label.partition('?')[1]}{self.label.partition('?')[2]}"
