"""What is said of a renaming without rendering anything, against rendering everything: also where an edit of it is missing, or one too many."""

import random
import re
from collections import Counter

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.authoring.likeness import is_new_to, is_same_but_for
from jovial_scaffold.core.authoring.promises import after, stays
from jovial_scaffold.core.authoring.renaming import Renaming, planned
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.text.edits import Change, Edit
from tests.fuzz import drivers
from tests.support import in_memory

NEW = "quite_new"
NAMES = (NEW, "name", "size", "note", "key", "team", "yard", "away", "description")  # which stand in the files as other words


def is_the_same(project: Project, then: Project, renaming: Renaming) -> bool:
    """Whether all environments render the same, but for a resource of another name; by rendering them."""
    try:
        for was, becomes in zip(project.views(project.environments), then.views(project.environments), strict=True):
            stays(was.environment, was, becomes, renaming.moved(was))
    except ProjectError:
        return False
    return True


def errors_of(project: Project) -> Counter[str]:
    """How often a check finds an error of each kind, before environments and in them."""
    return Counter(each.id for each in project.check().findings if each.level == "error")


def spoilt(chance: random.Random, project: Project, change: Change, old: str, new: str) -> Change:
    """A change with an edit too few, or a word of a file changed besides."""
    edits, made = change.edits, Change(project.folder)
    if chance.random() < 0.5 and len(edits) > 1:
        edits.remove(chance.choice(edits))
    else:
        source = project.source(chance.choice(edits).file)
        assert source is not None
        words = [*re.finditer(rf"\b(?:{re.escape(old)}|[a-z]+|[0-9]+)\b", source.text)]
        word = chance.choice([each for each in words if each.group() == old] or words if chance.random() < 0.5 else words)
        other = Edit(source.name, *word.span(), chance.choice((new, old, "7", "valley")))
        edits = [each for each in edits if each.file != other.file or each.end <= other.start or each.start >= other.end] + [other]
    made.add(edits)
    return made


@settings(max_examples=80, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_what_is_said_to_be_the_same_renders_the_same(seed: int) -> None:
    chance = random.Random(seed)
    project = drivers.loaded(drivers.project(chance))
    template = project.template
    old = chance.choice(sorted({*template.parameters, *template.values, *template.lookups, *template.resources, *template.functions}))
    new = chance.choice([each for each in NAMES if each not in template.names | template.functions.keys() and is_new_to(project, each)])
    renaming = planned(project, old, new)
    then = after(project, renaming.change)
    assert is_same_but_for(project, then, renaming.change, old, new, renaming.meant)
    assert is_the_same(project, then, renaming)
    assert errors_of(then) == errors_of(project)
    for _ in range(6):
        change = spoilt(chance, project, renaming.change, old, new)
        try:
            then = after(project, change)
        except ProjectError:
            continue
        if is_same_but_for(project, then, change, old, new, renaming.meant):
            assert is_the_same(project, then, renaming) and errors_of(then) == errors_of(project), change.edits


@pytest.mark.parametrize(
    ("name", "is_new"),
    [
        ("value", False),  # is read
        ("escaped", False),  # behind an escape
        ("item", False),  # is a variable
        ("each", False),  # is one of a loop
        ("shout", False),  # is called
        ("own", False),  # is a name of a document
        ("field", True),
        ("words", True),
        ("key", True),
        ("nothing", True),
    ],
)
def test_a_word_that_something_may_mean_is_not_new(name: str, is_new: bool) -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: line.yaml\nenvironments: {live: {}}\n",
        "line.yaml": """
parameters: {value: {type: object, default: {}, description: Other words}}
functions: {shout: {takes: {word: {type: string}}, gives: {type: string}, is: word}}
let:
  a: ${value.?field.orValue('words') + shout('x')}
  b: "${\\x65scaped}"
  c: ${[1].map(item, item)}
resources:
  r (some.thing): {$per: {each: "['a']"}, key: "${each}"}
documents: {d: {from: d.txt, values: {own: "${a}"}}}
""",
        "d.txt": "${own}",
    }
    assert is_new_to(in_memory(files), name) == is_new


def test_of_what_cannot_be_read_nothing_is_said() -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: line.yaml\nenvironments: {live: {}}\n",
        "line.yaml": 'let:\n  a: 1\n  b: [1\n  c: 2\noutputs: {o: "${a}"}\n',
    }
    project = in_memory(files)
    renaming = planned(project, "a", NEW)
    then = after(project, renaming.change)
    assert not is_same_but_for(project, then, renaming.change, "a", NEW, renaming.meant)
