"""The command line as a whole: which commands there are, loaded only when they are called; how it ends."""

import importlib
import itertools
import os
import signal
import sys
from typing import Any

import typer

from jovial_scaffold._version import __version__
from jovial_scaffold.cli import ending, exit_codes
from jovial_scaffold.core import marks
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.machine.room import with_room

# name -> (module, the part of the day's work it belongs to, one line); a new command is one entry
COMMANDS = {
    "demo": ("jovial_scaffold.cli.demo", "Author", "Write a demo project, check it, and compare its environments."),
    "new": ("jovial_scaffold.cli.new", "Author", "Write a project to begin with, or add to one by name."),
    "gallery": ("jovial_scaffold.cli.gallery", "Author", "List and show starting points of projects."),
    "check": ("jovial_scaffold.cli.check", "Check", "Report everything that is wrong, with its place and what to do."),
    "evaluate": ("jovial_scaffold.cli.evaluate", "Author", "Print the value of an expression, over an environment, a file or bound names."),
    "functions": ("jovial_scaffold.cli.functions", "Author", "List the functions of expressions, each with an example."),
    "mend": ("jovial_scaffold.cli.mend", "Check", "Apply the repairs that findings propose."),
    "rules": ("jovial_scaffold.cli.rules", "Check", "List rules, show what they judged, and try their examples."),
    "waive": ("jovial_scaffold.cli.waive", "Check", "Write down that a finding is lived with, why, and until when."),
    "tidy": ("jovial_scaffold.cli.tidy", "Author", "Lay the files of a project out, without changing what they say."),
    "findings": ("jovial_scaffold.cli.findings", "Check", "Explain what a finding means and how it is mended."),
    "catalog": ("jovial_scaffold.cli.catalog", "Author", "List, show, search, check and compare the types of resources."),
    "parameters": ("jovial_scaffold.cli.parameters", "Author", "List the parameters with their values, and write their files."),
    "lift": ("jovial_scaffold.cli.lift", "Author", "Give a literal a name: a value of the template, or a parameter."),
    "rename": ("jovial_scaffold.cli.rename", "Author", "Give something of the template another name, wherever it is meant."),
    "extract": ("jovial_scaffold.cli.extract", "Author", "Move resources into a module, with what only they use."),
    "inline": ("jovial_scaffold.cli.inline", "Author", "Write a use of a module out in the template."),
    "render": ("jovial_scaffold.cli.render", "Preview", "Show the resources of one environment in deployment order."),
    "fill": ("jovial_scaffold.cli.fill", "Author", "Fill in one text with placeholders, and never with nothing."),
    "why": ("jovial_scaffold.cli.why", "Preview", "Explain where a rendered value comes from."),
    "find": ("jovial_scaffold.cli.find", "Preview", "Find where a value that someone saw comes from."),
    "survey": ("jovial_scaffold.cli.survey", "Author", "Give an overview of a template, or of any JSON or YAML file."),
    "compare": ("jovial_scaffold.cli.compare", "Preview", "Show environments side by side, and what drives each difference."),
    "effects": ("jovial_scaffold.cli.effects", "Preview", "Show what a deployment would do to what runs now."),
    "record": ("jovial_scaffold.cli.record", "Preview", "Save a rendering as what runs now."),
    "ripple": ("jovial_scaffold.cli.ripple", "Preview", "Show what changed files change, in every project and environment."),
    "map": ("jovial_scaffold.cli.map", "Preview", "Draw what depends on what."),
    "plot": ("jovial_scaffold.cli.plot", "Preview", "Plot where environments differ, what they add up to, and why."),
    "board": ("jovial_scaffold.cli.board", "Preview", "Write everything into one page to look through."),
}
_SET = regex(r"=[^&]*")
ABOUT = "Check cloud resource templates and preview every environment before anything is deployed."


def run(arguments: list[str]) -> int:
    """Parse, call the command, and give the exit code. Never a traceback, and never the code of an error in the user's files for one of
    ours."""
    try:
        ending.prepare(_is_for_machines(arguments))
        if arguments[:1] == ["help"]:
            arguments = [*arguments[1:], "--help"]
        code = _called(_with_every_rule(arguments))
        if code not in (0, exit_codes.DIFFERENCES) and "json" in _formats(arguments):
            ending.tell_as_json(code)
        failed = ending.flushed()
    except KeyboardInterrupt:
        return exit_codes.SIGNALLED + signal.SIGINT
    except ending.Ended as ended:
        return ended.code
    return code if failed is None else failed


