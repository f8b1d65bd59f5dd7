"""What every command takes: colours, what it says of itself, and the defaults that a project gives its options."""

import json
import os
import sys
import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
from typer.core import TyperOption

from jovial_scaffold.core.defaults import TAKEN, Defaults

if TYPE_CHECKING:
    from jovial_scaffold.machine.opening import Project

_TOLD = "jovial.told"  # whether -v is given, in what click keeps for one run
_LEFT = "jovial.left"  # the same of --no-defaults
_COLOURS = ("auto", "always", "never")
_NO_DEFAULTS = "--no-defaults"
_NAMED = 12  # files that are named, of those that are read
_OF_CORE = frozenset(("proofs",))  # which the check itself reads


def add_common_options(command: click.Command, name: str = "") -> None:
    """Give a command, and all below it, the options that each takes."""
    if isinstance(command, click.Group):
        for each, below in command.commands.items():
            add_common_options(below, name or each)
    if not name:
        return
    command.params.append(_option(["--color"], "When colours are used.", _coloured, click.Choice(_COLOURS), "auto"))
    command.params.append(_option(["--verbose", "-v"], "Say on the error output what is read, and how long it takes.", _told))
    if name in TAKEN and not isinstance(command, click.Group):
        command.params.append(_option([_NO_DEFAULTS], "Without the `defaults` of the project file.", _without))


def _option(names: list[str], help: str, callback: Any, kind: Any = None, default: Any = False) -> click.Option:
    return TyperOption(
        param_decls=names,
        help=help,
        callback=callback,
        type=kind,
        is_flag=kind is None,
        default=default,
        expose_value=False,
        is_eager=True,
        show_default=False,
    )


def _coloured(context: click.Context, option: click.Parameter, wanted: str) -> None:
    """The process variables that say so, for all that asks them."""
    if wanted != "auto":
        os.environ.pop("NO_COLOR", None)
        os.environ.pop("FORCE_COLOR", None)
        os.environ["FORCE_COLOR" if wanted == "always" else "NO_COLOR"] = "1"


def _without(context: click.Context, option: click.Parameter, wanted: bool) -> None:
    context.meta[_LEFT] = wanted


def takes_defaults() -> bool:
    """Whether what the project gives options is taken."""
    context = click.get_current_context(silent=True)
    return context is None or not context.meta.get(_LEFT)


def _told(context: click.Context, option: click.Parameter, wanted: bool) -> None:
    if wanted and not context.meta.get(_TOLD):
        context.meta[_TOLD] = True
        began = time.perf_counter()
        context.find_root().call_on_close(lambda: print(f"jovial: {time.perf_counter() - began:.2f} s", file=sys.stderr))


def default_map(whole: click.Command, arguments: Sequence[str]) -> dict[str, Any]:
    """What the project here gives the options of the command that is called, as click takes it: by the names of its parameters."""
    called = next((each for each in arguments if not each.startswith("-")), "")
    if called not in TAKEN or _NO_DEFAULTS in arguments:
        return {}
    command = whole.commands.get(called) if isinstance(whole, click.Group) else None
    options = {option: each.name for each in (command.params if command is not None else ()) for option in each.opts}
    found = _defaults(arguments).get(called, {})
    return {called: {str(options[f"--{name}"]): value for name, value in found.items() if name not in _OF_CORE}}


def _defaults(arguments: Sequence[str]) -> Defaults:
    """Those of the project that is named, or found from here."""
    named = next((each.removeprefix("--project=") for each in arguments if each.startswith("--project=")), "")
    if "--project" in arguments[:-1]:
        named = arguments[arguments.index("--project") + 1]
    from jovial_scaffold.machine.opening import defaults_at

    return defaults_at(Path(named or "."))


def tell_of(project: "Project") -> None:
    """Where -v is given: which project is read, and what it gives options."""
    context = click.get_current_context(silent=True)
    if context is None or not context.meta.get(_TOLD):
        return
    from jovial_scaffold.reports.words import counted, visible

    sources = project.sources
    size = sum(len(each.text) for each in sources)
    names = sorted(each.name for each in sources)
    shown = names if len(names) <= _NAMED else [*names[:_NAMED], f"and {len(names) - _NAMED:,} more"]
    lines = [
        f"project {project.name} in {project.folder.where}, {counted(len(project.environments), 'environment')}",
        f"{counted(len(sources), 'file')} with {size:,} characters: {', '.join(shown)}",
    ]
    given = project.project_file.defaults.get(context.info_name or "", {})
    if given and takes_defaults():
        lines.append(f"defaults of {context.info_name}: {json.dumps(given)[1:-1]}")
    for line in lines:
        print(f"jovial: {visible(line)}", file=sys.stderr)
