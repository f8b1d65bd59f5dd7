"""Projects that grow in one dimension each: what is large in them, and nothing else is."""

import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple


class Project(NamedTuple):
    """The files of a project, by name; of a template, its parameters, and what stands in the project file besides."""

    template: str
    parameters: str
    more: str = ""
    files: dict[str, str] = {}  # noqa: RUF012  # of a tuple's default nobody changes anything
    environments: int = 1
    catalog: str = "fulmar"


class Dimension(NamedTuple):
    """What grows, how a project of a size is made, and the sizes. In most of them nothing is wrong."""

    name: str
    make: Callable[[int], Project]
    sizes: tuple[int, int]
    is_wrong: bool = False


_SETTING = "  setting: {enum: [sandbox, rehearsal, live], description: Which world}\n"
_COPIES = "  copies: {type: integer, minimum: 1, maximum: 9, description: How many}\n"
_HEAD = f"parameters:\n{_SETTING}{_COPIES}"
_LETTERS = str.maketrans("0123456789", "abcdefghij")
_VALUES = "setting: live\ncopies: 3\n"


def _queues(count: int, body: Callable[[int], str]) -> str:
    return "resources:\n" + "".join(f"  q{number} (fulmar.queue):\n    name: queue-{number}\n{body(number)}" for number in range(count))


def _shared(number: int) -> str:
    return '    wait_hours: ${copies}\n    tags: {setting: "${setting}"}\n'


def resources(size: int) -> Project:
    return Project(_HEAD + _queues(size, _shared), _VALUES)


def named_by_words(size: int) -> Project:
    """The same, with no digit in it that tells one from another: what is read once for all that are numbered helps nobody here."""
    template = _HEAD + _queues(size, _shared)
    return Project(re.sub("(?<=[q-])[0-9]+", lambda found: found.group().translate(_LETTERS), template), _VALUES)


def own_conditions(size: int) -> Project:
    """Each has one that no other has, and that may hold or not."""
    return Project(_HEAD + _queues(size, lambda n: f"    $when: copies * {n + 2} > {(n + 2) * (2 + n % 2)}\n{_shared(n)}"), _VALUES)


def shared_condition(size: int) -> Project:
    condition = "let: {large: \"${copies > 2 && setting == 'live'}\"}\n"
    return Project(_HEAD + condition + _queues(size, lambda number: f"    $when: large\n{_shared(number)}"), _VALUES)


def _enums(options: int) -> Callable[[int], Project]:
    def make(size: int) -> Project:
        values = ", ".join(f"v{number}" for number in range(options))
        declared = "".join(f"  e{number}: {{enum: [{values}], description: A choice}}\n" for number in range(3))
        body = '    wait_hours: "${{e{0} == \'v1\' ? copies : copies * 2}}"\n    tags: {{all: "${{e0 + e1 + e2}}"}}\n'
        template = f"parameters:\n{_COPIES}{declared}" + _queues(size, lambda number: body.format(number % 3))
        return Project(template, "copies: 3\ne0: v0\ne1: v0\ne2: v0\n")

    return make


def products(size: int) -> Project:
    """Choices beside bounded integers, all in one value: there are more combinations than anybody may try."""
    both = range(size)
    declared = "".join(
        f"  e{number}: {{enum: [a, b, c], description: x}}\n  n{number}: {{type: integer, minimum: 1, maximum: 5, description: x}}\n"
        for number in both
    )
    names, sum_of = " + ".join(f"e{number}" for number in both), " + ".join(f"n{number}" for number in both)
    body = '    wait_hours: "${{total > {} ? total : 1}}"\n    tags: {{all: "${{all}}"}}\n'
    template = f'parameters:\n{declared}let: {{all: "${{{names}}}", total: "${{{sum_of}}}"}}\n'
    return Project(
        template + _queues(200, lambda number: body.format(number % 9)), "".join(f"e{number}: a\nn{number}: 1\n" for number in both)
    )


def rules(size: int) -> Project:
    entry = "  rule{0}: {{because: x, applies: [fulmar.queue], require: self.wait_hours < {1} || self.name == string({0})}}\n"
    ruleset = "ruleset: bench\nrules:\n" + "".join(entry.format(number, 100 + number) for number in range(size))
    return Project(_HEAD + _queues(500, _shared), _VALUES, "rulesets: [rules.yaml]\n", {"rules.yaml": ruleset})


