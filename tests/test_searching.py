"""`find` judges only what may hold what is looked for: it finds what one would by rendering everything."""

import pytest

from jovial_scaffold import Project
from tests.fuzz.code import NEVER, code_from
from tests.support import Write

PROJECT = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n"
TEMPLATE = """parameters: {word: {type: string, description: d}, hours: {type: integer, description: d}}
resources:
  one (fulmar.queue): {name: "q-${word}", wait_hours: "${hours}"}
  two (fulmar.queue): {name: other, wait_hours: "${hours * 10}"}
outputs: {o: "${one.name}"}
"""


def _project(write: Write, **files: str) -> Project:
    return Project.load(
        write({"jovial.yaml": PROJECT, "t.yaml": TEMPLATE, "a.yaml": "word: x\nhours: 3\n", "b.yaml": "word: y\nhours: 40\n", **files})
    )


def test_what_is_wrong_elsewhere_does_not_stop_it(write: Write) -> None:
    found = _project(write).find("q-x")
    assert [each.name for each in found.hits] == ["one:name", "o"] and not any(found.errors.values())


def test_what_hides_a_value_is_said(write: Write) -> None:
    found = _project(write).find("400")  # which no queue takes
    assert [each.id for each in found.errors["b"]] == ["property-range"] and not found.errors["a"] and not found.hits
    missing = _project(write, **{"a.yaml": "hours: 3\n"}).find("q-x")
    assert [each.id for each in missing.errors["a"]] == ["parameter-missing"] and not missing.hits


@pytest.mark.parametrize("condition", ["", "hours > 5", "word != 'x'"])
@pytest.mark.parametrize("least", [0, NEVER])
def test_who_reads_another_resource_holds_what_that_does(write: Write, condition: str, least: int) -> None:
    """Directly and through others; what it reads may be absent there, which is said."""
    own = f'$when: "{condition}", ' if condition else ""
    resources = "".join(
        f'  base{n} (fulmar.queue): {{{own}name: "q-${{word}}-{n}-${{hours}}"}}\n'
        f'  near{n} (fulmar.queue): {{{own}name: near-{n}, tags: {{a: "${{base{n}.name}}", b: "${{base{n}.url}}"}}}}\n'
        f'  far{n} (fulmar.queue): {{name: far-{n}, tags: {{a: "${{near{n}.tags.a}}"}}}}\n'
        for n in range(6)
    )
    template = f"{TEMPLATE.partition('resources:')[0]}resources:\n{resources}"
    with code_from(least):
        found = _project(write, **{"t.yaml": template}).find("q-y-4-40")
        there = _project(write, **{"t.yaml": template})
        expected = {name: {(e.id, e.address) for e in there.render(name).findings if e.level == "error"} for name in ("a", "b")}
    assert {each.name for each in found.hits} == {"base4:name", "near4:tags/a", "far4:tags/a"}
    assert {name: {(each.id, each.address) for each in errors} for name, errors in found.errors.items()} == expected
    assert bool(expected["a"]) == bool(condition)


@pytest.mark.parametrize("least", [0, NEVER])
def test_what_is_read_may_be_absent_where_nothing_else_is_wrong(write: Write, least: int) -> None:
    resources = "".join(
        f'  base{n} (fulmar.queue): {{$when: "hours > 5", name: "q-${{word}}-{n}"}}\n'
        f'  waits{n} (fulmar.queue): {{name: waits-{n}, tags: {{a: "${{base{n}.url}}"}}}}\n'
        for n in range(6)
    )
    with code_from(least):
        found = _project(write, **{"t.yaml": f"{TEMPLATE.partition('resources:')[0]}resources:\n{resources}"}).find("q-y-4")
    assert [each.name for each in found.hits] == ["base4:name"]
    assert [each.address for each in found.errors["a"]] == [f"waits{n}" for n in range(6)] and not found.errors["b"]


def test_tables_say_the_row_and_the_line(write: Write) -> None:
    project = _project(
        write, **{"jovial.yaml": PROJECT + "lookups: {sizes: sizes.csv}\n", "sizes.csv": "zone,size\nvalley,q-9\nsummit,l\n"}
    )
    (hit,) = project.find("q-9").hits
    assert (hit.kind, hit.name, hit.how, hit.environments) == ("table", "sizes row 1:size", "equal", ("a", "b"))
    assert hit.span is not None and (hit.span.file, hit.span.line) == ("sizes.csv", 2)
    assert {each.kind for each in project.find("q-").hits} == {"property", "output", "table"}
