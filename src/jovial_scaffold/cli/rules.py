"""`jovial rules`: what the rules are, what they judged, and what their examples show."""

import os
import sys
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.completing import rule_names
from jovial_scaffold.cli.editing import said
from jovial_scaffold.cli.options import Format, ProjectPath, ReportFormat, exit_code, folder_shown, load, print_findings
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.rules.reading import fitting
from jovial_scaffold.core.words import nearest, say
from jovial_scaffold.reports.machine import json_text
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import counted, visible
from jovial_scaffold.reports.words import said as text_of

if TYPE_CHECKING:
    from jovial_scaffold.reports.rules import Look


Only = Annotated[
    str, typer.Option("--only", help="Rules of such a name (RULESET/RULE), or with such a tag: a pattern of * and ?.", show_default=False)
]


def command(context: typer.Context, only: Only = "", project: ProjectPath = None, format: Format = ReportFormat.text) -> None:
    """Without a command behind it: all rules, each with its level, what it is about, and how it turned out over all environments.

    Example: jovial rules show no_remote_access_from_anywhere
    """
    if context.invoked_subcommand is None:
        _listed(only, project, format)


def list_rules(only: Only = "", project: ProjectPath = None, format: Format = ReportFormat.text) -> None:
    """Each with its level, what it is about, and how it turned out over all environments.

    Example: jovial rules list --only 'House rules/*'
    """
    _listed(only, project, format)


def show(
    name: Annotated[str, typer.Argument(help="RULE, or RULESET/RULE.", show_default=False, autocompletion=rule_names)],
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """As it is written, with what it judged in each environment, and where it passed and failed.

    Example: jovial rules show no_remote_access_from_anywhere
    """
    with said():
        loaded = load(project, None, None)
        found = [each for each in _looks(loaded, "") if name in (each.rule.label, each.rule.name)]
    if not found:
        labels = [rule.label for ruleset in loaded.rulesets for rule in ruleset.rules]
        hint = text_of(nearest(name, [*labels, *(each.partition("/")[2] for each in labels)], say("jovial rules lists them.")))
        print(f"jovial: there is no rule `{visible(name)}`. {hint}", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE)
    from jovial_scaffold.reports.rules import rule_shown, rules_document

    found = [replace(each, judged=_judged(loaded, each)) for each in found]
    if format is ReportFormat.json:
        sys.stdout.write(json_text(rules_document(loaded.name, found)))
        return
    style = style_for(sys.stdout, os.environ)
    sys.stdout.write("\n".join(rule_shown(each, style, folder_shown(loaded)) for each in found))


def test(
    coverage: Annotated[bool, typer.Option("--coverage", help="Also find conditions that no example reaches.")] = False,
    strict: Annotated[bool, typer.Option("--strict", help="Take warnings for errors.")] = False,
    project: ProjectPath = None,
    format: Format = ReportFormat.text,
) -> None:
    """The examples of every rule, judged: exit code 1 where one turns out otherwise than it says. Rules that no example makes fail are warnings.

    Example: jovial rules test --coverage --strict
    """
    with said():
        loaded = load(project, None, None)
        found = loaded.test_rules(coverage)
    found = [replace(each, level="error") if strict and each.level == "warning" else each for each in found]
    rules = [rule for ruleset in loaded.rulesets for rule in ruleset.rules]
    examples = sum(len(rule.passes) + len(rule.fails) for rule in rules)
    if format is ReportFormat.json:
        from jovial_scaffold.reports.rules import tests_document

        sys.stdout.write(json_text(tests_document(loaded.name, len(rules), examples, found)))
    else:
        print_findings(found, loaded)
        wrong = counted(len(found), "finding") if found else "all is as it says"
        print(f"{counted(len(rules), 'rule')}, {counted(examples, 'example')}: {wrong}.")
    raise typer.Exit(exit_code(found))


def _listed(only: str, project: Path | None, format: ReportFormat) -> None:
    from jovial_scaffold.reports.rules import rules_document, rules_list

    with said():
        loaded = load(project, None, None)
        found = _looks(loaded, only)
    if format is ReportFormat.json:
        sys.stdout.write(json_text(rules_document(loaded.name, found)))
    elif not found and only and any(ruleset.rules for ruleset in loaded.rulesets):
        print(f"No rule has such a name or tag: {visible(only)}")
    elif not found:
        files = loaded.project_file.rulesets
        told = (
            "No rule of the project can be read: jovial check says why."
            if files
            else "The project has no rules: jovial new ruleset NAME writes some."
        )
        print(told)
    else:
        sys.stdout.write(rules_list(found, style_for(sys.stdout, os.environ), folder_shown(loaded)))


def _looks(project: Project, only: str) -> "Sequence[Look]":
    """The rules, with how each turned out. Raises ProjectError."""
    from jovial_scaffold.reports.rules import Look

    result = project.check()
    found = []
    for rule in (rule for ruleset in fitting(project.rulesets, (only,) if only else ()) for rule in ruleset.rules):
        counts = {
            environment: Counter({outcome: count for (label, outcome), count in verdicts.items() if label == rule.label})
            for environment, verdicts in result.verdicts.items()
        }
        found.append(Look(rule, {}, {name: each for name, each in counts.items() if name or each}))
    return found


def _judged(project: Project, look: "Look") -> dict[str, dict[str, list[str]]]:
    """Where a rule turned out how, by environment."""
    from jovial_scaffold.core.rules.evaluation import outcomes, outcomes_over

    ruleset = next(each for each in project.rulesets if look.rule in each.rules)
    found: dict[str, dict[str, list[str]]] = {}
    for rendering in project.views(project.environments):
        places = found.setdefault(rendering.label, {})
        for label, outcome in outcomes(rendering, ruleset, look.rule):
            places.setdefault(outcome, []).append(label)
    if look.rule.over == "declarations":
        places = found.setdefault("", {})
        for label, outcome in outcomes_over(project.declarations(), ruleset, look.rule):
            places.setdefault(outcome, []).append(label)
    return found


SUBCOMMANDS = {
    "list": (list_rules, "List all rules."),
    "show": (show, "Show a rule and what it judged."),
    "test": (test, "Try the examples of all rules."),
}
