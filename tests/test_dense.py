"""Packed rows of a comparison: nothing is lost, nothing that differs reads the same; and what differences are about."""

import json
import re
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.changes.aspects import Aspects
from jovial_scaffold.core.changes.driving import names_of
from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.reports.dense import Line, Told, lines_of, split_line
from jovial_scaffold.reports.folding import FEW, MANY, addresses_text, folded, heads_text
from jovial_scaffold.reports.matrix import matrix_text
from jovial_scaffold.reports.terminal import Style, cells
from tests.support import in_memory

_VALUES = st.sampled_from(
    ["1", "2", "xs", "‹absent›", "10.30.0.0/16", "alp-live-gates-fal", "alp-live-gates-pea", "alp-dusk-gates-fal", "a, b"]
)
_ROWS = st.lists(
    st.tuples(
        st.sampled_from(["gates/kes", "gates/hut", "net", *(f"q/{number}" for number in range(9))]),
        st.sampled_from(["copies", "size", "entries/a/from", "entries/a/port"]),
        st.tuples(_VALUES, _VALUES, _VALUES),
        st.sampled_from(["setting", "stations"]),
    ),
    max_size=24,
    unique_by=lambda row: row[:2],
)


def told_of(rows: list[tuple[str, str, tuple[str, ...], str]]) -> list[Told]:
    found = []
    for head, label, values, drivers in sorted(rows):
        row = Row("property", head, "fulmar.queue.v1", tuple(label.split("/")), dict(zip("abc", values, strict=True)), (), True)
        found.append(Told(head, label, values, ("", "note", "note"), drivers, row))
    return found


def rows_in(line: Line, told: list[Told]) -> list[Told]:
    """The rows that a line stands for."""
    front, brace, rest = line.label.partition("{")
    labels = {f"{front}{each}" for each in rest.rstrip("}").split(", ")} if brace else set(line.label.split(", "))
    return [each for each in told if each.head in line.heads and each.label in labels and each.drivers == line.drivers]


@given(_ROWS)
def test_nothing_is_lost_and_what_differs_reads_differently(rows: list[tuple[str, str, tuple[str, ...], str]]) -> None:
    told = told_of(rows)
    lines = lines_of(told, 25)
    held = [each for line in lines for each in rows_in(line, told)]
    assert sorted((each.head, each.label) for each in held) == sorted((each.head, each.label) for each in told)
    for line in lines:
        own = rows_in(line, told)
        for one in range(3):
            for other in range(one):
                differ = any(each.values[one] != each.values[other] for each in own)
                assert (line.values[one] != line.values[other]) == differ, (line, own)
        if len(own) > 1 and not line.folded and len({each.head for each in own}) == 1:
            assert cells(line.label) <= 25


@given(st.dictionaries(st.sampled_from("abc"), st.text("ab1 .", max_size=20), min_size=3, max_size=3))
def test_a_line_of_a_document_can_be_put_together_again(texts: dict[str, str]) -> None:
    found = split_line(texts, list("abc"))
    if found is not None:
        begins, _, ends = found[0].partition("…")
        assert {name: f"{begins}{rest}{ends}" for name, rest in found[1].items()} == texts
        for rest in found[1].values():  # no word is cut
            assert not re.search(r"\w\Z", begins) or not re.match(r"\w", rest or ends)
            assert not re.match(r"\w", ends) or not re.search(r"\w\Z", rest or begins)


def test_numbers_of_a_line_are_shown_whole() -> None:
    texts = {"a": "it is kept for 30 days", "b": "it is kept for 60 days", "c": "it is kept for 6.10 days"}
    assert split_line(texts, texts) == ("it is kept for … days", {"a": "30", "b": "60", "c": "6.10"})


def test_items_of_one_loop_are_named_once() -> None:
    assert heads_text(["gates/kes", "gates/hut", "net"]) == "gates/kes, hut, net"
    assert heads_text([f"q/slip-{number}" for number in range(9)]) == "q/slip-… (×9)"
    assert heads_text(["q/a/in", "q/b/in", "q/a/out", "net"]) == "q/a/in, out, q/b/in, net"
    assert heads_text(["q/a/in", "q/b/in", "net"]) == "q/{a,b}/in, net"
    assert heads_text(["fire/k3", "lane/k3", "lane"]) == "{fire,lane}/k3, lane"
    many = [f"{front}/k{number}" for front in ("fire0", "fire3") for number in range(9)]
    assert heads_text([*many, "net"]) == "fire{0,3}/k… (×18), net"
    assert heads_text([f"fire{front}/k{number}" for front in range(8) for number in range(9)]) == "fire…/k… (×72)"
    assert heads_text([f"q/slip-{number}/in" for number in range(9)]) == "q/slip-…/in (×9)"
    inner = [f"use/h{use}/meadow/{name}" for use in range(9) for name in ("clover", "heath")]
    assert heads_text([*inner, "use/h0/meadow/lime", "net"]) == "use/…/meadow/clover (×9), use/…/meadow/heath (×9), use/h0/meadow/lime, net"
    grid = [f"use/h{use}/many/k{number}" for use in range(30) for number in range(20)]
    assert folded(grid) == {"use/…/many/… (×600)": 600}
    assert folded(f"part{use}/{name}" for use in range(30) for name in ("a", "b")) == {
        f"part{use}/{name}": 1 for use in range(30) for name in ("a", "b")
    }