def findings(size: int) -> Project:
    """So many of 4,000 resources have a mistake."""
    return Project(
        _HEAD + _queues(4_000, lambda number: _shared(number) if number >= size else "    wait_hours: ${'a' + setting}\n"), _VALUES
    )


def findings_everywhere(size: int) -> Project:
    """The same, seen in three environments."""
    return findings(size)._replace(environments=3)


def names_of_one_mistake(size: int) -> Project:
    """One value that so many resources may not have."""
    return Project(
        _HEAD.replace("maximum: 9", "maximum: 900") + _queues(4_000, lambda number: _shared(number) if number < size else ""),
        _VALUES.replace("copies: 3", "copies: 300"),
        environments=3,
    )


def list_items(size: int) -> Project:
    template = (
        "parameters: {gates: {type: array, items: {type: object}, description: All gates}}\n"
        'let: {open: "${gates.filter(gate, gate.open)}"}\n'
        "resources:\n  q (fulmar.queue):\n    $per: {gate: open}\n    $key: gate.name\n    name: ${gate.name}\n    wait_hours: ${gate.hours}\n"
    )
    return Project(template, "gates:\n" + "".join(f"  - {{name: gate-{n}, hours: {n % 9 + 1}, open: true}}\n" for n in range(size)))


def object_loop(size: int) -> Project:
    template = (
        "parameters: {gates: {type: object, additionalProperties: {type: object}, description: All gates}}\n"
        'resources:\n  q (fulmar.queue):\n    $per: {"key, gate": gates}\n    name: ${key}\n    wait_hours: ${gate.hours}\n'
    )
    return Project(template, "gates:\n" + "".join(f"  gate-{n}: {{hours: {n % 9 + 1}}}\n" for n in range(size)))


def value_chain(size: int) -> Project:
    values = "".join(f"  v{number}: ${{v{number - 1} + 1}}\n" for number in range(1, size))
    return Project(f'{_HEAD}let:\n  v0: ${{copies}}\n{values}outputs: {{end: "${{v{size - 1}}}"}}\n', _VALUES)


def pairs_that_meet(size: int) -> Project:
    """Each of two values reads both of the two before: the ways that lead to the first are more than anybody can go."""
    first = 'let:\n  a0: "${copies}"\n  b0: "${copies}"\n'
    pairs = "".join(f'  a{n}: "${{a{n - 1} - b{n - 1}}}"\n  b{n}: "${{b{n - 1} - a{n - 1}}}"\n' for n in range(1, size))
    return Project(f'{_HEAD}{first}{pairs}outputs: {{end: "${{a{size - 1}}}"}}\n', _VALUES)


def must_entries(size: int) -> Project:
    entries = "".join(f"  - {{require: copies + {number} < {number + 10} || setting != 'live', message: m}}\n" for number in range(size))
    return Project(f"{_HEAD}must:\n{entries}{_queues(100, _shared)}", _VALUES)


def functions_in_a_chain(size: int) -> Project:
    chain = "".join(
        f"  f{n}: {{takes: {{x: {{type: integer}}}}, gives: {{type: integer}}, is: {f'f{n - 1}(x)' if n else 'x'}}}\n" for n in range(size)
    )
    return Project(f'{_HEAD}functions:\n{chain}outputs: {{end: "${{f{size - 1}(copies)}}"}}\n', _VALUES)


def resource_chain(size: int) -> Project:
    return Project(_HEAD + _queues(size, lambda n: f'    tags: {{after: "${{q{n - 1}.name}}"}}\n' if n else _shared(n)), _VALUES)


_MODULE = (
    "parameters: {key: {type: string, maxLength: 9, description: x}, copies: {type: integer, minimum: 1, maximum: 20, description: x}}\n"
    'resources:\n  q (fulmar.queue): {name: "queue-${key}", wait_hours: "${copies}"}\n'
    'outputs: {same: "${copies}", url: "${q.url}"}\n'
)


