"""Modules made of resources, and written out again: everything is rendered as it was, or nothing is written."""

import json
import random
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold import Project
from jovial_scaffold.cli import gallery, main
from jovial_scaffold.core.authoring.extracting import extract
from jovial_scaffold.core.authoring.inlining import inline
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.written_values import yaml_flow
from tests.fuzz import drivers
from tests.fuzz.styles import comments_in, restyled

PROJECTS = [
    Path(main.__file__).parents[1] / "demo" / "ridgeline",
    *sorted(each for each in Path(gallery.SHIPPED).iterdir() if each.is_dir()),
]


def there_and_back(project: Any, names: list[str]) -> str:
    """Move resources into a module and write it out again; what came of it."""
    try:
        change, _ = extract(project, names, "modules/moved.yaml", "moved_here")
    except ProjectError as error:
        assert error.findings[0].id == "promise-broken", error.findings
        return "refused"
    with_module = project.edited(change.files())
    assert has_errors(with_module.check().findings) == has_errors(project.check().findings)
    assert with_module.template.resources["moved_here"].module is not None
    try:
        back, _ = inline(with_module, "moved_here")
    except ProjectError as error:
        assert error.findings[0].id == "promise-broken", error.findings
        return "extracted"
    then = with_module.edited(back.files())
    assert "moved_here" not in then.template.resources
    assert then.template.names == project.template.names or {*then.template.names} >= {*project.template.resources}
    assert not then.template.renames or then.template.renames == project.template.renames
    texts = {each.name: each.text for each in project.template_sources}
    same = all(source.text == texts[source.name] for source in then.template_sources if source.name in texts)
    return "the same bytes" if same else "there and back"


@pytest.mark.parametrize("folder", PROJECTS, ids=lambda folder: folder.name)
def test_resources_move_into_a_module_and_back(folder: Path) -> None:
    project = Project.load(folder, Overrides({"DESK_PASSWORD": "a password that nobody has"}))
    chance, found = random.Random(14), Counter[str]()
    names = sorted(project.template.resources)
    for number in range(24):
        chosen = [names[number]] if number < len(names) else chance.sample(names, min(len(names), chance.randint(1, 5)))
        found[there_and_back(project, chosen)] += 1
    assert found["there and back"] + found["the same bytes"] >= 10, found
    assert found["the same bytes"] >= 2, found


def block(key: str, value: Any, indent: str, depth: int) -> Iterator[str]:
    """An entry in lines of its own, down to a depth."""
    if isinstance(value, dict) and value and depth:
        yield f"{indent}{yaml_flow(key)}:"
        for each, item in value.items():
            yield from block(each, item, f"{indent}  ", depth - 1)
    else:
        yield f"{indent}{yaml_flow(key)}: {yaml_flow(value)}"


@pytest.mark.parametrize("seed", range(40))
def test_so_it_is_in_any_project(seed: int) -> None:
    chance = random.Random(seed)
    files = drivers.project(chance)
    for name in ("line.yaml", "module.yaml"):  # which are JSON there
        if name in files:
            files[name] = "".join(
                f"{line}\n" for key, value in json.loads(files[name]).items() for line in block(key, value, "", 2)
            ).encode()
    project = drivers.loaded(files)
    names = [name for name, each in project.template.resources.items() if each.module is None]
    if names:
        there_and_back(project, chance.sample(names, min(len(names), chance.randint(1, 3))))


@pytest.mark.parametrize("seed", range(40))
def test_however_the_files_are_laid_out(seed: int) -> None:
    chance = random.Random(seed)
    files = restyled(chance, drivers.project(chance))
    project = drivers.loaded(files)
    names = sorted(project.template.resources)
    chosen = chance.sample(names, min(len(names), chance.randint(1, 3)))
    try:
        change, _ = extract(project, chosen, "modules/moved.yaml", "moved_here")
    except ProjectError as error:
        assert error.findings[0].id == "promise-broken", error.findings
        return
    changed = {**files, **{each.name: each.after or b"" for each in change.files()}}
    emptied = {name for name in project.template_sources[0].value if name not in read_source(changed["line.yaml"], "line.yaml")[0].value}  # type: ignore[union-attr]
    lost = comments_in(files) - comments_in(changed)
    assert all(any(name in text for name in emptied) or text == "# behind" for text in lost), lost  # of sections that are no more
    if files["line.yaml"].count(b"\r\n") == files["line.yaml"].count(b"\n"):
        assert changed["line.yaml"].count(b"\r\n") == changed["line.yaml"].count(b"\n")
    assert changed["line.yaml"].startswith(b"\xef\xbb\xbf") == files["line.yaml"].startswith(b"\xef\xbb\xbf")
    inline(drivers.loaded(changed), "moved_here")
