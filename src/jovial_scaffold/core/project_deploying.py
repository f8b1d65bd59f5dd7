"""What deploying a project would do: its snapshots, and the effects of its environments over them."""

from collections.abc import Callable, Sequence
from pathlib import PurePath
from typing import TYPE_CHECKING, Any, Self

from jovial_scaffold.core.expressions.values import Secret, deep_marks
from jovial_scaffold.core.findings import LEVELS, Finding, has_errors, merged
from jovial_scaffold.core.folders import RevisionError
from jovial_scaffold.core.parameters.layers import Layer
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.project_checking import CheckedProject
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rendering.rendering import Evaluated, render
from jovial_scaffold.core.templates.names import reads_run
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.views import View
from jovial_scaffold.core.words import listed, nearest, say

# What one question alone needs is loaded where it is asked: every command would pay for it.
if TYPE_CHECKING:
    from jovial_scaffold.core.changes.effect_records import Cause, Effects
    from jovial_scaffold.core.changes.settings import SettingEffects
    from jovial_scaffold.core.changes.snapshots import Snapshot


class DeployableProject(CheckedProject):
    """A project whose environments may have snapshots of what runs."""

    def effects(
        self,
        environment: str,
        against: "str | PurePath | None" = None,
        teardown: bool = False,
        source: str = "",
        only: Sequence[str] = (),
    ) -> "Effects":
        """What deploying an environment would do to what runs now: as the file says that is given, or else `deployed` of the project file.
        With a `source`, with the parameters of another view: all of them, or `only` some.

        Raises ProjectError where there is no such file, or it cannot be read. What rules over changes say is among the findings.
        """
        from jovial_scaffold.core.changes import effects as computing
        from jovial_scaffold.core.rules.evaluation import judge_effects
        from jovial_scaffold.core.waivers import Waivers

        project, here = self.side(environment)
        view = View.parse(here)
        snapshot, findings = self.snapshot(self.chosen((view.environment,))[0], against)
        resolved = project._with_values_of(view, *self.side(source), only)[0] if source else project._resolved(here)[0]
        rendering = project._under(view, resolved, None, None) if source else project._rendered(here)[0]
        if teardown:
            result = computing.teardown(rendering, snapshot)
        else:
            deployed = computing.known_values(rendering, snapshot)
            known = project._under(view, resolved, deployed, None) if deployed else rendering
            reads = snapshot.run and any(reads_run(each) for each in project.templates)
            recorded = project._under(view, resolved, deployed, snapshot.run) if reads else known
            result = computing.effects(rendering, known, recorded, snapshot, lambda: self._as_deployed(view.environment, snapshot))
        verdicts, _ = judge_effects(computing.judged_effects(result, rendering), rendering, project._sound_rulesets)
        waivers = Waivers(project._waivers, str(project._run["date"]), project._span_at)
        told = merged(waivers.left([*findings, *result.findings, *verdicts]), self.environments)
        result.findings[:] = sorted(told, key=lambda each: LEVELS.index(each.level))  # what blocks it comes first
        if result.causes and snapshot.revision and not view.values and project is self:
            result = replace(result, causes=self._authored(result.causes, snapshot.revision))
        return replace(result, source=self.label(source)) if source else result

    def _authored(self, causes: "Sequence[Cause]", revision: str) -> "tuple[Cause, ...]":
        """The same with the commits since a revision that wrote the lines."""
        from jovial_scaffold.core.changes.authorship import authors

        try:
            found = authors(self.folder, self._overrides.history(), revision, [each.place for each in causes])
        except RevisionError:
            return tuple(causes)
        return tuple(replace(each, authored=found.get(each.place)) for each in causes)

    def effect_errors(self, environment: str, source: str = "", only: Sequence[str] = ()) -> list[Finding]:
        """What has to be mended before it can be said what deploying an environment would do. Raises ProjectError."""
        project, here = self.side(environment)
        if not source:
            return [each for each in project._whole(here).findings if each.level == "error"]
        view = View.parse(here)
        resolved, found = project._with_values_of(view, *self.side(source), only)
        rendering = project._under(view, resolved, None, None)
        every = [*project._findings, *project._catalog_findings, *project._template_findings(), *found, *rendering.findings]
        return merged([each for each in every if each.level == "error"], self.environments)

    def _with_values_of(self, view: View, source: Self, there: str, only: Sequence[str]) -> tuple[Parameters, list[Finding]]:
        """The parameters of a view, with those of another in the place of all its own, or of `only` some. Raises ProjectError."""
        for name in only:
            if name not in self._template.parameters:
                hint = nearest(name, self._template.parameters, say("Its parameters are {}.", listed(self._template.parameters)))
                message = say("The template declares no parameter `{}`.", name)
                raise ProjectError([Finding("parameter-undeclared", "error", message, None, hint)])
        wanted = frozenset(only)
        layers, found, unread = source._layers(View.parse(there))
        if only:
            own, problems, lost = self._layers(view)
            layers = (
                *(_with_names(each, lambda name: name not in wanted) for each in own),
                *(_with_names(each, lambda name: name in wanted) for each in layers),
            )
            found, unread = [*found, *problems], unread or lost
        read, tracked = source._inputs.read_secret, self._inputs.is_tracked
        parameters, problems = self._plan.checker.resolve(view.environment, layers, read, self._overrides.process, tracked, unread)
        return parameters, [*found, *problems]

    def _layers(self, view: View) -> tuple[tuple[Layer, ...], list[Finding], bool]:
        """The layers of a view before they are resolved, what is wrong with their files, and whether one could not be read."""
        findings: list[Finding] = []
        layers, unread = self._inputs.layers(self._template, self._file.environments[view.environment], findings, (), view.values)
        return layers, findings, unread

    def settings(self, environment: str, settings: Sequence[str]) -> "list[SettingEffects]":
        """What settings would do to an environment that runs as it is rendered now: each `name=value`, or a name for all values that it may
        have or has in other environments; what does most first. Raises ProjectError."""
        from jovial_scaffold.core.changes.settings import effects_of_settings, values_to_try

        project, here = self.side(environment)
        others = [project._rendered(each)[0].parameters for each in project.environments if each != here]
        tried, wrong = values_to_try(settings, project._template, project._rendered(here)[0].parameters, others)
        if wrong:
            raise ProjectError(wrong)
        return effects_of_settings(project._rendered(here)[0], [project._tried(here, setting) for setting in tried], [*tried.values()])

    def _tried(self, here: str, setting: str) -> tuple[str, Evaluated, list[Finding]]:
        """A view with one more setting: that as it is shown, the rendering, and its errors."""
        view = View.parse(f"{here}{'&' if '?' in here else '?'}{setting}")
        rendering, found = self._rendered(view.label)
        shown = self._shown_label(replace(view, values=view.values[-1:])).partition("?")[2]
        return shown, rendering, [each for each in (*found, *rendering.findings) if each.level == "error"]

    def _as_deployed(self, environment: str, snapshot: "Snapshot") -> Evaluated | None:
        """What was deployed last: the project as of the recorded revision, under the recorded parameters; None where that cannot be known."""
        from jovial_scaffold.core.changes.parting import given_back

        if not snapshot.revision:
            return None
        try:
            project = self.at(snapshot.revision)
        except ProjectError:
            return None
        entry = project._file.environments.get(environment)
        if entry is None:
            return None
        parameters, found = project._resolved(environment)
        values = {
            name: given_back(value, parameters.values.get(name, UNKNOWN))
            for name, value in snapshot.parameters.items()
            if name in project._template.parameters and not isinstance(value, Secret) and not deep_marks(value)[2]
        }
        for name in parameters.defaulted:
            if name in values and project._gives(environment, name, values[name]):
                del values[name]  # it followed what its default reads
        defaulted = tuple(each for each in parameters.defaulted if each not in values)
        recorded = replace(parameters, values={**parameters.values, **values}, defaulted=defaulted)
        context = {**project._context(entry), "run": {**project._run, **snapshot.run}}
        rendering = render(project._plan, recorded, context, project._plans, meter=project._meter)
        return None if has_errors([*project._findings, *found, *rendering.findings]) else rendering

    def _gives(self, environment: str, name: str, value: Any) -> bool:
        """Whether a parameter's default gives a value."""
        from jovial_scaffold.core.changes.aligning import same
        from jovial_scaffold.core.expressions.errors import EvaluationError

        try:
            return same(self._asked(environment).scope.value(name), value)
        except EvaluationError:
            return False

    def recorded_revision(self, environment: str) -> str:
        """The revision that an environment is rendered as of; nothing where files that it is made from are not as they are there."""
        project, here = self.side(environment)
        revision = project._run.get("revision", "")
        if not revision or project is not self:
            return revision
        try:
            return revision if self.at(revision)._made_from(here) == self._made_from(here) else ""
        except ProjectError:
            return ""

    def _made_from(self, view: str) -> dict[str, str]:
        """The files that an environment is made from, as digests; what the command line sets does not count."""
        environment = self.chosen((View.parse(view).environment,))[0]
        self._resolved(environment)  # which reads its parameter files
        return self._inputs.digests(environment, Parameters(environment, ()), {})


def _with_names(layer: Layer, fits: Callable[[str], bool]) -> Layer:
    """A layer with those of its values whose names fit."""
    return replace(layer, values={name: value for name, value in layer.values.items() if fits(name)})
