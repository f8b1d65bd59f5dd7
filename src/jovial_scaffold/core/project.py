"""A project: its files read once, its template compiled once, and every environment rendered, checked, compared and asked about from that.

What is read, deployed and checked stands in the modules beside this one; here are the questions about single values.
"""

from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any, Self

from jovial_scaffold.core.findings import Finding, has_errors
from jovial_scaffold.core.folders import Folder, History, RevisionError
from jovial_scaffold.core.parameters.layers import Layer
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.project_deploying import DeployableProject
from jovial_scaffold.core.project_file import ProjectError, revision_error
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.project_reading import NO_PROJECT, read_at
from jovial_scaffold.core.rendering.rendering import Evaluated, render
from jovial_scaffold.core.text.source import split_pointer
from jovial_scaffold.core.views import View

# What one question alone needs is loaded where it is asked: every command would pay for it.
if TYPE_CHECKING:
    from jovial_scaffold.core.changes.finding import Search
    from jovial_scaffold.core.changes.idle import Idle
    from jovial_scaffold.core.changes.impact import Touched
    from jovial_scaffold.core.outcomes import Moment
    from jovial_scaffold.core.rendering.explaining import Reason
    from jovial_scaffold.core.rendering.searching import Searching


class Project(DeployableProject):
    """A project that was read. Every method may be called any number of times, in any order."""

    def why(self, what: str, environment: str) -> "Reason":
        """The tree behind `address:property`, an address, or the name of an output, document, value or parameter. Raises Unexplained."""
        from jovial_scaffold.core.rendering.explaining import NO_ITEM, Unexplained, explain

        project, here = self.side(environment)
        if project is not self:
            return project.why(what, here)
        address, _, property = what.partition(":")
        steps = tuple(int(step) if str(step).isdigit() else step for step in split_pointer(property))
        others = [self._asked(name) for name in self.environments if name != here]
        from jovial_scaffold.core.changes.confirming import confirmed

        rendering = self._asked(here)
        reason = explain(rendering, others, address, steps)
        if reason.note == NO_ITEM:
            if not any(each.scope.instance_at(address) is not None for each in others):
                raise Unexplained(what)  # what no environment has is rather another name, misspelt
            return reason
        return confirmed(reason, rendering, others, address, steps)

    def impact(self, what: str, environments: Iterable[str] = ()) -> "dict[str, list[Touched]]":
        """What a parameter, value, function, lookup, document, resource or label (`context.labels.tier`) may reach, or what stands at FILE:LINE, by view.
        Raises Unexplained where there is no such thing."""
        from jovial_scaffold.core.changes.impact import Impact, named
        from jovial_scaffold.core.rendering.explaining import Unexplained

        views = {text: self.views((text,))[0] for text in tuple(environments) or self.environments}
        impact, found = Impact(), {}
        for text, rendering in views.items():
            asked = named(what, rendering)
            if asked.of_template or asked.of_use:
                found[self.label(text)] = impact.of(rendering, asked)
        if not found:
            raise Unexplained(what)
        return found

    def idle(self, environments: Iterable[str] = ()) -> "list[Idle]":
        """The settings of parameter files that change nothing where they are set. Raises ProjectError."""
        from jovial_scaffold.core.changes.idle import Layered, idle_settings

        def layered(view: View) -> Layered:
            layers, _, unread = self._layers(view)

            def without(others: tuple[Layer, ...]) -> "tuple[Parameters, Callable[[], Evaluated]] | None":
                read, tracked = self._inputs.read_secret, self._inputs.is_tracked
                resolved, found = self._plan.checker.resolve(view.environment, others, read, self._overrides.process, tracked, unread)
                return None if has_errors(found) else (resolved, lambda: self._under(view, resolved, None, None))

            return Layered(self._shown_label(view), layers, self.views((view.label,))[0], without)

        return idle_settings(layered(View.parse(each)) for each in self.chosen(environments or self.environments))

    def history(self, what: str, environment: str, most: int = 20) -> "list[Moment]":
        """What a value has been: as it is now, and in each commit that touched the project, newest first, without those that left it
        as it was. Raises ProjectError, Unexplained."""
        from jovial_scaffold.core.outcomes import Moment

        found: list[Moment] = [Moment("", "", "", "as it is now", *self._answer(what, environment))]
        project, asked = self, what
        try:
            history = self._overrides.history()
            for commit in history.touching(most):
                then = self._project_at(history, commit)
                value, note = then._answer(asked, environment) if then is not None else (None, NO_PROJECT)
                if then is not None:
                    for older in project._asked_before(asked, environment) if note else ():
                        answer = then._answer(older, environment)
                        if not answer[1]:
                            (value, note), asked = answer, older
                            break
                    project = then
                moment = Moment(commit, *history.described(commit), value, note, asked.partition(":")[0] if asked != what else "")
                if found and found[-1].same_as(moment):
                    found.pop()  # the earliest of equal ones is the commit that made it so
                found.append(moment)
        except RevisionError as error:
            raise revision_error(error) from None
        return found

    def _project_at(self, history: History, commit: str) -> Self | None:
        """The project of a commit; None where there was none that could be read."""
        try:
            return read_at(type(self), history, commit, self.folder, self._file.file, self._overrides)
        except (RevisionError, ProjectError):
            return None

    def _asked_before(self, what: str, environment: str) -> list[str]:
        """What is asked for, under the addresses that it may have had before."""
        if environment not in self._file.environments:
            return []
        address, colon, property = what.partition(":")
        return [f"{older}{colon}{property}" for older in self._rendered(environment)[0].renames.before(address)]

    def _answer(self, what: str, environment: str) -> "tuple[Any, str]":
        """A value as JSON may show it, and why there is none."""
        from jovial_scaffold.core.rendering.explaining import Unexplained, is_missing

        if environment not in self._file.environments:
            return None, "there was no such environment"
        try:
            reason = self.why(what, environment)
        except Unexplained:
            return None, "there was none"
        is_absent = is_missing(reason.value) or (reason.is_presence and reason.value is False)
        return (None, "there was none") if is_absent else (reason.value, "")

    def names(self, environment: str) -> list[str]:
        """What can be asked about: addresses, outputs, documents, values and parameters."""
        project, here = self.side(environment)
        rendering = project._rendered(here)[0]
        return sorted(
            {
                *rendering.resources,
                *map(self._template.output_address, rendering.outputs),
                *(self._template.names - self._template.resources.keys()),
            }
        )

    def properties(self, environment: str, address: str) -> list[str]:
        """The properties that a resource sets, or that its type gives a default."""
        project, here = self.side(environment)
        resource = project._rendered(here)[0].resources.get(address)
        return sorted(resource.effective) if resource else []

    def find(self, text: str, environments: Iterable[str] = ()) -> "Search":
        """Every rendered property, output, document and table that holds a text, over some environments or all, and where something is wrong
        with one of them, its errors: they may leave values unknown."""
        from jovial_scaffold.core.changes.finding import Search, SearchedView, TextSought, hits_in, hits_in_tables, numbered, together
        from jovial_scaffold.core.rendering.searching import Searching

        sought = TextSought(text)
        found, searching = [], Searching(sought)
        for view in tuple(environments) or self.environments:
            project, here = self.side(view)
            rendering = project._searched(here, searching)
            errors: list[Finding] = []
            if rendering is None:
                rendering = self.views((view,))[0]
                errors = [each for each in project._whole(here).findings if each.level == "error"]
            found.append(SearchedView(view, rendering.label, hits_in(rendering, sought), errors))
        found = numbered(found)
        tables = hits_in_tables(self._library.tables.values(), sought, tuple(each.label for each in found))
        return Search(together(found, tables), {each.view: each.errors for each in found})

    def _searched(self, name: str, searching: "Searching") -> Evaluated | None:
        """A view with the resources that may hold what is sought; None where something is wrong with it, which only a whole one can say."""
        if name in self._renderings or has_errors([*self._findings, *self._catalog_findings]) or self._template.unread:
            return None
        parameters, findings = self._resolved(name)
        entry = self._file.environments[View.parse(name).environment]
        meter = self._meter.beside(self._meter.rounds)  # what is rendered once more as a whole counts once
        rendering = render(self._plan, parameters, self._context(entry), self._plans, meter=meter, searching=searching)
        if has_errors([*findings, *rendering.findings]) or rendering.scope.incomplete():
            return None
        self._meter.rounds = meter.rounds
        return rendering


def project_at(history: History, commit: str, folder: Folder, file: str, overrides: Overrides, as_then: bool = True) -> Project:
    """The project of a file as of a commit (see `read_at`). Raises RevisionError, ProjectError."""
    return read_at(Project, history, commit, folder, file, overrides, as_then)
