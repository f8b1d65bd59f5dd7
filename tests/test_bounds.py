"""A run is bounded, and what it leaves undone is said: long chains, deep values, many names, large texts."""

import itertools
import json
import random
import sys
from collections.abc import Callable
from typing import Any

import pytest

from jovial_scaffold import Project
from jovial_scaffold.core.limits import RUN_ROUNDS
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.spelling import Speller
from jovial_scaffold.reports.terminal import cells, cut, cut_within
from tests.support import Write, jovial

PROJECT = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [p.yaml]}}\n"
QUEUE = "  q (fulmar.queue): {name: main-queue}\n"


def chain(length: int) -> str:
    values = "".join(f'  v{number}: "${{v{number - 1}}}"\n' for number in range(1, length))
    return f'let:\n  v0: main-queue\n{values}resources:\n  q (fulmar.queue): {{name: "${{v{length - 1}}}"}}\n'


def modules(depth: int, width: int) -> dict[str, str]:
    below = {f"m{at}.yaml": "resources:\n" + "".join(f"  u{n} (./m{at + 1}.yaml): {{}}\n" for n in range(width)) for at in range(depth)}
    return {**below, f"m{depth}.yaml": f"resources:\n{QUEUE}", "t.yaml": "resources: {u (./m0.yaml): {}}\n"}


def each_of_the_last(count: int, first: str, following: str) -> str:
    """Values `v0` and on; in what follows, `@` is the name of the one before."""
    return f"let:\n  v0: {first}\n" + "".join(f"  v{at}: {following.replace('@', f'v{at - 1}')}\n" for at in range(1, count))


def read(name: str) -> str:
    return f"resources:\n  q (fulmar.queue): {{name: 'q-${{{name}}}'}}\n"


CHOICES = "types:\n  t0: {type: string}\n" + "".join(
    f"  t{at}: {{anyOf: [{{$ref: '#/types/t{at - 1}'}}, {{$ref: '#/types/t{at - 1}'}}]}}\n" for at in range(1, 40)
)
DEFAULTS = {
    "properties": {"name": {"type": "string"}, "inside": {"$ref": "#/$defs/d40", "default": {}}},
    "required": ["name"],
    "$defs": {
        "d0": {"type": "object"},
        **{
            f"d{at}": {"type": "object", "properties": {side: {"$ref": f"#/$defs/d{at - 1}", "default": {}} for side in ("left", "right")}}
            for at in range(1, 41)
        },
    },
}
ROWS = {
    "properties": {
        "rows": {
            "type": "array",
            "items": {"type": "object", "properties": {"of": {"type": "integer"}, **{n: {"type": "integer", "default": 3} for n in "abc"}}},
        }
    }
}


def yard(schema: dict[str, Any]) -> dict[str, str]:
    """A project with a catalog of one type."""
    return {
        "jovial.yaml": PROJECT.replace("fulmar", "yard/"),
        "yard/catalog.yaml": "name: yard\ndescription: Sheds\n",
        "yard/shed.json": json.dumps({"$id": "yard.shed.v1", "title": "Shed", "type": "object", **schema}),
        "t.yaml": "resources: {s (yard.shed): {}}\n",
    }


