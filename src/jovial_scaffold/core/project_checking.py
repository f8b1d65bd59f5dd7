"""A project checked: what is written before any environment, every environment, rules and proofs, put together as one result."""

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from functools import cached_property, partial
from typing import TYPE_CHECKING, NamedTuple, TypeVar

from jovial_scaffold.core.findings import LEVELS, Finding, Level, Span, absorbed, has_errors, merged
from jovial_scaffold.core.limits import PROOF_ROUNDS, PROOFS_WITHOUT_ASKING
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_reading import ReadProject
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.rendering.examples import check_must_examples
from jovial_scaffold.core.rendering.identities import Identities, beyond_project, clashes_between, identities, place
from jovial_scaffold.core.rendering.rendering import Evaluated, is_unknown_somewhere
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.core.sightings import Sighting, with_environments
from jovial_scaffold.core.templates.clear_text import check_clear_text
from jovial_scaffold.core.templates.functions import check_examples as check_function_examples
from jovial_scaffold.core.templates.names import check_names
from jovial_scaffold.core.text.source import Source, split_pointer, steps_in
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.views import View

# What one question alone needs is loaded where it is asked: every command would pay for it.
if TYPE_CHECKING:
    from jovial_scaffold.core.outcomes import CheckResult
    from jovial_scaffold.core.proof.proven import Proven
    from jovial_scaffold.core.rules.checking import World
    from jovial_scaffold.core.rules.evaluation import Verdicts
    from jovial_scaffold.core.rules.reading import Ruleset
    from jovial_scaffold.core.rules.subjects import Subject
    from jovial_scaffold.core.waivers import Waiver, Waivers


T = TypeVar("T")
_WRITTEN_PARTS = 4  # of what is written out, so that processes end at about the same time
#: findings that are no errors and leave a value unknown
_LEAVE_UNKNOWN = frozenset(("secret-source-unset",))


class UnexplainedUnknown(Exception):
    """A value is unknown, and no finding says why: a mistake of ours."""


@value_record
class _Judged:
    """What came of one environment, as it can be handed over between processes."""

    environment: str
    label: str
    findings: list[Finding]
    sightings: list[Sighting]
    resources: int
    verdicts: "Verdicts"
    identities: Identities


class _WrittenOut(NamedTuple):
    """What is wrong with what is written out in the project's own template, and in modules."""

    own: list[Finding]
    of_modules: list[Finding]


Static = list[Finding] | _WrittenOut
"""What was found before any environment, or a part of that."""