@given(st.lists(st.lists(st.sampled_from("abcdefghijklmnop"), min_size=1, max_size=4).map("/".join), max_size=60, unique=True))
def test_what_is_folded_stands_for_each_address_once(addresses: list[str]) -> None:
    counts = folded(addresses)
    assert sum(counts.values()) == len(addresses)
    for text, count in counts.items():
        pattern = re.escape(text.partition(" (×")[0]).replace("…", "[^/]+")
        assert text in addresses if count == 1 else text.endswith(f"(×{count})")
        assert sum(re.fullmatch(pattern, each) is not None for each in addresses) >= count


_CATALOG = """$id: yard.lift.v1
title: Lift
description: d
type: object
properties:
  name: {type: string, description: d, aspect: naming}
  seats: {type: integer, description: d, aspect: capacity, adds: true, unit: seats}
  cars: {type: integer, description: d, aspect: capacity, adds: true, unit: seats}
  door: {type: object, description: d, aspect: exposure, properties: {lock: {type: string, description: d}, sign: {type: string, description: d, aspect: colour}}}
  note: {type: string, description: d}
additionalProperties: false
"""
_FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [catalog/]\nenvironments: {a: {parameters: [a.json]}, b: {parameters: [b.json]}}\n",
    "catalog/catalog.yaml": "name: yard\ndescription: d\n",
    "catalog/lift.yaml": _CATALOG,
    "t.yaml": """parameters:
  n: {type: integer, description: d}
  w: {type: string, description: d}
resources:
  lift (yard.lift): {name: "l-${w}", seats: "${n}", cars: "${n * 2}", door: {lock: "${n > 1 ? 'on' : 'off'}", sign: "${n > 1 ? 'red' : 'blue'}"}, note: "${n > 1 ? 'x' : 'y'}"}
  more (yard.lift): {$when: n > 1, name: more, seats: 7}
outputs: {n: "${n}"}
""",
    "a.json": json.dumps({"n": 1, "w": "u"}),
    "b.json": json.dumps({"n": 3, "w": "v"}),
}


def test_aspects_are_inherited_and_sums_go_by_unit() -> None:
    comparison = in_memory(_FILES).compare(echoes=True)
    aspects = Aspects(comparison)
    found: dict[str, list[Any]] = {}
    for row in comparison.rows:
        found.setdefault(aspects.of(row), []).append(f"{row.address}:{'/'.join(map(str, row.pointer))}")
    assert found == {
        "presence": ["more:"],
        "capacity": ["lift:cars", "lift:seats"],
        "exposure": ["lift:door/lock"],
        "colour": ["lift:door/sign"],
        "naming": ["lift:name"],
        "other": ["lift:note", "outputs.n:"],
    }
    told = aspects.told()
    assert [each.name for each in told] == ["presence", "capacity", "exposure", "naming", "colour", "other"]
    assert [(each.property, each.values) for each in told[1].sums] == [("seats", {"a": 3, "b": 16})]
    assert told[3].echoes == 1
    text = matrix_text(comparison, Style(False, 100), False)
    assert "capacity 2 (b has 5.33 × the seats of a)" in text.replace("\n", " ")
    assert "── colour · 1 row" in matrix_text(comparison, Style(False, 100), False, by="aspect")


