"""`--ask`: whoever sits at the terminal says what parameters are that have no value."""

import getpass
import os
import sys
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import Any
from urllib.parse import quote

import typer

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.core.authoring.gallery import Entry, entry_named
from jovial_scaffold.core.authoring.inventory import Listed, inventory
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.parameters.typing import as_declared, from_text
from jovial_scaffold.core.project import Project as AnyProject
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.templates.compiling import is_name
from jovial_scaffold.machine.opening import Project
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.terminal import style_for, wrapped
from jovial_scaffold.reports.words import listed, said, visible


def asked(loaded: Project, environments: Iterable[str]) -> list[str]:
    """The environments with what was answered, as views. Ends with the exit code where there is nobody to ask. Raises ProjectError."""
    names = [*environments] or list(loaded.environments)
    rows = inventory(list(loaded.template.parameters.values()), loaded.views(names))
    missing = {name: [each for each in rows if each.held[loaded.label(name)].state == "missing"] for name in names}
    if not any(missing.values()):
        return names
    if not (sys.stdin.isatty() and sys.stderr.isatty()):
        for name, each in missing.items():
            if each:
                print(f"jovial: {visible(name)} has no value for {listed([one.name for one in each])}.", file=sys.stderr)
        print("jovial: --ask asks at a terminal, and there is none.", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE)
    return [_answered(loaded, name, missing[name]) for name in names]


def _answered(loaded: Project, name: str, missing: list[Listed]) -> str:
    while True:
        answers: list[tuple[str, str]] = []
        for each in missing:
            answers.append((each.name, _answer(loaded, name, each, answers)))
        wrong = _wrong(loaded, name, answers, lambda finding: finding.id == "must-failed")
        if not wrong:
            break
        _tell(wrong)
    _keep(loaded, name, [(each.name, text) for each, (_, text) in zip(missing, answers, strict=True) if not each.secret])
    return _view(name, answers)


def _answer(loaded: Project, name: str, parameter: Listed, before: list[tuple[str, str]]) -> str:
    style = style_for(sys.stderr, os.environ)
    about = ", ".join(part for part in (parameter.kind, parameter.bounds) if part)
    print(f"\n{style.paint('strong', parameter.name)} in {visible(name)}  {style.paint('place', visible(about))}", file=sys.stderr)
    for line in wrapped(visible(parameter.description), style.width, "  "):
        print(line, file=sys.stderr)
    while True:
        if not parameter.secret:
            print("> ", end="", file=sys.stderr, flush=True)
        text = getpass.getpass("> ") if parameter.secret else input()  # nothing of a secret is echoed
        wrong = _wrong(
            loaded,
            name,
            [*before, (parameter.name, text)],
            lambda finding: finding.id.startswith("parameter-") and _is_about(finding, parameter.name),
        )
        if not wrong:
            return text
        _tell(wrong)


def _is_about(finding: Finding, name: str) -> bool:
    return f"`{name}" in said(finding.message)


def _wrong(loaded: Project, name: str, answers: list[tuple[str, str]], counts: Callable[[Finding], bool]) -> list[Finding]:
    project, here = loaded.side(_view(name, answers))
    return [each for each in project.render(here).findings if each.level == "error" and counts(each)]


def _view(name: str, answers: list[tuple[str, str]]) -> str:
    if not answers:
        return name
    return f"{name}{'&' if '?' in name else '?'}{'&'.join(f'{quote(each)}={quote(text)}' for each, text in answers)}"


def _tell(wrong: list[Finding]) -> None:
    for each in wrong:
        print(f"  {said(each.message)}", file=sys.stderr)


def _keep(loaded: Project, name: str, answers: list[tuple[str, str]]) -> None:
    """Offer to write the answers down, but for secrets."""
    if not answers:
        return
    print(
        f"\nWrite {'this' if len(answers) == 1 else 'these'} into the parameter file of {visible(name)}? [y/N] ",
        end="",
        file=sys.stderr,
        flush=True,
    )
    if input().strip().lower() not in ("y", "yes"):
        return
    from jovial_scaffold.cli.editing import written
    from jovial_scaffold.core.authoring.settings import set_parameters

    try:
        change, done = set_parameters(loaded, name.partition("?")[0], answers)
        written(loaded, change)
    except ProjectError as error:
        _tell(error.findings)
        return
    for each in done:
        print(f"  {visible(each.file)}  {each.what}", file=sys.stderr)