class CheckedProject(ReadProject):
    """A project that can be checked as a whole, and rendered where nothing is wrong with it."""

    @property
    def rulesets(self) -> "list[Ruleset]":
        """Its rules."""
        return self._rulesets

    @property
    def waivers(self) -> "list[Waiver]":
        """What it waives."""
        return list(self._waivers)

    @property
    def proofs_level(self) -> Level | None:
        """The level at which the project file asks that what can be broken is told."""
        asked = self._file.defaults.get("check", {}).get("proofs")
        return next((each for each in LEVELS if each == asked), None)

    def check(
        self,
        environments: Iterable[str] = (),
        draft: bool = False,
        template_only: bool = False,
        workers: int = 1,
        environments_only: bool = False,
        proofs: Level | None = None,
        static: Sequence[Static] | None = None,
    ) -> "CheckResult":
        """Everything that is wrong, for some environments or all. In a `draft`, unused names are notes; `template_only` renders nothing,
        `environments_only` leaves out what the types of the template alone show. With `proofs`, it is shown what holds for all parameters
        that are accepted, and what does not is told at that level; as a note, it is looked for briefly, in the last environment.

        With `workers`, environments of a large project are rendered beside the check of the template, in processes of their own. What the
        tasks of `static_checks` found is `static`, where a caller has done them.
        """
        from jovial_scaffold.core.outcomes import CheckResult
        from jovial_scaffold.core.parallel import spread
        from jovial_scaffold.core.rules.checking import idle_rules
        from jovial_scaffold.core.rules.evaluation import judge_pairs, judges_pairs
        from jovial_scaffold.core.waivers import Waivers

        chosen = () if template_only else self.chosen(environments)
        catalogs = self._catalog_findings  # before any resource is judged by them
        for name in chosen:
            self._resolved(name)  # reads parameter files here, so that their lines can be shown
        pairs = judges_pairs(self._sound_rulesets) and len(chosen) > 1
        # What a process beside this one rendered stays there: rules over pairs need the environments here.
        briefly = not (environments_only or self._waivers or pairs)
        tasks = self._tasks(chosen, briefly, not environments_only and static is None)
        with spread(tasks, 1 if pairs else self.processes(workers, chosen)) as results:
            findings = [*self._findings, *catalogs, *self._template_findings(draft), *self._rule_findings()]
            findings += () if template_only else self._inputs.idle_files(self._template.parameters.keys())
            parts = [*(static or ()), *results()]
        before, judged = self._put_together(parts)
        for each in judged:
            findings += each.findings
        findings += clashes_between([each.identities for each in judged], self.place)
        turned_out = {self._shown_label(View.parse(each.environment)): each.verdicts for each in judged}
        waivers = Waivers(self._waivers, str(self._run["date"]), self._span_at)
        if pairs:
            verdicts, turned_out[""] = judge_pairs([self._rendered(name)[0] for name in chosen], self._sound_rulesets)
            findings += verdicts
        findings += self._judged_declarations(turned_out)
        shown = self._proven(judged, [*before, *findings], proofs)
        findings += shown.findings
        labels = tuple(self._shown_label(View.parse(name)) for name in chosen)
        found = absorbed(waivers.left(before), waivers.left(findings), self._labelling)
        everything = not environments_only and set(chosen) == set(self.environments)
        found += self._about_the_whole(everything, waivers)
        if everything and not has_errors(found):
            found += idle_rules(self._sound_rulesets, turned_out.values(), len(chosen))
        told = tuple(merged(found, self.environments))
        beyond = tuple(beyond_project(each.identities) for each in judged)
        waived, resources = tuple(waivers.waived), sum(each.resources for each in judged)
        return CheckResult(self.name, labels, told, resources, self._rule_labels, turned_out, waived, beyond, proofs=shown.outcomes)

    def _proven(self, judged: "Sequence[_Judged]", said: Sequence[Finding], level: Level | None) -> "Proven":
        """What can be shown for all parameters, in each environment that has no error but those of rules."""
        from jovial_scaffold.core.proof.proven import Proven

        found = Proven()
        if level is None:
            return found
        from jovial_scaffold.core.proof.applications import Setting, applications, with_open_run
        from jovial_scaffold.core.proof.proving import Walks
        from jovial_scaffold.core.proof.telling import prove

        errors = [each for each in said if each.level == "error" and each.id != "rule-failed"]
        everything, walks = applications(self._template, self._sound_rulesets), Walks(self._template)
        if level == "note" and len(everything) > PROOFS_WITHOUT_ASKING.most:
            return found
        for each in judged[-1:] if level == "note" else judged:
            if all(error.environments and each.label not in error.environments for error in errors):
                context = self._context(self._file.environments[View.parse(each.environment).environment])
                setting = Setting(
                    self._plan, self._plans, context, each.label, self._meter.beside(PROOF_ROUNDS.most), with_open_run(context)
                )
                prove(found, setting, self._resolved(each.environment)[0], everything, walks, level)
        return found

    def declarations(self) -> "list[Subject]":
        """What rules over declarations are judged over: the parameters of its template, and of the modules that it uses."""
        from jovial_scaffold.core.rules.evaluation import declared

        templates = [(self._template, ""), *((module.template, module.label) for module in self._library.modules)]
        return [subject for template, label in templates for subject in declared(template, label)]

    def _judged_declarations(self, turned_out: "dict[str, Verdicts]") -> list[Finding]:
        """What rules over declarations find; how they turned out is added to what goes by no environment."""
        from jovial_scaffold.core.rules.evaluation import judge_declarations

        if not any(rule.over == "declarations" for ruleset in self._sound_rulesets for rule in ruleset.rules):
            return []
        findings, verdicts = judge_declarations(self.declarations(), self._sound_rulesets)
        if verdicts:
            turned_out[""] = turned_out.get("", Counter()) + verdicts
        return findings

    @property
    def _labelling(self) -> frozenset[str]:
        """The files in which labels of environments stand."""
        return frozenset(each.source.name for entry in self._file.environments.values() for each in entry.context_origins.values())

    def _about_the_whole(self, everything: bool, waivers: "Waivers") -> list[Finding]:
        """What is wrong with waivers, and what nothing needs any more: known only where `everything` was looked at."""
        over_effects = {rule.label for ruleset in self._rulesets for rule in ruleset.rules if rule.over == "effect"}
        sound = {rule.label for ruleset in self._sound_rulesets for rule in ruleset.rules}
        unjudged = over_effects | {each.rule for each in self._waivers if each.rule and each.rule not in sound}
        found = waivers.left(self._needless_renames()) if everything else []
        return [*found, *waivers.findings(everything and not any(each.unread for each in self.templates), unjudged)]

    def _needless_renames(self) -> list[Finding]:
        """Entries of `renames` that no snapshot needs any more, where there are snapshots and all of them can be read."""
        from jovial_scaffold.core.rendering.renames import needless

        recorded = [name for name, entry in self._file.environments.items() if entry.deployed is not None]
        if not recorded or not any(each.renames for each in self.templates):
            return []
        try:
            running = {address for name in recorded for address in self.snapshot(name)[0].resources}
        except ProjectError:
            return []  # which `effects` says
        return [*needless(self._template, [each.template for each in self.modules], running)]

    def _span_at(self, file: str, pointer: str) -> Span | None:
        """Where a value stands in a file that was read, from its key on."""
        source = self._files.source(file)
        steps = steps_in(source.value, split_pointer(pointer)) if source is not None else ()
        place = source.places().get(steps) if source is not None else None
        if source is None or place is None:
            return None
        start = min(place.start, place.key_start) if place.key_end > place.key_start else place.start
        return source.span(start, max(place.end, place.key_end))

    def _check_written(self, part: int = 0, parts: int = 1) -> _WrittenOut:
        """The same of what is written out in resources: one of so many parts of it."""
        from jovial_scaffold.core.templates.written import check_written

        modules = [each for each in self.templates if each is not self._template]
        of_modules = [finding for each in modules for finding in check_written(each, part, parts)]
        return _WrittenOut([*check_written(self._template, part, parts)], of_modules)

    def _tasks(self, chosen: Sequence[str], briefly: bool, whole: bool) -> list[Callable[[], Static | _Judged]]:
        """What can be done beside each other, the longest first; the `whole` of it, or environments only."""
        judged: list[Callable[[], Static | _Judged]] = [partial(self._judged, name, briefly) for name in chosen]
        if not whole:
            return judged
        # The look at expressions takes about as long as one environment, that at what is written out is soon done.
        expressions, *written = self.static_checks()
        return [expressions, *judged, *written] if chosen else [self._check_alone]

    def static_checks(self) -> list[Callable[[], Static]]:
        """What `check` does before any environment, in parts that can be done beside each other."""
        return [self._check_expressions, *(partial(self._check_written, part, _WRITTEN_PARTS) for part in range(_WRITTEN_PARTS))]

    def _put_together(self, parts: Sequence[Static | _Judged]) -> tuple[list[Finding], list[_Judged]]:
        """What was found before any environment, and what came of each."""
        static = [finding for part in parts if isinstance(part, list) for finding in part]
        judged = [part for part in parts if isinstance(part, _Judged)]
        written = [part for part in parts if isinstance(part, _WrittenOut)]
        own = [finding for part in written for finding in part.own]
        own, unsaid = with_environments(own, [(each.label, each.sightings) for each in judged])
        judged = [self._judged(each.environment) if each.label in unsaid else each for each in judged]
        return [*static, *own, *(finding for part in written for finding in part.of_modules)], judged

    def _check_alone(self) -> list[Finding]:
        """Both, and what is wrong with made-up values, because no environment is rendered."""
        from jovial_scaffold.core.rendering.sampling import with_always_wrong

        written = self._check_written()
        findings = [*written.own, *written.of_modules, *self._check_expressions()]
        if self._template.unread:
            return findings
        contexts = [self._context(entry) for entry in self._file.environments.values()]
        contexts = contexts or [{"project": self.name, "environment": UNKNOWN, "labels": UNKNOWN, "run": self._run}]
        return with_always_wrong(self._plan, self._plans, contexts, findings, self._findings, self._meter)

    def _judged(self, name: str, briefly: bool = False) -> _Judged:
        """An environment rendered, and judged by the rules; `briefly` where what is written out is judged beside it."""
        from jovial_scaffold.core.rendering.upgrading import breaking_upgrades
        from jovial_scaffold.core.rules.evaluation import judge

        sightings: list[Sighting] = []
        rendering, problems = self._rendered(name, sightings if briefly else None)
        verdicts, turned_out = judge(rendering, self._sound_rulesets)
        findings = [*problems, *rendering.findings, *verdicts, *breaking_upgrades(rendering, self._catalogs)]
        return _Judged(name, rendering.label, findings, sightings, len(rendering.resources), turned_out, identities(rendering))

    def place(self, environment: str, address: str, property: str) -> Span:
        """Where an environment, as it is called where it is shown, writes a property of a resource that it was rendered with."""
        name = next(name for name in (environment, *self._renderings) if self._shown_label(View.parse(name)) == environment)
        return place(self._rendered(name)[0].resources[address], property)

    def _template_findings(self, draft: bool = False) -> list[Finding]:
        """What is wrong with the names of the template and its modules, and with the examples that they hold; found once."""
        if draft not in self._found:
            self._found[draft] = self._find_in_templates(draft)
        return self._found[draft]

    def _find_in_templates(self, draft: bool) -> list[Finding]:
        read_by_rules: frozenset[str] = frozenset()
        if self._rulesets:
            from jovial_scaffold.core.rules.checking import parameters_read

            read_by_rules = parameters_read(self._rulesets)
        findings = check_names(self._written, draft, read_by_rules)
        findings += [finding for each in self._library.written for finding in check_names(each, draft)]
        for each in self.templates:
            plan = self._plans.of(each)
            findings += plan.cycles[0] + check_function_examples(each, plan.functions) + check_must_examples(plan) + check_clear_text(each)
        incomplete = any(each.unread or each.garbled or each.unknown_names for each in self.templates)
        return findings if incomplete else [*findings, *self._library.unused_names(self._file.file)]

    @cached_property
    def _world(self) -> "World":
        """What rules may speak of."""
        from jovial_scaffold.core.rules.checking import World
        from jovial_scaffold.core.templates.knowledge import Knowledge

        outputs = Knowledge(self._environment_labels).of(self._template).own_outputs()
        return World(self._catalogs, self._used_types, self._template, outputs, self._environment_labels)

    @cached_property
    def _checked_rules(self) -> "tuple[list[Finding], list[Ruleset]]":
        """What is wrong with rules before any environment, and the rulesets without those that are wrong: they are not judged."""
        from jovial_scaffold.core.rules.checking import check_rules

        findings, sound = [], []
        for ruleset in self._rulesets:
            fine = []
            for rule, wrong in check_rules(ruleset, self._world):
                findings += wrong
                if not has_errors(wrong):
                    fine.append(rule)
            sound.append(replace(ruleset, rules=tuple(fine)))
        return findings, sound

    @property
    def _sound_rulesets(self) -> "list[Ruleset]":
        """Those rules that are to be judged and have no mistake."""
        from jovial_scaffold.core.rules.reading import fitting

        return fitting(self._checked_rules[1], self._judged_only)

    @property
    def _rule_labels(self) -> tuple[str, ...]:
        """All rules that are to be judged, by what they are called."""
        from jovial_scaffold.core.rules.reading import fitting

        return tuple(rule.label for ruleset in fitting(self._rulesets, self._judged_only) for rule in ruleset.rules)

    def judge_only(self, patterns: Sequence[str]) -> bool:
        """From now on, judge those rules whose label, name or a tag fits one of the patterns; all where there are none. Whether there is
        any such rule."""
        from jovial_scaffold.core.rules.reading import fitting

        self._judged_only = tuple(patterns)
        return any(each.rules for each in fitting(self._rulesets, self._judged_only))

    def _rule_findings(self) -> list[Finding]:
        """What is wrong with rules, and with the examples of those that are not."""
        from jovial_scaffold.core.rules.examples import check_examples

        return [*self._checked_rules[0], *check_examples(self._sound_rulesets, self._catalogs)]

    def test_rules(self, coverage: bool = False) -> list[Finding]:
        """What is wrong with rules and their examples, and which rules no example makes fail; with `coverage`, which of their conditions no
        example reaches."""
        from jovial_scaffold.core.rules.examples import unreached, untested

        found = [*self._findings, *self._rule_findings(), *untested(self._sound_rulesets)]
        return merged([*found, *(unreached(self._sound_rulesets, self._catalogs) if coverage else ())], self.environments)

    def template_findings(self) -> list[Finding]:
        """What is wrong with the project's files and the names of its templates, whatever the environment."""
        return [*self._findings, *self._template_findings()]

    def judge_pairs(self, renderings: Sequence[Evaluated]) -> list[Finding]:
        """What rules over pairs say against some renderings."""
        from jovial_scaffold.core.rules.evaluation import judge_pairs

        return judge_pairs(renderings, self._sound_rulesets)[0]

    def show(self, source: Source) -> None:
        """Take in a file that a caller has read, so that its lines can be shown."""
        self._files.know(source)

    def render(self, environment: str) -> Rendering:
        """One environment, in deployment order. Its `findings` hold what is wrong with template and parameters."""
        project, here = self.side(environment)
        return project._whole(here).finished()

    def render_each(self, make: Callable[[Rendering], T], environments: Iterable[str] = (), workers: int = 1) -> dict[str, T]:
        """What is made of each of some renderings, or of all: a large project's in several processes where there are `workers`, so that
        what is made of them has to pickle. Raises ProjectError."""
        from jovial_scaffold.core.parallel import spread

        views = tuple(dict.fromkeys(environments)) or self.environments
        tasks = []
        for view in views:
            project, here = self.side(view)
            project._resolved(here)  # reads parameter files here, so that their lines can be shown
            tasks.append(partial(_made, project, here, make))
        with spread(tasks, self.processes(workers, views)) as results:
            return dict(zip(views, results(), strict=True))

    def _whole(self, view: str) -> Evaluated:
        rendering, found = self._rendered(view)
        findings = [*self._findings, *self._catalog_findings, *self._template_findings(), *found, *rendering.findings]
        if not any(each.level == "error" or each.id in _LEAVE_UNKNOWN for each in findings) and is_unknown_somewhere(rendering):
            raise UnexplainedUnknown
        return replace(rendering, findings=merged(findings, self.environments))


def _made(project: CheckedProject, view: str, make: Callable[[Rendering], T]) -> T:
    return make(project.render(view))
