"""What something reaches, asked by name and by place."""

from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold.core.changes.impact import Touched
from tests.support import in_memory, jovial, valid_json

_FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nlookups: {images: images.csv}\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n",
    "t.yaml": """parameters:
  n: {type: integer, description: d}
  on: {type: boolean, default: "${n > 1}", description: d}
  unused: {type: string, default: x, description: d}
let:
  twice: ${n * 2}
  sizes: {small: s, large: m}
functions:
  named: {takes: {w: {type: string}}, gives: {type: string}, is: '"q-" + w'}
lookups:
  image: {in: images, where: row.use == "gate"}
resources:
  net (fulmar.network): {$when: on, name: net, range: 10.0.0.0/8}
  pool (fulmar.machine_group): {name: pool, image: "${image.image}", size: "${sizes.small}", copies: "${twice}", subnets: [x]}
  queue (fulmar.queue): {name: '${named("a")}'}
  after (fulmar.queue): {name: "after-${queue.name}", tags: {t: "${present(pool) ? 'y' : 'n'}"}}
  inner (./m.yaml): {hours: "${twice}", other: fixed}
documents: {doc: {from: d.txt}}
outputs: {size: "${pool.size}", hours: "${inner.hours}"}
""",
    "m.yaml": """parameters: {hours: {type: integer, description: d}, other: {type: string, description: d}}
resources:
  one (fulmar.queue): {name: "one-${other}", wait_hours: "${hours}"}
outputs: {hours: "${one.wait_hours}", other: "${other}"}
""",
    "d.txt": "size ${sizes.large}\n",
    "images.csv": "use,image\ngate,g-1\ndesk,d-1\n",
    "a.yaml": "n: 1\n",
    "b.yaml": "# of b\nn: 2\n",
}


def told(found: list[Touched]) -> list[str]:
    return [f"{each.address}:{each.property} {each.effect}" if each.property else f"{each.address} {each.effect}" for each in found]


@pytest.mark.parametrize(
    ("what", "in_b"),
    [
        (
            "n",
            [
                "inner/one:wait_hours in_place",
                "net:name rebuild",
                "net:range rebuild",
                "net add or remove",
                "pool:copies in_place",
                "hours in_place",
            ],
        ),
        ("on", ["net:name rebuild", "net:range rebuild", "net add or remove"]),
        ("unused", []),
        ("twice", ["inner/one:wait_hours in_place", "pool:copies in_place", "hours in_place"]),
        ("sizes", ["pool:size restart", "size in_place", "doc in_place"]),
        ("named", ["after:name rebuild", "queue:name rebuild"]),
        ("image", ["pool:image rebuild"]),
        ("queue", ["after:name rebuild", "queue add or remove"]),
        (
            "b.yaml:2",
            [
                "inner/one:wait_hours in_place",
                "net:name rebuild",
                "net:range rebuild",
                "net add or remove",
                "pool:copies in_place",
                "hours in_place",
            ],
        ),
        ("images.csv:2", ["pool:image rebuild"]),
        ("images.csv:3", None),
        ("t.yaml:7", ["pool:size restart", "size in_place", "doc in_place"]),
        ("t.yaml:19", ["size in_place", "hours in_place"]),
        ("m.yaml:1", ["inner/one:name rebuild", "inner/one:wait_hours in_place", "hours in_place"]),
        ("m.yaml:3", ["inner/one add or remove", "hours in_place"]),
        ("m.yaml:4", ["hours in_place"]),
        ("m.yaml:2", None),
        ("b.yaml:1", None),
        ("nothing", None),
        ("t.yaml:999", None),
    ],
)
def test_what_is_reached(what: str, in_b: list[str] | None) -> None:
    from jovial_scaffold.core.rendering.explaining import Unexplained

    project = in_memory(_FILES)
    if in_b is None:
        with pytest.raises(Unexplained):
            project.impact(what)
        return
    assert sorted(told(project.impact(what)["b"])) == sorted(in_b)


def test_only_where_a_file_sets_it() -> None:
    assert list(in_memory(_FILES).impact("b.yaml:2")) == ["b"]


def test_by_the_program(demo: Path) -> None:
    document: dict[str, Any] = valid_json("impact", jovial("why", "zone", "--impact", "--format", "json", cwd=demo).stdout)
    assert list(document["environments"]) == ["sandbox", "rehearsal", "live"]
    text = jovial("why", "zone", "live", "--impact", cwd=demo).stdout
    assert text.startswith("zone may reach 5 resources in live\n") and "central_net (zone)" in text
    assert "rehearsal and live" in jovial("why", "zone", "--impact", cwd=demo).stdout
    wrong = jovial("why", "zoen", "--impact", cwd=demo)
    assert wrong.returncode == 1 and "Did you mean `zone`?" in wrong.stderr
