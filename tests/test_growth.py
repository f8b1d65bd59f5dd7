"""Twice as much takes about twice the steps, in every dimension in which projects grow. Steps are lines of Python that run, not seconds."""

import importlib
import json
import sys
from collections.abc import Callable
from types import FrameType
from typing import Any

import pytest

from tests.fuzz.projects import run

Files = dict[str, bytes]
PROJECT = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [p.yaml], deployed: now.json}, other: {parameters: [p.yaml]}}\n"
QUEUE = "  q (fulmar.queue): {name: main-queue}\n"


def project(template: str, parameters: str = "{}\n", **more: str) -> Files:
    files = {"jovial.yaml": PROJECT, "t.yaml": template, "p.yaml": parameters, "now.json": '{"environment": "live", "resources": {}}'}
    return {name: text.encode() for name, text in {**files, **{name.replace("__", "."): text for name, text in more.items()}}.items()}


def lines(count: int, text: str) -> str:
    return "".join(text.replace("#", str(number)) for number in range(count))


def declared(count: int) -> Files:
    names = lines(count, "  name_#: {type: string, description: d}\n")
    return project(
        f"parameters:\n{names}resources:\n" + lines(count, '  q# (fulmar.queue): {name: "x-${name_#}"}\n'), lines(count, "name_#: v\n")
    )


def unknown(count: int) -> Files:
    names = lines(count, "  name_#: {type: string, description: d}\n")
    return project(f"parameters:\n{names}resources:\n{QUEUE}", lines(count, "nmae_#: v\n"))


def values(count: int) -> Files:
    return project(
        "let:\n  v0: a\n" + lines(count, '  w#: "${v0}-#"\n') + f"resources:\n{QUEUE}" + "outputs:\n" + lines(count, '  o#: "${w#}"\n')
    )


def chain(count: int) -> Files:
    links = "".join(f'  v{number}: "${{v{number - 1}}}"\n' for number in range(1, count))
    return project(f'let:\n  v0: main-queue\n{links}resources:\n  q (fulmar.queue): {{name: "${{v{count - 1}}}"}}\n')


def choices_chain(count: int) -> Files:
    """A chain that begins with a parameter of few values: each link is tried with all of them, and what was found of one is kept."""
    links = "".join(f'  v{number}: "${{v{number - 1} + 1}}"\n' for number in range(1, count))
    head = "parameters:\n  copies: {type: integer, minimum: 1, maximum: 4, description: d}\n"
    return project(f'{head}let:\n  v0: "${{copies}}"\n{links}outputs: {{o: "${{v{count - 1}}}"}}\nresources:\n{QUEUE}', "copies: 2\n")


def findings(count: int) -> Files:
    return project("resources:\n" + lines(count, "  q# (fulmar.queue): {name: Wrong #, nome: x, claim_seconds: 0}\n"))


def long_text(count: int) -> Files:
    return project(
        'outputs: {o: "${text}"}\nparameters: {text: {type: string, description: d}}\nresources:\n' + QUEUE, f"text: {'alp ' * count}\n"
    )


def long_template(count: int) -> Files:
    return project("outputs: {o: '" + "${context.environment}, " * count + f"'}}\nresources:\n{QUEUE}")


def long_expression(count: int) -> Files:
    return project("outputs: {o: '${[" + "1, " * count + f"2]}}'}}\nresources:\n{QUEUE}")


def items(count: int) -> Files:
    template = 'parameters: {xs: {type: array, items: {type: string}, description: d}}\nresources:\n  q (fulmar.queue): {$per: {x: xs}, name: "q-${x}"}\n'
    return project(template, f"xs: {[f'x{number}' for number in range(count)]}\n")


def modules(count: int) -> Files:
    return project(
        "resources:\n" + lines(count, "  m# (./m.yaml): {n: a#}\n"),
        m__yaml='parameters: {n: {type: string, description: d}}\nresources:\n  q (fulmar.queue): {name: "x-${n}"}\n',
    )


def nested_modules(count: int) -> Files:
    below = {f"m{at}__yaml": f"resources: {{u (./m{at + 1}.yaml): {{}}}}\n" for at in range(count)}
    return project("resources: {u (./m0.yaml): {}}\n", **below, **{f"m{count}__yaml": f"resources:\n{QUEUE}"})


def environments(count: int) -> Files:
    named = {f"e{number}": {"parameters": [f"e{number}.yaml"]} for number in range(count)}
    whole = json.dumps({"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": named})
    files = {f"e{number}__yaml": f"n: a{number}\n" for number in range(count)}
    return {
        **project('parameters: {n: {type: string, description: d}}\nresources:\n  q (fulmar.queue): {name: "x-${n}"}\n', **files),
        "jovial.yaml": whole.encode(),
    }


def snapshot(count: int) -> Files:
    then = {f"old{number}": {"type": "fulmar.queue.v1", "properties": {"name": f"q-{number}"}} for number in range(count)}
    return {**items(count), "now.json": json.dumps({"environment": "live", "resources": then}).encode()}


