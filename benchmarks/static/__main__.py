"""Checks before any environment, with many values that could be put in, and the same without: `python -m benchmarks.static`."""

import gc
import statistics
import sys
import time

from benchmarks.measuring import report
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project

_ROUNDS = 5
_PROJECT = "project: bench\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n"


def _choice(options: int, letter: str, more: str = "") -> str:
    """A declaration of some options; of any short text, where there are none."""
    values = ", ".join(f"{letter}{number}" for number in range(options))
    return f"{{enum: [{values}]{more}}}" if options else f"{{type: string, maxLength: 3{more}}}"


def forty(chosen: bool) -> str:
    """40 loops that read two parameters and two fields of their items, which are choices or are not."""
    sizes = (8, 12) if chosen else (0, 0)
    first, second = (_choice(size, letter, ", description: x") for size, letter in zip(sizes, "ab", strict=True))
    third, fourth = (_choice(size, letter) for size, letter in zip(sizes, "cd", strict=True))
    item = f"{{type: object, required: [c, d, k], properties: {{k: {{type: string}}, c: {third}, d: {fourth}}}}}"
    body = (
        "    $per: {{x: items}}\n    $key: x.k\n    name: q{0}-${{a}}-${{b}}-${{x.c}}-${{x.d}}\n"
        '    tags: {{t: "${{a + b + x.c + x.d}}", u: "${{x.c == \'c1\' ? a : b}}"}}\n'
    )
    resources = "".join(f"  q{number} (fulmar.queue):\n{body.format(number)}" for number in range(40))
    items = f"  items: {{type: array, description: x, items: {item}}}\n"
    return f"parameters:\n  a: {first}\n  b: {second}\n{items}resources:\n{resources}"


def thousand(conditional: bool) -> str:
    """1,000 resources over choices of 8 and 32, each with a condition of its own or with none."""

    def resource(number: int) -> str:
        condition = f"$when: \"a == 'a{number % 8}' || b != 'b{number % 32}'\", " if conditional else ""
        return f'  q{number} (fulmar.queue): {{{condition}name: "q{number}-${{a}}-${{b}}"}}\n'

    declared = f"  a: {_choice(8, 'a', ', description: x')}\n  b: {_choice(32, 'b', ', description: x')}\n"
    return f"parameters:\n{declared}resources:\n" + "".join(map(resource, range(1_000)))


def seconds(template: str) -> float:
    """How long one check takes, in a project of its own."""
    project = Project(MemoryFolder({"jovial.yaml": _PROJECT.encode(), "t.yaml": template.encode()}))
    began = time.perf_counter()
    findings = project.check(template_only=True).findings
    taken = time.perf_counter() - began
    assert findings == (), findings
    return taken


def main() -> int:
    """Exit code 1 where an aim is missed."""
    gc.disable()  # as the program does
    met = []
    for what, make, most in (
        ("40 resources over four choices / over texts", forty, 3),
        ("1,000 conditions over two choices / none", thousand, 2),
    ):
        taken: dict[bool, list[float]] = {True: [], False: []}
        for _ in range(_ROUNDS + 1):
            for kind, found in taken.items():
                found.append(seconds(make(kind)))
        met.append(report(what, statistics.median(taken[True][1:]), statistics.median(taken[False][1:]), most))
    return 0 if all(met) else 1


if __name__ == "__main__":
    sys.exit(main())