def test_each_letter_that_stands_for_a_driver_is_explained_and_no_two_values_read_the_same() -> None:
    names = [f"{each}_of_the_canal" for each in ("alpha", "beta", "gamma", "delta")]
    long = "words " * 6
    declared = "".join(f"  {name}: {{type: string, description: d}}\n" for name in ("setting", *names))
    queues = "".join(
        f"  q_{name[:3]} (fulmar.queue):\n    name: queue-{name[0]}\n    description: \"{long}${{{name} == 'x' ? 'one' : 'two'}} {long}\"\n"
        for name in names
    )
    echoes = "".join(f'  z{number} (fulmar.queue): {{name: "z{number}-${{setting}}"}}\n' for number in range(9))
    worlds = ("dry-dock", "wet-dock", "flood-dock")
    files = {
        "jovial.yaml": "project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments:\n"
        + "".join(f"  {each}: {{parameters: [{each}.yaml]}}\n" for each in worlds),
        "line.yaml": f"parameters:\n{declared}resources:\n{queues}{echoes}",
    }
    for number, world in enumerate(worlds):
        told = "".join(f"{name}: {'x' if (index + number) % 2 else 'y'}\n" for index, name in enumerate(names))
        files[f"{world}.yaml"] = f"setting: {world}\n{told}"
    text = matrix_text(in_memory(files).compare(), Style(False, 66), False)
    rows = [line for line in text.splitlines() if line.startswith("q_")]
    legend = " ".join(text[text.index("Driven by") :].split())
    assert len(rows) == len(names)
    for row in rows:
        *values, letter = re.split(" {2,}", row.strip())[2:]
        assert re.search(rf"(?<!\w){letter} \w+_of_the_canal", legend), (letter, legend)
        assert values[0] == values[2] != values[1]


_STEPS = st.sampled_from(["a", "b", *map(str, range(9))])


@given(st.lists(st.lists(_STEPS, min_size=1, max_size=3).map("/".join), max_size=60, unique=True))
def test_counts_of_addresses_add_up(addresses: list[str]) -> None:
    told = addresses_text(addresses)
    numbers = [int(found[1] or found[2]) if (found := re.search(r"\(×(\d+)\)$|^(\d+) others$", each)) else 1 for each in told]
    assert sum(numbers) == len(addresses) and len(told) <= MANY
    for text, number in zip(told, numbers, strict=True):
        if "…" in text:
            form = re.compile(re.escape(text.partition(" (")[0]).replace("…", "[^/]+"))
            assert sum(form.fullmatch(each) is not None for each in addresses) >= number > FEW


_FORMS = ("a-${p0}", "b-${p1 == 'x' ? 1 : 2}", "c-${p0}-${p2 == 'y'}", "d-${p1}${p2 == 'x'}${p3 == 'x'}", "e-${p3 == 'x' ? p0 : p1}")


@given(st.lists(st.sampled_from(_FORMS), min_size=2, max_size=6), st.lists(st.text("xyz", min_size=4, max_size=4), min_size=3, max_size=3))
@settings(max_examples=60, deadline=None)
def test_each_row_stands_under_each_title_that_it_belongs_to(forms: list[str], worlds: list[str]) -> None:
    declared = "".join(f"  p{number}: {{type: string, description: d}}\n" for number in range(4))
    queues = "".join(f"  r{number} (fulmar.queue): {{name: {json.dumps(form)}}}\n" for number, form in enumerate(forms))
    entries = '{$when: p1 == \'x\', name: web, speaks: tcp, port: 80, from: \'${p2 == "x" ? "10.0.0.0/8" : "10.0.0.0/9"}\'}'
    files = {
        f"{name}.json": json.dumps({f"p{number}": each for number, each in enumerate(world)})
        for name, world in zip("abc", worlds, strict=True)
    }
    files["t.yaml"] = (
        f"parameters:\n{declared}resources:\n{queues}  fire (fulmar.firewall): {{name: fire, network: n, entries: [{entries}]}}\n"
    )
    environments = {name: {"parameters": [f"{name}.json"]} for name in "abc"}
    files["jovial.yaml"] = json.dumps({"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": environments})
    comparison = in_memory(files).compare()
    for by in ("parameter", "type", "aspect", "module") if comparison.rows else ():
        text = matrix_text(comparison, Style(False, 200), False, by, echoes=True)
        sections = {part.partition(" · ")[0]: part for part in re.split(r"^── ", text, flags=re.M)[1:]}
        counts = {title: int(part.partition(" · ")[2].partition(" row")[0]) for title, part in sections.items()}
        told: dict[str, set[tuple[str, tuple[str | int, ...]]]] = {}
        for row in comparison.rows:
            titles = {
                "parameter": [*names_of(row.drivers)],
                "type": [row.type],
                "aspect": [Aspects(comparison).of(row)],
                "module": ["the project's template"],
            }[by]
            for title in titles:
                told.setdefault(title, set()).add((row.address, row.pointer))
                assert row.address in sections[title], (by, title, row, text)
        assert counts == {title: len(found) for title, found in told.items()}