def dependencies(count: int) -> Files:
    nets = "  net (fulmar.network): {name: net, range: 10.0.0.0/16}\n" + lines(
        count, '  sub# (fulmar.subnet): {name: "sub-#", network: "${net.id}", range: 10.0.1.0/24}\n'
    )
    return project(f"resources:\n{nets}")


def rules(count: int) -> Files:
    own = "ruleset: House\nrules:\n" + lines(
        count, "  r#: {because: b, applies: [fulmar.queue], require: 'self.name != \"x\"', message: No.}\n"
    )
    return {**items(20), "r.yaml": own.encode(), "jovial.yaml": (PROJECT + "rulesets: [r.yaml]\n").encode()}


def table(count: int) -> Files:
    rows = "use,image\n" + lines(count, "u#,i#\n")
    template = "lookups:\n  image: {in: images, where: 'row.use == \"u3\"'}\noutputs: {o: '${image.image}'}\n" + f"resources:\n{QUEUE}"
    return {**project(template), "images.csv": rows.encode(), "jovial.yaml": (PROJECT + "lookups: {images: images.csv}\n").encode()}


def lists(count: int) -> Files:
    one = [{"code": f"c{number}", "size": "m"} for number in range(count)]
    two = [{"code": f"c{number}", "size": "l"} for number in reversed(range(count))]
    template = "parameters: {xs: {type: array, description: d}}\noutputs: {o: '${xs}'}\nresources:\n" + QUEUE
    return {
        **project(template, json.dumps({"xs": one}), q__yaml=json.dumps({"xs": two})),
        "jovial.yaml": PROJECT.replace("other: {parameters: [p", "other: {parameters: [q").encode(),
    }


def document(count: int) -> Files:
    return project("documents: {d: {from: d.sh}}\nresources:\n" + QUEUE, d__sh=lines(count, "echo ${context.environment} #\n"))


def conditions(count: int) -> Files:
    names = lines(count, "  n#: {type: integer, description: d}\n")
    return project(
        f"parameters:\n{names}must:\n" + lines(count, "- {require: 'n# > 3', message: 'Not ${n#}.'}\n") + f"resources:\n{QUEUE}",
        lines(count, "n#: 1\n"),
    )


def few_values(count: int) -> Files:
    """Parameters of few values, each with a condition of its own."""
    names = lines(count, "  n#: {type: integer, minimum: 1, maximum: 3, description: d}\n")
    queues = lines(count, '  q# (fulmar.queue): {name: queue-#, wait_hours: "${n#}"}\n')
    musts = lines(count, "- {require: n# > 0, message: m}\n")
    return project(f"parameters:\n{names}must:\n{musts}resources:\n{queues}", lines(count, "n#: 1\n"))


def calling_functions(count: int) -> Files:
    each = "".join(f"  f{at}: {{takes: {{x: {{type: string}}}}, gives: {{type: string}}, is: f{at - 1}(x)}}\n" for at in range(1, count))
    first = "functions:\n  f0: {takes: {x: {type: string}}, gives: {type: string}, is: x}\n"
    return project(f"{first}{each}resources:\n  q (fulmar.queue): {{name: \"${{f{count - 1}('main')}}\"}}\n")


def clashes(count: int) -> Files:
    return project("resources:\n" + lines(count, "  q# (fulmar.queue): {name: the-same}\n"))


def unused(count: int) -> Files:
    return project(
        "let:\n"
        + lines(count, "  v#: a\n")
        + "functions:\n"
        + lines(count, "  f#: {takes: {}, gives: {}, is: '1'}\n")
        + f"resources:\n{QUEUE}"
    )


def meeting(below: str, entry: str, read: str, **more: str) -> Callable[[int], Files]:
    """Pairs, each part of which reads both parts of the pair before it: the ways to the first pair double with each. `#` is the number of a
    pair, `@` that of the one before. What is `read` of the last one differs between the environments, and is text where an integer belongs."""

    def make(count: int) -> Files:
        head = "parameters:\n  word: {type: string, description: d}\n  other: {type: string, description: d}\n"
        pairs = "".join(entry.replace("#", str(at)).replace("@", str(at - 1)) for at in range(1, count))
        queue = f"  q (fulmar.queue): {{name: 'q-${{{read}}}', wait_hours: '${{{read}}}'}}\n".replace("#", str(count - 1))
        template = f"{head}{below}{pairs}{'' if 'resources:' in below else 'resources:'}\n{queue}"
        files = project(template, "word: x\nother: y\n", q__yaml="word: xx\nother: y\n", **more)
        return {**files, "jovial.yaml": PROJECT.replace("other: {parameters: [p", "other: {parameters: [q").encode()}

    return make