def begun(known: Sequence[Entry], start: str, environments: list[str], default: str) -> tuple[str, list[str], dict[str, Any]]:
    """What a new project is to be: its starting point, its environments, and the values that the starting point asks for. What was said on the
    command line is not asked. Ends with the exit code where there is nobody to ask. Raises ProjectError."""
    _there_is_somebody()
    style = style_for(sys.stderr, os.environ)
    if not start:
        print("What does it begin with? Nothing for a small project with comments.", file=sys.stderr)
        for each in known:
            print(f"  {style.paint('strong', visible(each.name))}  {visible(each.title)}", file=sys.stderr)
        start = _line(lambda text: "" if not text or any(each.name == text for each in known) else "There is none of that name.")
    entry = entry_named(known, start) if start else None
    if not environments:
        print(f"\nWhich environments? With commas between them; nothing for {default}.", file=sys.stderr)
        text = _line(
            lambda text: "" if all(_is_environment(each) for each in _split(text)) else "Their names are a-z, 0-9, - and _, a letter first."
        )
        environments = _split(text)
    values: dict[str, Any] = {}
    for name, question in entry.questions if entry is not None else ():
        assert entry is not None
        text = _other_value(entry.project, entry.project.environments[-1], name, question)
        if text:
            schema = entry.project.template.parameters[name].schema
            values[name] = as_declared(from_text(text, schema), schema)
    return start, environments, values


def model(loaded: Project) -> str:
    """The environment that a new one is like. Ends with the exit code where there is nobody to ask."""
    _there_is_somebody()
    last = loaded.environments[-1]
    print(f"Like which environment? There are {listed(loaded.environments)}; nothing for {visible(last)}.", file=sys.stderr)
    return _line(lambda text: "" if not text or text in loaded.environments else "There is none of that name.") or last


def other_values(then: AnyProject, environment: str, names: Iterable[str]) -> list[tuple[str, str]]:
    """What parameters of an environment are to be instead of what they are; those that stay are left out. Ends with the exit code where there is
    nobody to ask."""
    _there_is_somebody()
    answers = [(name, _other_value(then, environment, name)) for name in names]
    return [(name, text) for name, text in answers if text]


def _there_is_somebody() -> None:
    if not (sys.stdin.isatty() and sys.stderr.isatty()):
        print("jovial: --ask asks at a terminal, and there is none.", file=sys.stderr)
        raise typer.Exit(exit_codes.UNUSABLE)


def _other_value(project: AnyProject, environment: str, name: str, question: str = "") -> str:
    """What somebody writes for a parameter that has a value; nothing where it stays, is secret, or is none of the project."""
    declaration = project.template.parameters.get(name)
    if declaration is None or declaration.secret:
        return ""
    style = style_for(sys.stderr, os.environ)
    print(f"\n{style.paint('strong', visible(question or name))}", file=sys.stderr)
    now = project.parameters_of(environment).values.get(name)
    about = f"{f'{visible(name)}: ' if question else ''}{visible(declaration.description)}; nothing for {visible(cell(now))}"
    for line in wrapped(about, style.width, "  "):
        print(line, file=sys.stderr)
    return _line(partial(_is_no_value, project, environment, name))


def _is_environment(name: str) -> bool:
    return is_name(name.replace("-", "_"))


def _split(text: str) -> list[str]:
    return [each.strip() for each in text.split(",") if each.strip()]


def _is_no_value(project: AnyProject, environment: str, name: str, text: str) -> str:
    """What is wrong with a value; nothing where it may be."""
    wrong = project.parameter_errors(_view(environment, [(name, text)])) if text else []
    about = [each for each in wrong if each.id.startswith("parameter-") and _is_about(each, name)]
    return said(about[0].message) if about else ""


def _line(wrong: Callable[[str], str]) -> str:
    """What somebody writes, once nothing is wrong with it."""
    while True:
        print("> ", end="", file=sys.stderr, flush=True)
        text = input().strip()
        message = wrong(text)
        if not message:
            return text
        print(f"  {message}", file=sys.stderr)