def _is_for_machines(arguments: list[str]) -> bool:
    """Whether the result is read by programs, which want UTF-8."""
    if arguments[:1] == ["evaluate"]:
        return True
    return any(value != "text" for value in _formats(arguments))


def _formats(arguments: list[str]) -> list[str]:
    """What is asked for as --format."""
    given = [value for option, value in itertools.pairwise(arguments) if option == "--format"]
    return [*given, *(each[9:] for each in arguments if each.startswith("--format="))]


def _with_every_rule(arguments: list[str]) -> list[str]:
    """`check --rules` without a pattern, as one that all fit."""
    if arguments[:1] != ["check"]:
        return arguments
    following = [*arguments[1:], "-"]
    return [f"{each}=*" if each == "--rules" and after.startswith("-") else each for each, after in zip(arguments, following, strict=True)]


def _called(arguments: list[str]) -> int:
    try:
        return with_room(lambda: _invoked(arguments))
    except (BrokenPipeError, SystemExit):  # the latter is what the parser of the command line makes of the former
        return ending.dead_pipe()
    except RecursionError:
        print("jovial: values, modules or expressions lean on each other too deep to be looked at.", file=sys.stderr)
        return exit_codes.UNUSABLE
    except ImportError:
        raise  # a package is missing: `__main__` says which
    except Exception as error:
        return _ended(error, arguments)


def _invoked(arguments: list[str]) -> int:
    from jovial_scaffold.cli.common import default_map

    application = _application(arguments)
    result = application(args=arguments, prog_name="jovial", standalone_mode=False, default_map=default_map(application, arguments))
    return result if isinstance(result, int) else 0


def _ended(error: Exception, arguments: list[str]) -> int:
    from typer import Abort, Exit

    if isinstance(error, Exit):
        return error.exit_code
    if isinstance(error, Abort):
        return exit_codes.SIGNALLED + signal.SIGINT
    show = getattr(error, "show", None)
    if show is not None:  # an error of the command line itself, which says what was expected
        format_message = getattr(error, "format_message", None)
        if format_message is not None:
            said = _without_values(format_message().replace("\n\t", " "), arguments)  # what can be chosen, in one line
            error.format_message = lambda: said  # type: ignore[attr-defined]  # it has one
        show()
        return exit_codes.UNUSABLE
    if isinstance(error, OSError) and error.errno and (error.filename or error.errno in ending.OF_THE_MACHINE):
        return ending.refused(error, "" if error.filename else "standard output")
    return ending.internal(error, arguments)


def _without_values(message: str, arguments: list[str]) -> str:
    """A message that may repeat arguments, without what views among them set: any of it may be secret, and logs keep it."""
    for argument in arguments:
        environment, mark, query = argument.partition("?")
        if mark and "=" in query:
            message = message.replace(argument, f"{environment}?{_SET.sub(f'={marks.SECRET}', query)}")
    return message


def _application(arguments: list[str]) -> Any:
    """A Typer application with the called command only, or with all where help or completion asks for them."""
    from jovial_scaffold.cli.common import add_common_options

    application = typer.Typer(
        name="jovial",
        help=f"{ABOUT}\n\nBegin with: jovial demo. More of a command: jovial help COMMAND",
        no_args_is_help=True,
        pretty_exceptions_enable=False,
        rich_markup_mode="rich" if not arguments or "--help" in arguments else None,
        context_settings={"help_option_names": ["--help", "-h"]},
    )

    @application.callback()
    def whole(version: bool = typer.Option(False, "--version", "-V", help="Print the version.", is_eager=True)) -> None:
        if version:
            print(f"jovial {__version__}")
            raise typer.Exit

    called = next((argument for argument in arguments if not argument.startswith("-")), None)
    only = {called: COMMANDS[called]} if called in COMMANDS and "_JOVIAL_COMPLETE" not in os.environ else COMMANDS
    for name, (module, panel, about) in only.items():
        loaded = importlib.import_module(module)
        command, subcommands = loaded.command, getattr(loaded, "SUBCOMMANDS", {})
        help = f"{about}\n\n{command.__doc__}"
        if not subcommands:
            application.command(name, help=help, short_help=about, rich_help_panel=panel)(command)
            continue
        group = typer.Typer(rich_markup_mode=application.rich_markup_mode)
        group.callback(invoke_without_command=True, help=help, short_help=about)(command)
        for each, (run, does) in subcommands.items():
            group.command(each, help=f"{does}\n\n{run.__doc__}", short_help=does)(run)
        application.add_typer(group, name=name, rich_help_panel=panel)
    whole_command = typer.main.get_command(application)
    add_common_options(whole_command)
    return whole_command