_BOTH = "'${digest(a@ + b@, 8)}'"
meeting_values = meeting("let:\n  a0: ${word}\n  b0: ${other}\n", f"  a#: {_BOTH}\n  b#: {_BOTH}\n", "a#")
meeting_defaults = meeting(
    "  a0: {type: string, description: d, default: '${word}'}\n  b0: {type: string, description: d, default: '${other}'}\n",
    "".join(f"  {name}#: {{type: string, description: d, default: {_BOTH}}}\n" for name in "ab"),
    "a#",
)
_NET = "  {0} (fulmar.network): {{name: net-{0}, range: 10.0.0.0/16, description: {1}}}\n"
meeting_resources = meeting(
    "resources:\n" + _NET.format("a0", "'${word}'") + _NET.format("b0", "'${other}'"),
    "".join(_NET.format(f"{name}#", "'${digest(a@.description + b@.description, 8)}'") for name in "ab"),
    "a#.description",
)
meeting_modules = meeting(
    "resources:\n  a0 (./m.yaml): {w: '${word}'}\n  b0 (./m.yaml): {w: '${other}'}\n",
    "".join(f"  {name}# (./m.yaml): {{w: '${{digest(a@.w + b@.w, 8)}}'}}\n" for name in "ab"),
    "a#.w",
    m__yaml="parameters: {w: {type: string, description: d}}\nlet: {v: '${w}'}\noutputs: {w: '${v}'}\n",
)


def definitions(count: int) -> Files:
    part = {"type": "object", "properties": {"p": {"type": "integer", "default": 3, "description": "d"}}, "default": {}}
    effect = {"type": "integer", "default": 1, "description": "d", "changeEffect": "becomes < was ? 'rebuild' : 'in_place'"}
    schema = {
        "$id": "yard.shed.v1",
        "description": "d",
        "type": "object",
        "properties": {f"q{n}": {"$ref": f"#/$defs/d{n}", "description": "d"} for n in range(count)}
        | {f"e{n}": effect for n in range(count)},
        "$defs": {f"d{n}": part for n in range(count)},
        "anyOf": [{"required": [f"q{n}"]} for n in range(count)],
        "additionalProperties": False,
    }
    return {
        "jovial.yaml": b"project: p\ntemplate: t.yaml\ncatalogs: [yard/]\nenvironments: {a: {parameters: []}}\n",
        "yard/catalog.yaml": b"name: yard\ndescription: d\n",
        "yard/shed.json": json.dumps(schema).encode(),
        "t.yaml": b"resources: {s (yard.shed): {q0: {}}}\n",
    }


DIMENSIONS: dict[str, tuple[Callable[[int], Files], int]] = {
    "names": (declared, 60),
    "unknown names": (unknown, 60),
    "values": (values, 60),
    "a chain": (chain, 60),
    "a chain of choices": (choices_chain, 30),
    "values that meet": (meeting_values, 12),
    "defaults that meet": (meeting_defaults, 12),
    "resources that meet": (meeting_resources, 12),
    "uses of modules that meet": (meeting_modules, 12),
    "findings": (findings, 40),
    "length of a text": (long_text, 2_000),
    "length of a text with placeholders": (long_template, 60),
    "length of an expression": (long_expression, 200),
    "items": (items, 60),
    "modules": (modules, 40),
    "nested modules": (nested_modules, 20),
    "environments": (environments, 8),
    "a snapshot": (snapshot, 100),
    "lists side by side": (lists, 50),
    "a document": (document, 50),
    "conditions": (conditions, 40),
    "conditions over few values": (few_values, 25),
    "functions that call functions": (calling_functions, 25),
    "resources of one identity": (clashes, 40),
    "what is not used": (unused, 60),
    "dependencies": (dependencies, 40),
    "rules": (rules, 30),
    "rows of a table": (table, 100),
    "definitions of a catalog": (definitions, 20),
}


def steps(work: Callable[[], Any]) -> int:
    """How many lines of Python run."""
    count = 0

    def trace(frame: FrameType, event: str, _: Any) -> Any:
        nonlocal count
        if event == "line":
            count += 1
        return trace

    before, room = sys.gettrace(), sys.getrecursionlimit()
    sys.setrecursionlimit(8_000)  # as the program has it
    sys.settrace(trace)
    try:
        work()
    finally:
        sys.settrace(before)
        sys.setrecursionlimit(room)
    return count


@pytest.mark.parametrize(("make", "size"), DIMENSIONS.values(), ids=list(DIMENSIONS))
def test_twice_as_much_takes_twice_the_steps(make: Callable[[int], Files], size: int) -> None:
    run(make(size))  # what is compiled or imported once is not counted
    one, two, four = (steps(lambda at=at: run(make(at))) for at in (size, 2 * size, 4 * size))
    # Of n log n at these sizes, the second doubling takes at most a quarter more than twice what the first one takes.
    assert four - two <= 2.5 * (two - one) + 1_000, (one, two, four)


@pytest.mark.parametrize("name", ["startup", "expressions", "render", "compare", "rules", "static"])
def test_benchmarks_fit_the_program(name: str) -> None:
    assert importlib.import_module(f"benchmarks.{name}.__main__").main