DEEP = "[" * 100_000 + "]" * 100_000
CASES: dict[str, tuple[dict[str, str], int, str]] = {
    "a value that reads itself": ({"t.yaml": 'let: {a: "${a}"}\nresources: {}\n'}, 1, "value-cycle"),
    "a function that calls itself": ({"t.yaml": "functions: {f: {takes: {}, gives: {}, is: f()}}\nresources: {}\n"}, 1, "function-cycle"),
    "a chain of 5,000 values": ({"t.yaml": chain(5_000)}, 0, "nothing to report"),
    "modules 150 deep": (modules(150, 1), 0, "nothing to report"),
    "a module bomb": (modules(9, 10), 1, "too-many-resources"),
    "texts that double": ({"t.yaml": each_of_the_last(60, "main", "'${@}-${@}'") + read("v59")}, 1, "more than 4,000,000"),
    "maps that double": (
        {"t.yaml": each_of_the_last(60, "main", "{one: '${@}', two: '${@}'}") + read("size(v59)")},
        1,
        "more than 250,000 values",
    ),
    "maps in maps": ({"t.yaml": each_of_the_last(150, "main", "{one: '${@}'}") + read("size(v149)")}, 1, "deeper than 100 levels"),
    "defaults of themselves": (
        yard({"properties": {"name": {"type": "string"}, "inside": {"$ref": "#", "default": {}}}}),
        1,
        "or 100 levels",
    ),
    "defaults of very many items": (
        {
            **yard(ROWS),
            "t.yaml": "let: {rows: '${lists.range(9000)}'}\nresources: {s (yard.shed): {rows: '${rows.map(i, {\"of\": i})}'}}\noutputs: {o: '${s.rows[8999].a + s.rows[8999].c}'}\n",
        },
        0,
        "nothing to report",
    ),
    "documents that double": (
        {
            "t.yaml": "documents:\n" + "".join(f"  d{at}: {{from: d{at}.txt}}\n" for at in range(60)) + read("size(d59)"),
            "d0.txt": "main\n",
            **{f"d{at}.txt": f"${{d{at - 1}}}${{d{at - 1}}}" for at in range(1, 60)},
        },
        1,
        "more than 4,000,000",
    ),
    "choices of choices": (
        {"t.yaml": f"{CHOICES}parameters: {{name: {{$ref: '#/types/t39', description: d}}}}\n{read('name')}", "p.yaml": "name: 3\n"},
        1,
        "judge one and the same value",
    ),
    "choices of choices, written otherwise": (
        {
            "t.yaml": f"{CHOICES.replace('/types/t', '/types/%74')}parameters: {{name: {{$ref: '#/types/t39', description: d}}}}\n{read('name')}",
            "p.yaml": "name: 3\n",
        },
        1,
        "judge one and the same value",
    ),
    "defaults that hold defaults": (
        {
            **yard(DEFAULTS),
            "t.yaml": "resources: {s (yard.shed): {name: main}}\noutputs: {o: '${s.inside.left}'}\n",
        },
        1,
        "more than 20,000 values, or 100 levels",
    ),
    "deep YAML": ({"t.yaml": f"resources: {{}}\nlet: {{a: {DEEP}}}\n"}, 1, "nesting-too-deep"),
    "deep parameters": ({"t.yaml": f"resources:\n{QUEUE}", "p.yaml": f"a: {DEEP}"}, 1, "nesting-too-deep"),
    "an item of a long list that is mostly spaces": (
        {
            "t.yaml": f"parameters: {{rows: {{type: array, items: {{type: integer}}, description: d}}}}\nresources:\n{QUEUE}",
            "p.yaml": "rows:\n  - 3\n  - a" + " " * 200_000 + "!x\n  - 5\n",
        },
        1,
        "takes an integer",
    ),
    "an operator 5,000 times": ({"t.yaml": f'outputs: {{o: "${{1{"+1" * 5_000}}}"}}\nresources:\n{QUEUE}'}, 0, "nothing to report"),
    "brackets 5,000 deep": (
        {"t.yaml": f'outputs: {{o: "${{{"(" * 5_000}1{")" * 5_000}}}"}}\nresources:\n{QUEUE}'},
        1,
        "expression-too-deep",
    ),
}


CHOSEN = "parameters:\n" + "".join(f"  p{at}: {{enum: [a, b, c], description: d}}\n" for at in range(14)) + "must:\n"
NAMED = f"resources:\n  q (fulmar.queue): {{name: 'q-${{{' + '.join(f'p{at}' for at in range(14))}}}'}}\n"
CONDITIONS: dict[str, tuple[str, list[tuple[str, int]]]] = {
    "two that contradict each other among many": (
        "".join(f"  - {{require: p{at} != 'c', message: m}}\n" for at in range(14))
        + "  - {require: p3 != 'a', message: m}\n  - {require: p3 == 'a' || p4 == 'c', message: m}\n",
        [("must-never", 32)],
    ),
    "two that nothing meets together": (
        "  - {require: p3 == 'a' || p4 == 'c', message: m}\n  - {require: p3 == 'b' && p4 == 'a', message: m}\n",
        [("must-never", 18)],
    ),
    "those that leave one choice of five million": ("".join(f"  - {{require: p{at} == 'c', message: m}}\n" for at in range(14)), []),
}


