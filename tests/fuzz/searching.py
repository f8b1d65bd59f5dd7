"""What is looked for in environments: found as in what everything is rendered to, and whatever could not be computed is said."""

import random
from collections.abc import Callable, Iterator
from typing import Any

from jovial_scaffold.core.changes.finding import Hit, SearchedView, TextSought, hits_in, numbered, together
from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.project import Project
from tests.fuzz import drivers, lists, repeated, shapes, worlds


def texts(value: Any) -> Iterator[str]:
    """Every leaf of a value as people see it."""
    if isinstance(value, dict | list):
        for each in value.values() if isinstance(value, dict) else value:
            yield from texts(each)
    elif isinstance(value, str | bool | int | float):
        yield scalar_text(value)


def all_hits(whole: Project, text: str) -> list[Hit]:
    """Those of renderings in which everything is judged."""
    sought = TextSought(text)
    views = whole.views(whole.environments)
    return together(numbered([SearchedView(each.label, each.label, hits_in(each, sought), []) for each in views]))


def sought_in(chance: random.Random, whole: Project) -> set[str]:
    """Texts that are there: whole ones, parts of them, the same in capitals."""
    held = sorted({text for name in whole.environments for each in whole.render(name).resources.values() for text in texts(each.effective)})
    wanted = {"no such text"}
    for text in chance.sample(held, min(4, len(held))):
        start = chance.randrange(len(text)) if text else 0
        wanted |= {text, text[start : start + 3], text.upper()} - {""}
    return wanted


def made(chance: random.Random) -> Callable[[], Project]:
    """A project of one of several sorts, as often as it is wanted."""
    sort = chance.choice((shapes, lists, drivers, worlds, repeated))
    if sort is worlds:
        template, values = worlds.template(chance), chance.choice([*worlds.combinations()])
        return lambda: worlds.project_of(template, values)
    files = sort.project(chance)
    return lambda: drivers.loaded(files)


def attempt(chance: random.Random) -> str:
    """One project, and some texts of it."""
    project = made(chance)
    whole = project()
    wrong = {name: whole.render(name).findings for name in whole.environments}
    for wanted in sorted(sought_in(chance, whole)):
        found = project().find(wanted)
        assert [each for each in found.hits if each.kind != "table"] == all_hits(whole, wanted), (wanted, _written(whole))
        cells = [each.value for each in found.hits if each.kind == "table"]
        rows = [row for table in whole.templates[0].lookups.values() if table.table is not None for row in table.table.rows]
        assert {*cells} >= {text for text in texts(rows) if wanted.casefold() in text.casefold()}, (wanted, cells, rows)
        for name, errors in found.errors.items():  # what is wrong before any environment need not be reached in each
            failed = [each for each in wrong[name] if each.level == "error" and each.environments and not each.id.startswith(_JUDGED)]
            assert errors or not failed, (wanted, name, failed, _written(whole))
    return "errors" if any(each.level == "error" for found in wrong.values() for each in found) else "clean"


_JUDGED = ("property-", "identity-clash", "resource-cycle", "list-key-clash")  # which leaves every value known


def _written(project: Project) -> str:
    return next(iter(project.templates)).origin.source.text
