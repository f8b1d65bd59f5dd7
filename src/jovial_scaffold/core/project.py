"""A project: its files read once, its template compiled once, and every environment rendered, checked and compared from that.

It is long because every question that can be asked of a project is a method here; the answers are computed elsewhere.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property, partial
from pathlib import PurePath, PurePosixPath
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import LEVELS, Finding, Level, Span, absorbed, has_errors, merged
from jovial_scaffold.core.folders import Folder, Found, History, RevisionError, Within
from jovial_scaffold.core.graph.ordering import Orders, put_in_order
from jovial_scaffold.core.limits import PARALLEL_RESOURCES, PROOF_ROUNDS, PROOFS_WITHOUT_ASKING
from jovial_scaffold.core.parameters.layers import Layer
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.project_file import (
    NAME,
    EnvironmentEntry,
    ProjectError,
    default_parameters,
    read_project_file,
    revision_error,
)
from jovial_scaffold.core.project_inputs import Inputs, Overrides, is_public
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.rendering.examples import check_must_examples
from jovial_scaffold.core.rendering.identities import Identities, beyond_project, clashes_between, identities, place
from jovial_scaffold.core.rendering.plan import Plans
from jovial_scaffold.core.rendering.rendering import Evaluated, asked, is_unknown_somewhere, render
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.core.schemas.catalog import Catalogs
from jovial_scaffold.core.schemas.shapes import with_secrets
from jovial_scaffold.core.sightings import Sighting, with_environments
from jovial_scaffold.core.templates.clear_text import check_clear_text
from jovial_scaffold.core.templates.functions import check_examples as check_function_examples
from jovial_scaffold.core.templates.library import ModuleLibrary
from jovial_scaffold.core.templates.model import Module, Template
from jovial_scaffold.core.templates.names import check_names, reads_run, without_cycles
from jovial_scaffold.core.text.discretion import discreet
from jovial_scaffold.core.text.files import Files
from jovial_scaffold.core.text.source import NOWHERE, Source, split_pointer, steps_in
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.views import View
from jovial_scaffold.core.words import listed, nearest, say
from jovial_scaffold.core.workspace import with_workspace, workspace_of

# What one question alone needs is loaded where it is asked: every command would pay for it.
if TYPE_CHECKING:
    from jovial_scaffold.core.changes.effect_records import Cause, Effects
    from jovial_scaffold.core.changes.finding import Search
    from jovial_scaffold.core.changes.idle import Idle
    from jovial_scaffold.core.changes.impact import Touched
    from jovial_scaffold.core.changes.matrix import Comparison
    from jovial_scaffold.core.changes.settings import SettingEffects
    from jovial_scaffold.core.changes.snapshots import Snapshot
    from jovial_scaffold.core.outcomes import CheckResult, Moment
    from jovial_scaffold.core.project_file import ProjectFile
    from jovial_scaffold.core.proof.proven import Proven
    from jovial_scaffold.core.rendering.explaining import Reason
    from jovial_scaffold.core.rendering.searching import Searching
    from jovial_scaffold.core.rules.checking import World
    from jovial_scaffold.core.rules.evaluation import Verdicts
    from jovial_scaffold.core.rules.reading import Ruleset
    from jovial_scaffold.core.rules.subjects import Subject
    from jovial_scaffold.core.text.edits import FileChange
    from jovial_scaffold.core.waivers import Waiver, Waivers


T = TypeVar("T")

_WRITTEN_PARTS = 4  # of what is written out, so that processes end at about the same time
_NO_PROJECT = "there was no such project, or none that could be read"
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


class Project:
    """A project that was read. Every method may be called any number of times, in any order."""

    def __init__(self, folder: Folder, name: str = NAME, overrides: Overrides | None = None) -> None:
        """The project whose file of a name lies in a folder. Raises ProjectError where it cannot be used."""
        self._overrides = overrides = overrides or Overrides()
        self._files = Files(folder, overrides.named)
        file, self._findings = read_project_file(self._files, name)
        workspace, found = workspace_of(folder, self._files)
        self._findings += [*overrides.findings, *found]
        self._file = file = with_workspace(file, workspace, self._findings) if workspace is not None else file
        self._inputs = Inputs(file, self._files, overrides, self._findings)
        self._found: dict[bool, list[Finding]] = {}
        self._parameters: dict[str, tuple[Parameters, list[Finding]]] = {}
        self._renderings: dict[str, tuple[Evaluated, list[Finding]]] = {}
        self._orders = Orders()
        self._partly: dict[str, Evaluated] = {}
        self._revisions: dict[str, Project] = {}
        self._as_of = ""  # `@` and a revision, where it is a project of the past
        self._catalogs = self._inputs.catalogs()
        names = {name: (each.text, each.origin) for name, each in file.modules.items() if each.origin is not None}
        self._library = ModuleLibrary(self._files, self._catalogs, names, self._findings)
        for name, table in file.lookups.items():
            assert table.origin is not None
            self._library.add_table(name, table.text, table.origin)
        self._written = self._library.template(file.template.text, file.template.origin)
        self._template = without_cycles(self._written)
        self._rulesets = self._inputs.rulesets()
        self._judged_only: tuple[str, ...] = ()  # patterns of rules, where not all are judged
        self._waivers = self._inputs.waivers(self._rulesets)
        self._plans = Plans()
        self._meter = overrides.meter()
        self._plan = self._plans.of(self._template)
        # Only a file that says so, or hides it behind an escape, can read it.
        mentioned = any("context" in each.text or "\\" in each.text for each in self._files.sources())
        dated = any(each.until for each in self._waivers)
        run_needed = self._overrides.run_needed or dated or (mentioned and any(reads_run(each) for each in self.templates))
        self._run = {"date": "", "revision": "", "author": "", **(self._overrides.run() if run_needed else {})}

    def start_over(self) -> None:
        """Forget what was being computed when there was no room to go on."""
        self._plans = Plans()
        self._plan = self._plans.of(self._template)
        self._renderings.clear()
        self._partly.clear()
        self._found.clear()

    @property
    def templates(self) -> list[Template]:
        """The project's template and those of its modules."""
        return [self._template, *(module.template for module in self._library.modules)]

    @property
    def name(self) -> str:
        """The project's name."""
        return self._file.name

    @property
    def folder(self) -> Folder:
        """The folder of the project file; findings name files relative to it."""
        return self._files.folder

    @property
    def environments(self) -> tuple[str, ...]:
        """The declared environments, in the order of the project file."""
        return tuple(self._file.environments)

    @property
    def catalogs(self) -> Catalogs:
        """All types that it may use."""
        return self._catalogs

    @property
    def template(self) -> Template:
        """The compiled template."""
        return self._template

    def parameter_errors(self, environment: str) -> list[Finding]:
        """What is wrong with the parameters of a view: of those of the command line, too. Raises ProjectError."""
        project, here = self.side(environment)
        return merged([each for each in project._resolved(here)[1] if each.level == "error"], project.environments)

    def scope(self, environment: str) -> Scope:
        """The names of an environment, for evaluating expressions over its parameters, values and resources."""
        project, here = self.side(environment)
        return project._asked(here).scope

    @property
    def modules(self) -> list[Module]:
        """The modules that the template uses, directly or through others, by label."""
        return self._library.modules

    @property
    def template_sources(self) -> list[Source]:
        """The files of the template and its modules, as they were read."""
        return self._library.template_sources

    @property
    def own_sources(self) -> list[Source]:
        """The files of the template itself, as they were read."""
        return self._library.own_sources

    def source(self, name: str) -> Source | None:
        """A file that was read, as findings name it; for showing its lines."""
        return self._files.source(name)

    @property
    def sources(self) -> list[Source]:
        """All files that were read so far, by name."""
        return self._files.sources()

    def chosen(self, names: Iterable[str]) -> tuple[str, ...]:
        """The environments, or views of them, that are named, or all. Raises ProjectError for one that is not declared."""
        given = tuple(dict.fromkeys(names))
        for name in given:
            asked = self._view(name).environment  # what a view sets may be secret, and is not said
            if asked not in self._file.environments:
                hint = nearest(asked, self.environments, say("Its environments are {}.", listed(self.environments)))
                message = say("The project declares no environment `{}`{}.", asked, f" in {self._as_of[1:]}" if self._as_of else "")
                raise ProjectError([Finding("environment-unknown", "error", message, None, hint)])
        return given or self.environments

    def _view(self, text: str) -> View:
        """A view of this project. Raises ProjectError where it is one of another."""
        view = View.parse(text)
        if view.project not in ("", self.name):
            message = say("This is the project {}, and {}:{} is asked for.", self.name, view.project, view.environment)
            hint = say("One command looks at the environments of one project.")
            raise ProjectError([Finding("environment-unknown", "error", message, None, hint)])
        return view

    def side(self, text: str) -> "tuple[Project, str]":
        """The project that a view is of, which is another where it names a revision, and the view there. Raises ProjectError."""
        view = self._view(text)
        project = self.at(view.revision) if view.revision else self
        return project, project.chosen((view.here,))[0]

    def label(self, text: str) -> str:
        """What a view is called where it is shown. Raises ProjectError."""
        project, here = self.side(text)
        return project._shown_label(View.parse(here))

    def sides(self, texts: Iterable[str]) -> "list[tuple[Project, tuple[str, ...]]]":
        """Some views by the project that they are of, this one first; all environments of this one where none is named."""
        found: dict[str, list[str]] = {}
        for text in tuple(texts) or self.environments:
            view = self._view(text)
            found.setdefault(view.revision, []).append(view.here)
        projects = {revision: self.at(revision) if revision else self for revision in sorted(found)}
        return [(project, project.chosen(found[revision])) for revision, project in projects.items()]

    def edited(self, files: "Iterable[FileChange]") -> "Project":
        """The project as it would be with some files changed, named as findings name them. Raises ProjectError."""
        from jovial_scaffold.core.text.edits import EditedFolder, EditedWithin

        folder = EditedWithin(self.folder, files) if isinstance(self.folder, Within) else EditedFolder(self.folder, files)
        return type(self)(folder, self._file.file, self._overrides)

    @property
    def project_file(self) -> "ProjectFile":
        """What the project file says."""
        return self._file

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

    def parameters_of(self, environment: str) -> Parameters:
        """The layers of an environment, and the values that they set, as far as they are right. Raises ProjectError."""
        project, here = self.side(environment)
        return project._resolved(here)[0]

    # -- the three questions

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
        with spread(tasks, 1 if pairs else self.processes(workers)) as results:
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
        found = absorbed(waivers.left(before), waivers.left(findings))
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

    def _check_expressions(self) -> list[Finding]:
        """What is wrong with the expressions of the templates before any environment."""
        from jovial_scaffold.core.templates.checking import check_expressions

        return check_expressions(self.templates, self._environment_labels)

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

    def processes(self, most: int) -> int:
        """How many processes are worth it, of those that may be."""
        return most if len(self._template.resources) >= PARALLEL_RESOURCES.most else 1

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
    def _catalog_findings(self) -> list[Finding]:
        """What is wrong with the project's own catalogs; once it is found, no resource is blamed for it."""
        return self._inputs.catalog_findings(self._used_types)

    @cached_property
    def _used_types(self) -> frozenset[str]:
        return frozenset(each.type.id for template in self.templates for each in template.resources.values() if each.type is not None)

    @property
    def _environment_labels(self) -> dict[str, dict[str, Any]]:
        return {name: entry.labels for name, entry in self._file.environments.items()}

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
        with spread(tasks, self.processes(workers)) as results:
            return dict(zip(views, results(), strict=True))

    def _whole(self, view: str) -> Evaluated:
        rendering, found = self._rendered(view)
        findings = [*self._findings, *self._catalog_findings, *self._template_findings(), *found, *rendering.findings]
        if not any(each.level == "error" or each.id in _LEAVE_UNKNOWN for each in findings) and is_unknown_somewhere(rendering):
            raise UnexplainedUnknown
        return replace(rendering, findings=merged(findings, self.environments))

    def compare(
        self,
        environments: Iterable[str] = (),
        baseline: str | None = None,
        everything: bool = False,
        only: str | Sequence[str] = (),
        ignore: Sequence[str] = (),
        echoes: bool = False,
    ) -> "Comparison":
        """Environments, or views of them such as `live?copies=4` and `live@HEAD~3`, side by side; the baseline comes first.

        `only` and `ignore` are patterns over addresses, or over `address:property` where they hold a colon. With `echoes`, rows that only
        repeat parameters say so.
        """
        from jovial_scaffold.core.changes.matrix import compare

        return compare(self.views(self.in_order(environments, baseline)), everything, only, ignore, echoes)

    def in_order(self, environments: Iterable[str] = (), baseline: str | None = None) -> tuple[str, ...]:
        """Some views, or all environments, each once, with the baseline before the others."""
        chosen = tuple(dict.fromkeys(environments)) or self.environments
        return chosen if baseline is None else (baseline, *(name for name in chosen if name != baseline))

    def views(self, texts: Iterable[str]) -> list[Evaluated]:
        """Environments rendered as they are asked for (see `View`), in that order; their findings are those of the environment alone."""
        labels: dict[str, int] = {}
        renderings = []
        for text in texts:
            project, here = self.side(text)
            rendering, findings = project._rendered(here)
            rendering = replace(rendering, findings=[*findings, *rendering.findings])
            count = labels[rendering.label] = labels.get(rendering.label, 0) + 1
            # What is told apart by a secret only looks the same, and is another column all the same.
            renderings.append(rendering if count == 1 else replace(rendering, label=f"{rendering.label} ({count})"))
        return renderings

    def at(self, revision: str) -> "Project":
        """The project as of a revision. Raises ProjectError."""
        if revision not in self._revisions:
            try:
                history = self._overrides.history()
                found = project_at(history, history.commit(revision), self.folder, self._file.file, self._overrides)
            except RevisionError as error:
                raise revision_error(error) from None
            found._as_of = f"@{revision}"
            self._revisions[revision] = found
        return self._revisions[revision]

    def files(self, paths: Sequence[str]) -> list[Evaluated]:
        """The template under parameter files that no environment declares: each over `parameters/common.*`, where that exists."""
        found = []
        for path in paths:
            common = default_parameters(self.folder, ("common",))
            entry = EnvironmentEntry(PurePosixPath(path).stem, common, {}, NOWHERE)
            rendering, findings = self._render(entry, (path,))
            label = PurePosixPath(path).name if len({PurePosixPath(each).name for each in paths}) == len(paths) else path
            found.append(replace(rendering, label=label, findings=[*findings, *rendering.findings]))
        return found

    def _shown_label(self, view: View) -> str:
        """What a view is called where it is shown: what it sets, but for what is secret or declared by nobody."""
        shown = [f"{name}={value if is_public(self._template, name) else marks.SECRET}" for name, value in view.values]
        return f"{view.environment}{self._as_of}{'?' if shown else ''}{'&'.join(shown)}"

    def marked(self, name: str, value: Any) -> Any:
        """The content of one of the project's own files with what it keeps secret marked: a parameter file, or a snapshot."""
        if not isinstance(value, dict):
            return value
        if name in self.parameter_files:
            return {key: self._marked_parameter(key, item) for key, item in value.items()}
        if any(name == self.deployed_name(each) for each in self.environments) and isinstance(value.get("resources"), dict):
            return {**value, "resources": {address: self._marked_resource(each) for address, each in value["resources"].items()}}
        return value

    def _marked_parameter(self, name: str, value: Any) -> Any:
        declared = {each.casefold(): each for each in self._template.parameters}
        declaration = self._template.parameters.get(declared.get(name.casefold(), ""))
        return self._plan.checker.marked(declaration, value) if declaration else value

    def _marked_resource(self, value: Any) -> Any:
        kind = self._catalogs.find(str(value.get("type", ""))) if isinstance(value, dict) else None
        return {**value, "properties": with_secrets(kind.shape, value.get("properties"))} if kind else value

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

    def _with_values_of(self, view: View, source: "Project", there: str, only: Sequence[str]) -> tuple[Parameters, list[Finding]]:
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
        return effects_of_settings(project._rendered(here)[0], [project._tried(here, setting) for setting in tried])

    def _tried(self, here: str, setting: str) -> tuple[str, Evaluated, list[Finding]]:
        """A view with one more setting: that as it is shown, the rendering, and its errors."""
        view = View.parse(f"{here}{'&' if '?' in here else '?'}{setting}")
        rendering, found = self._rendered(view.label)
        shown = self._shown_label(replace(view, values=view.values[-1:])).partition("?")[2]
        return shown, rendering, [each for each in (*found, *rendering.findings) if each.level == "error"]

    def _as_deployed(self, environment: str, snapshot: "Snapshot") -> Evaluated | None:
        """What was deployed last: the project as of the recorded revision, under the recorded parameters; None where that cannot be known."""
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
            name: value
            for name, value in snapshot.parameters.items()
            if name in project._template.parameters and not any(deep_marks(value)[1:])
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

    def snapshot(self, environment: str, against: "str | PurePath | None" = None) -> "tuple[Snapshot, list[Finding]]":
        """What runs in an environment, and the lesser findings of its file. Raises ProjectError."""
        from jovial_scaffold.core.changes.snapshots import read_snapshot

        deployed = self._file.environments[environment].deployed
        if against is not None:
            source, findings = self._files.outside(str(against))
        elif deployed is not None:
            source, findings = self._files.read(deployed.text, deployed.origin)
        else:
            hint = say("Name a file with --against, or write `deployed` in the project file; `jovial record` makes one.")
            raise ProjectError([Finding("snapshot-missing", "error", say("Nothing says what runs in {} now.", environment), None, hint)])
        if source is None or source.broken:
            raise ProjectError(findings if source is None else discreet(source, findings))
        source.hide_all()  # what a cloud says of its resources is shown by what is known of them, not by lines
        snapshot, findings = read_snapshot(source, self._catalogs, self._overrides.snapshot_key)
        if snapshot is None or has_errors(findings):
            raise ProjectError(findings)
        if snapshot.environment and snapshot.environment != environment:
            span = source.value_span(("environment",))
            message = say("This snapshot is of {}, and {} is asked for.", snapshot.environment, environment)
            hint = say("Name the right file with --against, or as `deployed` of the project file.")
            findings.append(Finding("snapshot-environment", "warning", message, span, hint, environments=(environment,)))
        return snapshot, findings

    @property
    def rendered(self) -> int:
        """How many environments have been rendered so far."""
        return len(self._renderings)

    def with_partners(self, environments: Iterable[str]) -> tuple[str, ...]:
        """Some environments, and those that rules over pairs put beside them."""
        chosen = set(environments)
        for rule in (rule for ruleset in self._rulesets for rule in ruleset.rules if rule.over == "pair"):
            if rule.between is None and chosen:
                return self.environments
            if rule.between and chosen & set(rule.between):
                chosen |= set(rule.between)
        return tuple(name for name in self.environments if name in chosen)

    def inputs(self, environment: str) -> dict[str, str]:
        """What an environment is made from, as a digest by file: two that are equal render alike, and have the same findings."""
        self.chosen((environment,))
        run = self._run if any(reads_run(each) for each in self.templates) else {}
        return self._inputs.digests(environment, self._resolved(environment)[0], run)

    @property
    def parameter_files(self) -> frozenset[str]:
        """The parameter files of all environments, as the project file writes them."""
        return self._inputs.parameter_files

    @property
    def snapshot_key(self) -> str:
        """What hashes of secrets in snapshots are keyed with, where somebody handed it in."""
        return self._overrides.snapshot_key

    @property
    def run(self) -> Mapping[str, str]:
        """`context.run`, as far as it was asked for."""
        return self._run

    def deployed_name(self, environment: str) -> str | None:
        """The file that says what runs in an environment, by its name from the project's folder, where the project file names one that
        lies inside of the project."""
        entry = self._file.environments.get(View.parse(environment).environment)
        deployed = entry.deployed if entry is not None else None
        if deployed is None:
            return None
        found, outside = self._files.find(deployed.text, deployed.origin)
        return None if outside else found.name if found else deployed.text

    def _under(
        self, view: View, resolved: Parameters, deployed: Mapping[str, Mapping[str, Any]] | None, run: Mapping[str, str] | None
    ) -> Evaluated:
        """A view once more: under some parameters, with what the cloud has set, and as at another run."""
        entry = self._file.environments[view.environment]
        context = {**self._context(entry), "run": run or self._run}
        rendering = render(self._plan, resolved, context, self._plans, deployed, self._meter)
        put_in_order(rendering, self._orders)
        return rendering

    def why(self, what: str, environment: str) -> "Reason":
        """The tree behind `address:property`, an address, or the name of an output, document, value or parameter. Raises Unexplained."""
        from jovial_scaffold.core.rendering.explaining import explain

        project, here = self.side(environment)
        if project is not self:
            return project.why(what, here)
        address, _, property = what.partition(":")
        steps = tuple(int(step) if str(step).isdigit() else step for step in split_pointer(property))
        others = [self._asked(name) for name in self.environments if name != here]
        from jovial_scaffold.core.changes.confirming import confirmed

        rendering = self._asked(here)
        return confirmed(explain(rendering, others, address, steps), rendering, others, address, steps)

    def impact(self, what: str, environments: Iterable[str] = ()) -> "dict[str, list[Touched]]":
        """What a parameter, value, function, lookup, document or resource of the template, or a label (`context.labels.tier`) may reach, or what stands at FILE:LINE, by view.
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
                value, note = then._answer(asked, environment) if then is not None else (None, _NO_PROJECT)
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

    def _project_at(self, history: History, commit: str) -> "Project | None":
        """The project of a commit; None where there was none that could be read."""
        try:
            return project_at(history, commit, self.folder, self._file.file, self._overrides)
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
        return (None, "there was none") if is_missing(reason.value) else (reason.value, "")

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

    # -- one environment

    def _rendered(self, name: str, sightings: list[Sighting] | None = None) -> tuple[Evaluated, list[Finding]]:
        """An environment, and what is wrong with its parameters. What is wrong with it that goes to `sightings` is not kept."""
        if name not in self._renderings:
            view = View.parse(name)
            found = self._render(self._file.environments[view.environment], (), view.values, sightings)
            if sightings:
                return found
            self._renderings[name] = found
        return self._renderings[name]

    def _asked(self, name: str) -> Evaluated:
        """A view of which only what is asked for is evaluated; as a whole where it was rendered already."""
        if name in self._renderings:
            return self._renderings[name][0]
        if name not in self._partly:
            view = View.parse(name)
            entry = self._file.environments[view.environment]
            self._partly[name] = asked(self._plan, self._resolved(name)[0], self._context(entry), self._plans, self._meter)
        return self._partly[name]

    def _context(self, entry: EnvironmentEntry) -> dict[str, Any]:
        """What `context` holds in an environment."""
        return {"project": self.name, "environment": entry.name, "labels": entry.labels, "run": self._run}

    def _resolved(self, name: str) -> tuple[Parameters, list[Finding]]:
        """An environment's parameters, and what is wrong with its files and values."""
        if name not in self._parameters:
            view = View.parse(name)
            self._parameters[name] = self._resolve(self._file.environments[view.environment], (), view.values)
        return self._parameters[name]

    def _resolve(
        self, entry: EnvironmentEntry, files: Sequence[str] = (), values: Sequence[tuple[str, str]] = ()
    ) -> tuple[Parameters, list[Finding]]:
        findings: list[Finding] = []
        layers, unread = self._inputs.layers(self._template, entry, findings, files, values)
        label = self._shown_label(View(entry.name, entry.name, "", tuple(values)))
        parameters, problems = self._plan.checker.resolve(
            label, layers, self._inputs.read_secret, self._overrides.process, self._inputs.is_tracked, unread
        )
        return replace(parameters, label_origins=entry.label_origins), [*findings, *problems]

    def _render(
        self,
        entry: EnvironmentEntry,
        files: Sequence[str] = (),
        values: Sequence[tuple[str, str]] = (),
        sightings: list[Sighting] | None = None,
    ) -> tuple[Evaluated, list[Finding]]:
        self._catalog_findings  # noqa: B018 - it has to be found before resources are judged
        parameters, findings = self._resolve(entry, files, values) if files or values else self._resolved(entry.name)
        rendering = render(self._plan, parameters, self._context(entry), self._plans, meter=self._meter, sightings=sightings)
        return rendering, [*findings, *put_in_order(rendering, self._orders)]


def _with_names(layer: Layer, fits: Callable[[str], bool]) -> Layer:
    """A layer with those of its values whose names fit."""
    return replace(layer, values={name: value for name, value in layer.values.items() if fits(name)})


def _made(project: Project, view: str, make: Callable[[Rendering], T]) -> T:
    return make(project.render(view))


def project_at(history: History, commit: str, folder: Folder, file: str, overrides: Overrides, as_then: bool = True) -> Project:
    """The project of a file as of a commit.

    What the repository does not keep, such as files of secrets, is taken from `folder`, where the project is now; `context.run` is that
    of the commit where `as_then`, else that of the caller. Raises RevisionError, ProjectError.
    """
    if as_then:
        date, author, _ = history.described(commit)
        run = {"date": date, "revision": commit[:12], "author": author}
        overrides = replace(overrides, run=lambda: run)
    then = history.at(commit)
    found = then.find(file)
    if not isinstance(found, Found):
        raise RevisionError(say("There was no {} in {}.", file, commit[:12]), say("Name a later revision."))
    return Project(then, file, replace(overrides, beside=folder))