@pytest.mark.parametrize(("conditions", "told"), CONDITIONS.values(), ids=list(CONDITIONS))
def test_conditions_over_many_choices(write: Write, conditions: str, told: list[tuple[str, int]]) -> None:
    parameters = "".join(f"p{at}: c\n" for at in range(14))
    project = Project.load(write({"jovial.yaml": PROJECT, "t.yaml": CHOSEN + conditions + NAMED, "p.yaml": parameters}))
    found = project.check(template_only=True).findings
    assert [(each.id, each.span.line if each.span else 0) for each in found if each.level == "error"] == told


@pytest.mark.parametrize(("files", "code", "says"), CASES.values(), ids=list(CASES))
def test_long_and_deep(write: Write, files: dict[str, str], code: int, says: str) -> None:
    folder = write({"jovial.yaml": PROJECT, "p.yaml": "{}\n", **files})
    result = jovial("check", cwd=folder)
    assert result.returncode == code and says in result.stdout, result.stdout[:500] + result.stderr[:500]
    assert jovial("render", "live", cwd=folder).returncode == code


@pytest.mark.parametrize("suffix", ["json", "toml", "yaml"])
def test_deep_files_of_every_format(write: Write, suffix: str) -> None:
    content = {"json": f'{{"a": {DEEP}}}', "toml": f"a = {DEEP}\n", "yaml": f"a: {DEEP}\n"}[suffix]
    folder = write({f"x.{suffix}": content, "dots.toml": ".".join("a" * 3_000) + " = 1\n"})
    for name in (f"x.{suffix}", "dots.toml"):
        for command in (("evaluate", "it", "--in", name), ("survey", name)):
            result = jovial(*command, cwd=folder)
            assert result.returncode == 1 and "nesting-too-deep" in result.stderr


def test_work_in_all_expressions_together_is_bounded(write: Write) -> None:
    template = """parameters: {xs: {type: array, items: {type: integer}, description: d}}
resources:
  q (fulmar.queue): {$per: {i: xs}, name: "q-${i}-${size(xs.map(a, xs.filter(b, a == b)))}"}
"""
    folder = write({"jovial.yaml": PROJECT, "t.yaml": template, "p.yaml": f"xs: {list(range(400))}\n"})
    result = jovial("check", cwd=folder)
    assert result.returncode == 1 and "run-budget" in result.stdout


def test_time_that_is_over_is_said(write: Write) -> None:
    folder = write({"jovial.yaml": PROJECT, "t.yaml": f"resources:\n{QUEUE}", "p.yaml": "{}\n"})
    over = jovial("check", "--at-most", "soon", cwd=folder)
    assert over.returncode == 2 and "is no time" in over.stderr
    over = jovial("check", "--at-most", "0.001ms", cwd=folder)
    assert over.returncode == 1 and "run-time" in over.stdout
    assert jovial("check", "--at-most", "5m", cwd=folder).returncode == 0
    ticks = iter(range(100))
    meter = Meter(lambda: float(next(ticks)), 2.0)
    assert [meter.over, meter.over, meter.over] == [False, False, True]


def test_findings_beyond_a_number_are_counted(write: Write) -> None:
    lines = "".join(f"  q{number} (fulmar.queue): {{name: main-{number}, nome: x}}\n" for number in range(30))
    folder = write({"jovial.yaml": PROJECT, "t.yaml": f"resources:\n{lines}", "p.yaml": "{}\n"})
    few = jovial("check", "--max-findings", "7", cwd=folder).stdout
    assert few.count("property-unknown") == 7 and "23 further findings are not printed" in few.replace("findings not", "findings are not")
    assert jovial("check", "--max-findings", "0", cwd=folder).stdout.count("property-unknown") == 30


class Counting(str):
    """A name that counts how often its letters are looked at."""

    looked = 0

    def casefold(self) -> str:
        Counting.looked += 1
        return super().casefold()


def counted(work: Callable[[int], object], size: int) -> int:
    Counting.looked = 0
    work(size)
    return Counting.looked


def test_names_that_were_meant_are_found_in_steps_that_grow_with_the_names() -> None:
    def work(size: int) -> None:
        speller = Speller([Counting(f"declared_name_{number}") for number in range(size)])
        assert [speller.near(f"declare_name_{number}") for number in range(size)] == [f"declared_name_{number}" for number in range(size)]

    assert counted(work, 2_000) <= 2.2 * counted(work, 1_000)
    many = Speller([f"name_{number}_x" for number in range(200)])
    assert [many.near(f"name_{number}_{end}") for number in (0, 7, 150) for end in ("xy", "y", "")] == [
        f"name_{number}_x" for number in (0, 7, 150) for _ in range(3)
    ]
    assert Speller(["copies", "size"]).near("copeis") == "copies" and Speller([]).near("x") == "" and Speller(["a"]).near("a") == ""


