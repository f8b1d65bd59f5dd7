"""Projects of ten environments that differ each in its own way: by loops, modules, lists without keys, values of maps, conditions, names without digits,
prefixes, numbers of items, modules in modules."""

from collections.abc import Callable
from pathlib import Path

ENVIRONMENTS = tuple(f"world{number}" for number in range(10))
_HEAD = (
    "parameters:\n  setting: {type: string, description: Which world}\n  copies: {type: integer, description: How many}\n"
    "  gates: {type: array, items: {type: object}, description: All gates}\n  company: {type: string, description: The same everywhere}\n"
)
_MODULE = (
    "parameters: {copies: {type: integer, description: x}, name: {type: string, description: x}}\n"
    'resources:\n  q (fulmar.queue): {name: "${name}", wait_hours: "${copies}", tags: {name: "${name}"}}\n'
)
_OUTER = (
    "parameters: {copies: {type: integer, description: x}, name: {type: string, description: x}}\n"
    'resources:\n  below (one): {name: "${name}-b", copies: "${copies + 1}"}\n'
    '  q (fulmar.queue):\n    $when: copies > 0\n    name: ${name}-q\n    tags: {name: "${name}"}\n'
)


def _each(size: int, body: str) -> str:
    return (
        _HEAD + "resources:\n" + "".join(body.replace("NUMBER", str(number)).replace("DIGIT", str(number % 10)) for number in range(size))
    )


def loops(size: int) -> str:
    return (
        f"{_HEAD}resources:\n  q (fulmar.queue):\n    $per: {{gate: gates}}\n    $key: gate.name\n    name: ${{gate.name}}-${{setting}}\n"
        '    wait_hours: ${copies}\n    tags: {setting: "${setting}", gate: "${gate.name}"}\n'
    )


def modules(size: int) -> str:
    return _each(size, '  mNUMBER (one): {copies: "${copies}", name: "nNUMBER-${setting}"}\n')


def lists(size: int) -> str:
    return _each(
        size,
        '  bNUMBER (fulmar.balancer):\n    name: bal-NUMBER\n    subnets: ["${setting}-aNUMBER", xNUMBER, "${setting}-c"]\n    listeners: []\n',
    )


def maps(size: int) -> str:
    body = '  qNUMBER (fulmar.queue):\n    name: q-NUMBER\n    tags: {x: "${base.a}", y: "${string(base.c)}NUMBER", z: "${as_json(base)}NUMBER"}\n'
    return _each(size, body).replace("resources:", 'let: {base: {a: "${setting}", c: "${copies}"}}\nresources:', 1)


def conditions(size: int) -> str:
    return _each(size, "  qNUMBER (fulmar.queue):\n    $when: setting != 'sDIGIT'\n    name: q-NUMBER\n    wait_hours: ${copies + DIGIT}\n")


def words(size: int) -> str:
    """Resources that no digits tell apart, so that each has to be read by itself."""
    named = [str(number).translate(str.maketrans("0123456789", "abcdefghij")) for number in range(size)]
    body = '  qNAME (fulmar.queue):\n    name: q-NAME-${setting}\n    wait_hours: ${copies + DIGIT}\n    tags: {of: "NAME", setting: "${setting}"}\n'
    return _HEAD + "resources:\n" + "".join(body.replace("NAME", each).replace("DIGIT", str(len(each))) for each in named)


def prefixes(size: int) -> str:
    """Names that begin with what is the same everywhere, and hold several parts that differ."""
    body = (
        "  qNUMBER (fulmar.queue):\n    name: ${company}-${setting}-NUMBER\n    wait_hours: ${copies}\n"
        '    tags: {of: "${company}/NUMBER/${setting}", level: "${setting}-NUMBER-${string(copies)}"}\n'
    )
    return _each(size, body)


def items(size: int) -> str:
    """Items of a loop with numbers that are computed of each, and texts around what differs."""
    return (
        f"{_HEAD}resources:\n  q (fulmar.queue):\n    $per: {{gate: gates}}\n    $key: gate.name\n    name: ${{gate.name}}-${{setting}}-${{gate.port}}\n"
        '    wait_hours: ${gate.port * copies}\n    tags: {port: "n-${gate.port}-${copies}", gate: "${company}-${gate.name}"}\n'
    )


def nested(size: int) -> str:
    """Modules in modules, with a condition inside."""
    return _each(size // 2, '  mNUMBER (two): {copies: "${copies}", name: "${company}-nNUMBER-${setting}"}\n')


DIMENSIONS: tuple[Callable[[int], str], ...] = (loops, modules, lists, maps, conditions, words, prefixes, items, nested)


def write(folder: Path, make: Callable[[int], str], size: int) -> None:
    """A project of ten environments."""
    folder.mkdir(parents=True)
    entries = "".join(f"  {name}: {{parameters: [{name}.yaml]}}\n" for name in ENVIRONMENTS)
    (folder / "jovial.yaml").write_text(
        f"project: bench\ntemplate: line.yaml\ncatalogs: [fulmar]\nmodules: {{one: one.yaml, two: two.yaml}}\nenvironments:\n{entries}"
    )
    (folder / "line.yaml").write_text(make(size))
    (folder / "one.yaml").write_text(_MODULE)
    (folder / "two.yaml").write_text(_OUTER)
    gates = "".join(f"  - {{name: gate-{number}, port: {number % 60}}}\n" for number in range(size if make in (loops, items) else 1))
    for number, name in enumerate(ENVIRONMENTS):
        (folder / f"{name}.yaml").write_text(f"setting: s{number}\ncopies: {number % 4 + 1}\ncompany: alp\ngates:\n{gates}")