def _modules(given: Callable[[int], str]) -> Callable[[int], Project]:
    def make(size: int) -> Project:
        uses = "".join(f"  m{number} (one):\n    key: k{number}\n    copies: ${{{given(number)}}}\n" for number in range(size))
        template = f'{_HEAD}resources:\n{uses}outputs: {{end: "${{m{size - 1}.same}}"}}\n'
        return Project(template, _VALUES, "modules: {one: one.yaml}\n", {"one.yaml": _MODULE})

    return make


def distinct_texts(size: int) -> Project:
    body = '    wait_hours: "${{copies * {0} > {1} ? copies * {2} : {3}}}"\n    tags: {{setting: "${{setting}}-{0}"}}\n'
    return Project(_HEAD + _queues(size, lambda n: body.format(n + 2, (n + 2) * (n % 8 + 1), n % 7 + 1, n % 40 + 1)), _VALUES)


def environments(size: int) -> Project:
    return Project(_HEAD + _queues(2_000, _shared), _VALUES, environments=size)


def definitions(size: int) -> Project:
    """One type of a catalog of its own, with so many definitions that its properties refer to, and as many effects of changes."""
    part = {"type": "object", "properties": {"p": {"type": "integer", "default": 3, "description": "x"}}, "default": {}}
    effect = {"type": "integer", "default": 1, "description": "x", "changeEffect": "becomes < was ? 'rebuild' : 'in_place'"}
    schema = {
        "$id": "yard.shed.v1",
        "description": "A shed",
        "type": "object",
        "properties": {f"q{n}": {"$ref": f"#/$defs/d{n}", "description": "x"} for n in range(size)}
        | {f"e{n}": effect for n in range(size)},
        "$defs": {f"d{n}": part for n in range(size)},
        "anyOf": [{"required": [f"q{n}"]} for n in range(size)],
    }
    files = {"yard.json": json.dumps(schema)}
    return Project("resources:\n  shed (yard.shed): {q0: {p: 1}}\n", "{}\n", "", files)._replace(catalog="yard.json")


DIMENSIONS = (
    Dimension("resources", resources, (1_000, 4_000)),
    Dimension("resources named by words", named_by_words, (1_000, 4_000)),
    Dimension("a $when of their own", own_conditions, (1_000, 4_000)),
    Dimension("a shared $when", shared_condition, (1_000, 4_000)),
    *(Dimension(f"enums of {options}", _enums(options), (400, 1_600)) for options in (3, 10, 30)),
    Dimension("enums by integers", products, (6, 18)),
    Dimension("rules", rules, (3, 100)),
    Dimension("findings", findings, (40, 4_000), True),
    Dimension("findings in three environments", findings_everywhere, (40, 4_000), True),
    Dimension("names of one mistake", names_of_one_mistake, (40, 4_000), True),
    Dimension("items of a list", list_items, (2_500, 10_000)),
    Dimension("entries of a map", object_loop, (2_500, 10_000)),
    Dimension("a chain of values", value_chain, (4_000, 16_000)),
    Dimension("pairs of values that meet", pairs_that_meet, (500, 2_000)),
    Dimension("must entries", must_entries, (100, 400)),
    Dimension("functions in a chain", functions_in_a_chain, (50, 200)),
    Dimension("a chain of resources", resource_chain, (1_000, 4_000)),
    Dimension("modules", _modules(lambda number: f"copies + {number % 5}"), (400, 1_600)),
    Dimension("a chain of modules", _modules(lambda number: f"m{number - 1}.same" if number else "copies"), (400, 1_600)),
    Dimension("distinct texts", distinct_texts, (1_000, 4_000)),
    Dimension("environments", environments, (10, 40)),
    Dimension("definitions of a catalog", definitions, (200, 800)),
)


def write(folder: Path, project: Project) -> None:
    """Put the files of a project into a folder."""
    folder.mkdir(parents=True)
    names = [f"world{number}" for number in range(project.environments)]
    entries = "".join(f"  {name}: {{parameters: [{name}.yaml]}}\n" for name in names)
    files = {
        "line.yaml": project.template,
        "jovial.yaml": f"project: bench\ntemplate: line.yaml\ncatalogs: [{project.catalog}]\n{project.more}environments:\n{entries}",
        **{f"{name}.yaml": project.parameters for name in names},
        **project.files,
    }
    for name, text in files.items():
        (folder / name).write_text(text)
