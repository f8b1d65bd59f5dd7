"""`find` judges only what may hold what is looked for: it finds what one would by rendering everything."""

import pytest

from jovial_scaffold import Project
from jovial_scaffold.core.changes.finding import Hit
from jovial_scaffold.reports.finding import hits_text
from jovial_scaffold.reports.terminal import Style
from tests.fuzz.code import NEVER, code_from
from tests.support import Write, in_memory

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


def test_what_many_resources_have_of_one_line_is_told_once(write: Write) -> None:
    places = ", ".join(f"k{number}" for number in range(30))
    loops = "".join(
        f'  {name} (fulmar.queue): {{$per: {{c: codes}}, name: "{name}-${{c}}", failed_to: held}}\n' for name in ("belt", "sash")
    )
    single = "".join(f'  one{number} (fulmar.queue): {{name: "one-{number}"}}\n' for number in range(3))
    folder = write(
        {"jovial.yaml": PROJECT, "a.yaml": "{}\n", "b.yaml": "{}\n", "t.yaml": f"let: {{codes: [{places}]}}\nresources:\n{loops}{single}"}
    )
    text = hits_text("held", ("a", "b"), Project.load(folder).find("held").hits, Style(False, 100))
    assert text.startswith("Exactly this: 60 places\n") and "  belt/…:failed_to (×30) in every environment\n" in text
    assert len(text.splitlines()) == 5
    text = hits_text("k1", ("a", "b"), Project.load(folder).find("k1").hits, Style(False, 100))
    assert "As a part: 22 places" in text and "  sash/…:name (×11) in every environment\n    sash-k1…\n    t.yaml:" in text


def test_names_of_many_that_stand_alone() -> None:
    hits = [Hit("property", f"q{number}:tags/x", "v", "equal", ("a",), None) for number in range(20)]
    text = hits_text("v", ("a", "b"), hits, Style(False, 300))
    assert "q11:tags/x, 8 others in a" in text and "q12" not in text


def test_items_are_named_by_their_key_and_labels_by_their_line() -> None:
    template = (
        "parameters: {who: {type: array, items: {type: string}, description: d}}\n"
        "resources:\n"
        "  net (fulmar.network): {name: net, range: 10.0.0.0/16, tags: {at: '${context.labels.guard}-gate'}}\n"
        "  fire (fulmar.firewall):\n    name: fire\n    network: ${net.id}\n"
        "    entries: [{$per: {w: who}, name: '${w}', speaks: tcp, port: 443, from: 192.0.2.0/28}]\n"
    )
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:\n"
        "  a: {parameters: [a.yaml], labels: {guard: night}}\n  b: {parameters: [b.yaml], labels: {guard: day}}\n",
        "t.yaml": template,
        "a.yaml": "who: [miller, baker]\n",
        "b.yaml": "who: [baker]\n",
    }
    project = in_memory(files)
    baker = [each for each in project.find("baker").hits if each.kind == "property"]
    assert [(each.name, each.environments) for each in baker] == [("fire:entries/baker/name", ("a", "b"))]
    (night,) = project.find("night").hits
    assert (night.name, night.sources) == ("net:tags/at", ("jovial.yaml:5",))
