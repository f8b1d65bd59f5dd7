"""Renames: whatever is renamed, moved into a module or out of one, step after step, stays the same thing to `effects` and `compare`."""

import json
import random
from typing import Any

import yaml

from jovial_scaffold.core.changes.edges import between
from jovial_scaffold.core.changes.matrix import compare
from jovial_scaffold.core.changes.snapshots import snapshot_document
from jovial_scaffold.core.records import replace
from tests.fuzz.drivers import loaded

_NAMES = ("gate", "desk", "yard", "lodge", "queue", "platform")
_KEYS = ("kes", "hut", "bri", "A.1", "x-2")


def attempt(chance: random.Random) -> str:
    """One project before and after some renames."""
    before = [f"{address}" for address in _tree(chance)]
    things = {address: f"thing-{number}" for number, address in enumerate(before)}
    now, entries = dict(zip(before, before, strict=True)), _moves(chance, before)
    for old, new in entries:
        now = {first: _moved(address, old, new) for first, address in now.items()}
    after = {address: things[first] for first, address in now.items()}
    if len(after) < len(things) or not _is_tree(after):
        return "unusable"
    then = loaded(_files(things, [])).render("live")
    files = _files(after, entries) | {"now.json": json.dumps(snapshot_document("p", then, {}, "")).encode()}
    project = loaded(files)
    if any(each.level == "error" for each in project.check().findings):
        return "unusable"  # a history that no list of entries can tell
    effects = project.effects("live")
    told = {each.address: (each.effect, each.formerly) for each in effects.effects}
    true = {address: ("unchanged", "") if address == first else (_kind(first, address), first) for first, address in now.items()}
    assert told == true, (entries, told, true)
    sides = (loaded(_files(things, [])).views(["live"])[0], "was"), (project.views(["live"])[0], "becomes")
    comparison = compare([replace(each, label=label) for each, label in sides])
    assert {(row.kind, row.address) for row in comparison.rows} == {("address", new) for first, new in now.items() if first != new}, entries
    edges = {each.address: (each.effect, each.formerly) for each in between(comparison, "was", "becomes").effects}
    assert edges == {address: each for address, each in true.items() if each[0] != "unchanged"}, (entries, edges, true)
    back = {each.address: (each.effect, each.formerly) for each in between(comparison, "becomes", "was").effects}
    assert back == {first: (_kind(address, first), address) for first, address in now.items() if first != address}, (entries, back)
    return "clean"


def _kind(first: str, address: str) -> str:
    return "rename" if first.count("/") == address.count("/") else "move"


def _tree(chance: random.Random) -> set[str]:
    """Addresses: resources, items of loops, and what stands in modules, at most two deep."""
    found: set[str] = set()
    for name in chance.sample(_NAMES, chance.randint(1, 4)):
        kind = chance.choice(("one", "items", "module", "module"))
        if kind == "one":
            found.add(name)
        elif kind == "items":
            found |= {f"{name}/{key}" for key in chance.sample(_KEYS, chance.randint(1, 3))}
        else:
            for inner in chance.sample(_NAMES, chance.randint(1, 3)):
                deep = chance.random() < 0.3
                found |= {f"{name}/{inner}/{key}" for key in chance.sample(_KEYS, 2)} if deep else {f"{name}/{inner}"}
    return found


def _moves(chance: random.Random, before: list[str]) -> list[tuple[str, str]]:
    """Renames that happened one after the other; what once was an address is not used again."""
    entries: list[tuple[str, str]] = []
    here, gone = list(before), set(before)
    for _ in range(chance.randint(1, 4)):
        address = chance.choice(here).split("/")
        old = "/".join(address[: chance.randint(1, len(address))])
        steps = [*chance.choice(here).split("/")[: chance.randint(0, 1)], chance.choice(("attic", "cellar", "loft", "tower"))]
        new = "/".join(steps)
        if any(_overlap(new, each) for each in gone if not each.startswith(f"{steps[0]}/") or len(steps) == 1) or new in gone:
            continue
        if any(_overlap(new, first) for first, _ in entries) or _overlap(old, new):
            continue
        entries.append((old, new))
        here = [_moved(each, old, new) for each in here]
        gone |= set(here)
    return entries


def _overlap(one: str, other: str) -> bool:
    return f"{one}/".startswith(f"{other}/") or f"{other}/".startswith(f"{one}/")


def _moved(address: str, old: str, new: str) -> str:
    return f"{new}{address[len(old) :]}" if f"{address}/".startswith(f"{old}/") else address


def _is_tree(addresses: dict[str, str]) -> bool:
    """Whether nothing stands both at an address and below it."""
    return not any(one != other and _overlap(one, other) for one in addresses for other in addresses)


def _files(things: dict[str, str], entries: list[tuple[str, str]]) -> dict[str, bytes]:
    """A project that has things at addresses: what is below a name is a loop where keys stand there, else a module."""
    files: dict[str, Any] = {
        "jovial.yaml": {
            "project": "p",
            "template": "line.yaml",
            "catalogs": ["fulmar"],
            "environments": {"live": {"parameters": [], "deployed": "now.json"}},
        }
    }
    tree: dict[str, Any] = {}
    for address, thing in things.items():
        *above, last = address.split("/")
        here = tree
        for step in above:
            here = here.setdefault(step, {})
        here[last] = thing
    _written(tree, "line", files)
    if entries:
        files["line.yaml"] = {"renames": dict(entries), **files["line.yaml"]}
    return {name: yaml.safe_dump(content).encode() for name, content in files.items()}


def _written(tree: dict[str, Any], file: str, files: dict[str, Any]) -> None:
    resources: dict[str, Any] = {}
    for name, below in tree.items():
        if isinstance(below, str):
            resources[f"{name} (fulmar.queue)"] = {"name": below}
        elif all(isinstance(each, str) for each in below.values()) and any(key in _KEYS for key in below):
            names = "{" + ", ".join(f"'{key}': '{thing}'" for key, thing in below.items()) + "}"
            resources[f"{name} (fulmar.queue)"] = {"$per": {"key, thing": names}, "name": "${thing}"}
        else:
            resources[f"{name} (./{file}_{name}.yaml)"] = {}
            _written(below, f"{file}_{name}", files)
    files[f"{file}.yaml"] = {"resources": resources}
