"""A parameter file in another notation: the same values, with the comments that the notation can hold where they belong."""

import json
from collections.abc import Iterator
from typing import Any, NamedTuple

from jovial_scaffold.core.authoring.promises import broken
from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.parameters.secrets import with_sources
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.source import Source, pointer_text
from jovial_scaffold.core.text.tree import Tree
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.written_values import FLOW, SUFFIXES, Unwritable, toml_key, yaml_lines
from jovial_scaffold.core.words import say

_NAMES = {"yaml": "YAML", "json": "JSON", "toml": "TOML", "dotenv": "dotenv"}


class Converted(NamedTuple):
    """The text, and what of the file is not in it, each with its line."""

    text: str
    lost: list[tuple[int, str]]


class _Entry(NamedTuple):
    key: str
    value: Any
    above: list[str]  #: the lines of comment and blank lines right above it
    behind: str  #: the comment behind it


def convert(project: Project, source: Source, to: str) -> Converted:
    """A flat map of parameters in another notation. Raises ProjectError where the file holds something else."""
    if not isinstance(source.value, dict) or source.broken:
        message = say("{} is no map of parameters that can be read.", source.name)
        raise ProjectError([Finding("parameters-shape", "error", message, None, say("jovial check says what is wrong."))])
    lost: list[tuple[int, str]] = []
    entries = list(_entries(source, lost))
    lines: list[str] = []
    written: dict[str, Any] = {}
    for entry in entries:
        value = _without_secrets(project, entry, source, lost)
        if to == "dotenv" and "$secret" in json.dumps(value, default=str):
            lost.append((_line(source, entry.key), f"`{entry.key}`: where a secret comes from, which dotenv cannot say"))
            continue
        try:
            own = _lines(entry.key, value, to)
        except Unwritable:
            lost.append((_line(source, entry.key), f"`{entry.key}`: null, which {_NAMES[to]} has not"))
            continue
        written[entry.key] = value
        if to != "json":
            own[-1] = f"{own[-1]}  {entry.behind}" if entry.behind and len(own) == 1 else own[-1]
            lines += [*entry.above, *([entry.behind] if entry.behind and len(own) > 1 else []), *own]
        else:
            lost += [(_line(source, entry.key), each.strip()) for each in (*entry.above, entry.behind) if each.strip()]
    text = json.dumps(written, ensure_ascii=False, indent=2) + "\n" if to == "json" else "".join(f"{line}\n" for line in lines)
    again, _ = read_source(text.encode(), f"x{SUFFIXES[to]}")
    value = again.value if again is not None and again.value is not None else {}
    expected = {key: item if isinstance(item, str) else FLOW["dotenv"](item).strip("'") for key, item in written.items()}
    if not same(value, expected if to == "dotenv" else written):
        raise broken(say("{} could not be written as {}.", source.name, _NAMES[to]))
    return Converted(text, sorted(lost))


def _line(source: Source, key: str) -> int:
    return source.key_span((key,)).line


def _lines(key: str, value: Any, to: str) -> list[str]:
    if to == "yaml":
        return yaml_lines(key, value, "")
    if to == "toml":
        return [f"{toml_key(key)} = {FLOW['TOML'](value)}"]
    return [f"{key}={FLOW['dotenv'](value)}"] if to == "dotenv" else []


def _without_secrets(project: Project, entry: _Entry, source: Source, lost: list[tuple[int, str]]) -> Any:
    """The value; a secret in clear text becomes where it may come from."""
    declaration = next((each for each in project.template.parameters.values() if each.name.casefold() == entry.key.casefold()), None)
    if declaration is None:
        return entry.value
    value, secrets = with_sources(declaration.name, entry.value, declaration.schema)
    for pointer in secrets:
        place = pointer_text((entry.key, *pointer))
        lost.append((_line(source, entry.key), f"`{place}`: a secret in clear text, which is written as where it may come from"))
    return value


def _entries(source: Source, lost: list[tuple[int, str]]) -> Iterator[_Entry]:
    """The entries in the order of the text, with the comments around them; those inside of one, and behind the last, are lost."""
    tree = Tree(source)
    found: dict[str, _Entry] = {}
    behind: dict[str, tuple[int, str]] = {}
    longer: set[str] = set()  # those of several lines
    above: list[tuple[int, str]] = []
    for number, line in enumerate(tree.lines(), 1):
        own = [str(each.pointer[0]) for each in line if each.kind == "key" and each.pointer is not None and len(each.pointer) == 1]
        comments = [each for each in line if each.kind == "comment"]
        if not line or (line == comments and not tree.columns(line[0])[0]):
            above += [(number, tree.text(each).rstrip()) for each in comments] or [(number, "")]
            continue
        if own:
            found[own[0]] = _Entry(own[0], source.value.get(own[0], UNKNOWN), [text for _, text in above], "")
            found.update({each: _Entry(each, source.value.get(each, UNKNOWN), [], "") for each in own[1:]})
        else:
            lost += [each for each in above if each[1]]
            longer |= {*list(found)[-1:]} if line != comments else set()
        above = []
        for each in comments:
            told = (number, tree.text(each).rstrip())
            if own:
                behind[own[-1]] = told
            else:
                lost.append(told)
    lost += [each for each in above if each[1]]
    lost += [told for key, told in behind.items() if key in longer]
    for key, entry in found.items():
        if entry.value is not UNKNOWN:
            yield entry._replace(behind=behind[key][1] if key in behind and key not in longer else "")
