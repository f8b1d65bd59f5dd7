"""docs/words.md names every public word, and no other."""

import importlib
import json
import re
from collections.abc import Callable, Iterable
from enum import StrEnum
from pathlib import Path

import pytest

from jovial_scaffold.cli import catalog as catalog_command
from jovial_scaffold.cli import main
from jovial_scaffold.core import marks, project_file, workspace
from jovial_scaffold.core.changes.effect_records import EFFECTS
from jovial_scaffold.core.expressions.functions import FUNCTIONS
from jovial_scaffold.core.expressions.parser import MACROS
from jovial_scaffold.core.rules import reading
from jovial_scaffold.core.rules.using import LEVEL_KEYS
from jovial_scaffold.core.schemas.annotations import ANNOTATIONS
from jovial_scaffold.core.schemas.catalog import INDEX_KEYS, shipped_catalog
from jovial_scaffold.core.schemas.describing import properties
from jovial_scaffold.core.schemas.keywords import parts
from jovial_scaffold.core.templates.resourcing import DIRECTIVES
from jovial_scaffold.core.templates.sections import ENTRY_KEYS, SECTIONS
from jovial_scaffold.core.text.references import USE_KEYS
from jovial_scaffold.core.text.source import NOWHERE
from jovial_scaffold.core.waivers import KEYS as WAIVER_KEYS

DOCS = Path(__file__).parents[1] / "docs"
SCHEMAS = [json.loads(path.read_text("utf-8")) for path in sorted((DOCS / "schemas").glob("*.json"))]
TYPES = (shipped_catalog("fulmar") or ([], {}))[0]


def page() -> dict[str, list[tuple[str, ...]]]:
    """The rows of each table of the page, by its heading; the word without its marks."""
    found: dict[str, list[tuple[str, ...]]] = {}
    for part in (DOCS / "words.md").read_text("utf-8").split("\n## ")[1:]:
        title, _, body = part.partition("\n")
        rows = re.findall(r"^\| `(.+?)` \| (.*) \|$", body, re.MULTILINE)
        found[title] = [(word, *re.split(r" (?<!\\)\| ", rest)) for word, rest in rows]
    return found


def _options() -> set[str]:
    found: set[str] = set()
    whole = main._application([])
    waiting = [whole]
    while waiting:
        command = waiting.pop()
        waiting += getattr(command, "commands", {}).values()
        for option in command.params:
            found |= {flag for flag in (*option.opts, *option.secondary_opts) if flag.startswith("--")}
    return found


def _actions(name: str) -> Iterable[str]:
    return importlib.import_module(main.COMMANDS[name][0]).SUBCOMMANDS  # type: ignore[no-any-return]  # a module has any


def _formats() -> set[str]:
    """The values of every enumeration of formats that a command has."""
    for module, *_ in main.COMMANDS.values():
        importlib.import_module(module)
    kinds = [kind for kind in StrEnum.__subclasses__() if kind.__module__.startswith("jovial") and "Format" in kind.__name__]
    return {each.value for kind in kinds for each in kind}


def _fields() -> set[str]:
    return {name for schema in SCHEMAS for part, _ in parts(schema, NOWHERE) for name in part.get("properties", ())}


PROGRAM: dict[str, Callable[[], Iterable[str]]] = {
    "Commands": lambda: main.COMMANDS,
    "Actions of `jovial catalog`": lambda: [each.value for each in catalog_command.Action],
    "Actions of `jovial parameters`": lambda: _actions("parameters"),
    "Actions of `jovial rules`": lambda: _actions("rules"),
    "Actions of `jovial new`": lambda: _actions("new"),
    "Options": _options,
    "Formats": _formats,
    "Sections of a template": lambda: SECTIONS,
    "Keys inside of sections": lambda: {key for keys in ENTRY_KEYS.values() for key in keys},
    "Directives": lambda: (*DIRECTIVES, "$secret", "$schema", "$open"),
    "The project file": lambda: (*project_file.KEYS, *project_file.ENVIRONMENT_KEYS),
    "The workspace file": lambda: workspace.KEYS,
    "Rulesets": lambda: (*reading.SECTIONS, *reading.KEYS),
    "Uses of rulesets": lambda: (*USE_KEYS, *LEVEL_KEYS),
    "Waivers": lambda: WAIVER_KEYS,
    "Names in rules": lambda: {name for names in reading.NAMES.values() for name in names},
    "Effects of a deployment on a resource": lambda: EFFECTS,
    "Annotations in catalogs": lambda: ANNOTATIONS,
    "`catalog.yaml`": lambda: INDEX_KEYS,
    "Functions": lambda: {name for name, _ in FUNCTIONS},
    "Macros": lambda: MACROS,
    "JSON fields": _fields,
    "JSON documents": lambda: [schema["$id"] for schema in SCHEMAS],
    "Types of Fulmar": lambda: {each.name for each in TYPES},
    "Properties of Fulmar": lambda: {each.path.rpartition(".")[2].replace("[]", "") for kind in TYPES for each in properties(kind.schema)},
}
#: tables whose words are no list of the program
OTHERS = {"`context`", "Marks"}


@pytest.mark.parametrize("title", PROGRAM)
def test_the_page_and_the_program_have_the_same_words(title: str) -> None:
    rows = page()[title]
    words = [row[0] for row in rows]
    assert len(words) == len(set(words))
    assert set(words) == set(PROGRAM[title]())
    assert all(all(row) and "TODO" not in row[1] for row in rows), [row for row in rows if not all(row)]


def test_every_table_is_compared() -> None:
    assert page().keys() == PROGRAM.keys() | OTHERS
    shown = {row[0] for row in page()["Marks"]}
    own = {value for name, value in vars(marks).items() if name.isupper() and isinstance(value, str)} - {marks.OPEN, marks.CLOSE}
    assert own <= shown