@pytest.mark.parametrize("write_cut", [cut, cut_within])
def test_cut_texts_fit_and_cost_what_is_shown(write_cut: Callable[[str, int], str]) -> None:
    chance = random.Random(3)
    for _ in range(500):
        text = "".join(chance.choice("abc山é🎉") for _ in range(chance.randint(0, 40)))
        width = chance.randint(3, 30)
        shown = write_cut(text, width)
        assert cells(shown) <= width and (cells(text) > width or shown == text)
    assert cells(write_cut("山" * 5_000_000, 20)) <= 20


def _chain(kind: str, names: list[str]) -> str:
    """A template in which each name reads the one before it."""
    pairs = list(itertools.pairwise(names))
    if kind == "values":
        return "\n".join(
            ["let:", f"  {names[0]}: begun", *(f"  {own}: ${{{read}}}" for read, own in pairs), f"outputs: {{o: '${{{names[-1]}}}'}}"]
        )
    if kind == "modules":
        uses = [f"  {own} (./part.yaml): {{x: '${{{read}.y}}'}}" for read, own in pairs]
        return "\n".join(["resources:", f"  {names[0]} (./part.yaml): {{x: begun}}", *uses, f"outputs: {{o: '${{{names[-1]}.y}}'}}"])
    rest = [f"  {own} (fulmar.topic): {{name: n{own}, tags: {{t: '${{{read}.tags.t}}'}}}}" for read, own in pairs]
    first = f"  {names[0]} (fulmar.topic): {{name: first, tags: {{t: begun}}}}"
    return "\n".join(["resources:", first, *rest, f"outputs: {{o: '${{{names[-1]}.tags.t}}'}}"])


@pytest.mark.parametrize("kind", ["values", "modules", "resources"])
@pytest.mark.parametrize("order", ["forwards", "backwards", "mixed"])
def test_chains_of_any_length_and_order_from_python(write: Write, kind: str, order: str) -> None:
    """Calls of Python may go inside of each other a thousand times; what people write may lean on each other further."""
    names = [f"v{number:05d}" for number in range(1_200)]
    if order != "forwards":
        names.reverse() if order == "backwards" else random.Random(7).shuffle(names)
    files = {
        "jovial.yaml": "project: p\ntemplate: main.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: []}}\n",
        "main.yaml": _chain(kind, names),
        "part.yaml": "parameters: {x: {type: string, description: d}}\noutputs: {y: {value: '${x}', description: d}}\n",
    }
    limit = sys.getrecursionlimit()
    project = Project.load(write(files))
    assert project.render("live").outputs == {"o": "begun"}
    assert [each for each in project.check().findings if each.level == "error"] == []
    assert sys.getrecursionlimit() == limit


@pytest.mark.parametrize(
    "doubled", ["${A + A}", "${A}-${A}", "${[A, A].join('')}", "${A == 'x' ? A : A + 'y'}", "${as_json({'a': A, 'b': A})}"]
)
def test_what_is_left_of_a_pending_value_does_not_grow_without_end(write: Write, doubled: str) -> None:
    values = "".join(f'  a{number}: "{doubled.replace("A", f"a{number - 1}")}"\n' for number in range(1, 60))
    template = f"let:\n  a0: ${{net.id}}x\n{values}resources:\n  net (fulmar.network): {{name: net, range: 10.0.0.0/8}}\noutputs: {{o: '${{a59}}'}}\n"
    (output,) = Project.load(write({"jovial.yaml": PROJECT, "t.yaml": template, "p.yaml": "{}"})).render("live").outputs.values()
    assert len(repr(output)) < 25_000 and "net:id" in output.origins


def test_what_is_evaluated_carefully_counts_for_the_run(write: Write) -> None:
    template = 'resources: {a (fulmar.queue): {name: "queue-${size(lists.range(900).sortBy(x, -x))}"}}\n'
    files = {
        "t.yaml": template,
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: []}}\n",
    }
    (rendering,) = Project.load(write(files)).views(["live"])
    assert not rendering.findings and rendering.scope.shared.meter.rounds < RUN_ROUNDS.most - 900
