"""Every command that writes, on projects that are laid out in many ways, some of them mistyped: it is refused with a reason, or what it wrote
can be read, keeps ends of lines and marks, and loses no comment of what stays."""

import random
import re
from collections.abc import Callable
from typing import Any

from jovial_scaffold.core.authoring import scaffolding
from jovial_scaffold.core.authoring.extracting import extract
from jovial_scaffold.core.authoring.forms import merged_form
from jovial_scaffold.core.authoring.inlining import inline
from jovial_scaffold.core.authoring.lifting import lift
from jovial_scaffold.core.authoring.literals import reached, texts
from jovial_scaffold.core.authoring.mending import mend
from jovial_scaffold.core.authoring.renaming import rename
from jovial_scaffold.core.authoring.resources import new_resource
from jovial_scaffold.core.authoring.settings import drop, prune, set_parameters
from jovial_scaffold.core.authoring.tidying import tidy
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.edits import Change
from jovial_scaffold.core.text.formats import read_source
from tests.fuzz import drivers
from tests.fuzz.styles import comments_in, mistyped, restyled

NEW = "quite_new"
VALUES = ("alp", "7", "true", "{}", "[]", '{"a": "b"}', '[{"code": "zzz", "zone": "valley", "height": 3}]')
FIELDS = ("stations.code", "stations.zone", "stations.height", "maybe.owner", "maybe.rate")
_WORD = re.compile(r"[A-Za-z0-9]+(?:-[a-z]+)?")


def _named(chance: random.Random, project: Project) -> Change:
    template = project.template
    known = {*template.parameters, *template.values, *template.lookups, *template.resources, *template.functions, *template.documents}
    return rename(project, chance.choice(sorted(known)), NEW)[0]


def _renamed_apart(chance: random.Random, project: Project) -> Change:
    kinds = (
        (f"environments.{chance.choice(project.environments)}", "summit", ""),
        (chance.choice(FIELDS), NEW, ""),
        (chance.choice(("word", "count", "more", "inner", "outputs.greeting")), NEW, "module.yaml"),
        *((f"outputs.{each}", NEW, "") for each in project.template.outputs),
    )
    return rename(project, *chance.choice(kinds))[0]


def _lifted(chance: random.Random, project: Project) -> Change:
    found = [each.text for template in reached(project) for each in texts(project, template)]
    part = chance.choice(_WORD.findall(chance.choice(found)) or ["x"]) if found else "x"
    return lift(project, [], NEW, chance.random() < 0.5, True, part)[0]


def _extracted(chance: random.Random, project: Project) -> Change:
    names = sorted(project.template.resources)
    return extract(project, chance.sample(names, min(len(names), chance.randint(1, 3))) or ["none"], "modules/new.yaml", NEW)[0]


def _inlined(chance: random.Random, project: Project) -> Change:
    uses = [name for name, each in project.template.resources.items() if each.module is not None]
    return inline(project, chance.choice(uses or ["use"]))[0]


def _set(chance: random.Random, project: Project) -> Change:
    name = chance.choice(sorted(project.template.parameters) or ["none"])
    path = name + chance.choice(("", "", "/owner", "/0/code", "/-", "/team"))
    return set_parameters(project, chance.choice(project.environments), [(path, chance.choice(VALUES))])[0]


def _form(chance: random.Random, project: Project) -> Change:
    environment = chance.choice(project.environments)
    own = [each.source.name for each in project.parameters_of(environment).layers if each.source is not None]
    file = chance.choice([*own, "parameters/x.yaml", "x.toml", "x.json", "x.env"])
    return merged_form(project, environment, file, chance.random() < 0.5)[0]


EDITS: dict[str, Callable[[random.Random, Project], Any]] = {
    "rename": _named,
    "rename apart": _renamed_apart,
    "lift": _lifted,
    "extract": _extracted,
    "inline": _inlined,
    "set": _set,
    "form": _form,
    "drop": lambda chance, project: drop(project, chance.choice(sorted(project.template.parameters) or ["none"]))[0],
    "prune": lambda _, project: prune(project)[0],
    "tidy": lambda _, project: tidy(project).change,
    "mend": lambda _, project: mend(project).change,
    "resource": lambda chance, project: new_resource(project, "yard.thing", NEW, every=chance.random() < 0.5)[0],
    "environment": lambda chance, project: scaffolding.new_environment(project, "quite-new", chance.choice(("", *project.environments)))[0],
    "module": lambda _, project: scaffolding.new_module(project, NEW)[0],
    "ruleset": lambda _, project: scaffolding.new_ruleset(project, NEW)[0],
    "catalog": lambda _, project: scaffolding.new_catalog(project, NEW)[0],
}
#: what takes something away takes away what was said of it
TAKING = ("drop", "prune", "inline", "extract", "mend")


def attempt(chance: random.Random) -> str:
    """One edit of one project."""
    files = restyled(chance, drivers.project(chance))
    if chance.random() < 0.3:
        files = mistyped(chance, files)
    kind = chance.choice(list(EDITS))
    try:
        change = EDITS[kind](chance, drivers.loaded(files))
    except ProjectError as error:
        assert error.findings and all(each.message for each in error.findings)
        return "errors" if error.findings[0].id == "promise-broken" else "unusable"
    changed = {**files, **{each.name: each.after for each in change.files() if each.after is not None}}
    for name, content in changed.items():
        if content != files.get(name) and not name.endswith((".gitignore", ".txt")):
            _is_kept(kind, name, files.get(name), content)
    lost = comments_in(files) - comments_in(changed)
    assert kind in TAKING or not lost, (kind, lost)
    return "clean"


def _is_kept(kind: str, name: str, before: bytes | None, after: bytes) -> None:
    """A file that is changed can be read as it could be before, and has the ends of lines and the mark that it had."""
    wrong = read_source(after, name)[1]
    if before is None:
        assert not wrong, (kind, name, wrong)
        return
    assert not wrong or read_source(before, name)[1], (kind, name, wrong, before, after)
    if before.count(b"\r\n") > 2 and before.count(b"\r\n") == before.count(b"\n"):
        assert after.count(b"\r\n") == after.count(b"\n"), (kind, name, after)
    assert before.startswith(b"\xef\xbb\xbf") == after.startswith(b"\xef\xbb\xbf"), (kind, name)
