"""Texts as somebody might lay them out, and as somebody might spoil them while typing."""

import json
import random
import re
from collections import Counter
from typing import Any

from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.tree import Tree
from jovial_scaffold.core.text.written_values import toml_key, toml_value, yaml_flow

KEYS = ("line", "copies", "tags", "size", "a b", "true", "1", "x-y", "no")
SCALARS = ("kes", "", "no", "12", "a: b", "x # y", "it's", 'a "q"', "l1\nl2\n", " x", 7, 2.5, True, "10.1.0.0/16", "${line}", "ü‹")


def value(chance: random.Random, depth: int = 0) -> Any:
    """A value of maps, lists and scalars."""
    if depth < 3 and chance.random() < 0.5 - depth * 0.1:
        if chance.random() < 0.6:
            return {key: value(chance, depth + 1) for key in chance.sample(KEYS, chance.randint(0, 4))}
        return [value(chance, depth + 1) for _ in range(chance.randint(0, 3))]
    return chance.choice(SCALARS)


def yaml(chance: random.Random, held: Any, indent: str = "", top: bool = True) -> str:
    """The entries of a map or list as somebody might lay them out, with comments that say after which entry they stand."""
    lines = []
    for key, item in held.items() if isinstance(held, dict) else enumerate(held):
        if chance.random() < 0.2:
            lines.append("")
        if chance.random() < 0.3:
            lines.append(f"{indent}# above {key}")
        head = f"{indent}- " if isinstance(held, list) else f"{indent}{yaml_flow(key)}: "
        note = chance.choice(("", "", "  # behind"))
        if isinstance(item, dict | list) and item and chance.random() < 0.7:
            below = indent + chance.choice(("  ", "    "))
            lines.append(f"{head.rstrip()}{note}")
            lines.append(yaml(chance, item, below, False))
        elif isinstance(item, str) and item == "l1\nl2\n" and chance.random() < 0.8:
            lines += [f"{head}|{note}", f"{indent}    l1", f"{indent}    l2"]
        else:
            lines.append(f"{head}{yaml_flow(item)}{note}")
    return "\n".join(lines) + ("\n" if top and (lines[-1].endswith("l2") or chance.random() < 0.9) else "")


def toml(chance: random.Random, held: dict[str, Any]) -> str:
    """A map as TOML: scalars, and some of the maps as tables."""
    plain, tables = [], []
    for key, item in held.items():
        if isinstance(item, dict) and chance.random() < 0.6:
            inside = [f"{toml_key(name)} = {toml_value(each)}{chance.choice(('', ' # behind'))}" for name, each in item.items()]
            tables.append("\n".join(["# above", f"[{toml_key(key)}]", *inside]))
        else:
            plain.append(f"# above\n{toml_key(key)} = {toml_value(item)}")
    return "\n".join((*plain, *tables)) + "\n"


def written(chance: random.Random, held: dict[str, Any]) -> tuple[str, str]:
    """A name and a text that hold a map."""
    notation = chance.choice(("yaml", "yaml", "json", "toml"))
    if notation == "json":
        return "x.json", json.dumps(held, indent=chance.choice((None, 2)), ensure_ascii=False) + "\n"
    if notation == "toml":
        return "x.toml", toml(chance, held)
    text = yaml(chance, held)
    return "x.yaml", text.replace("\n", "\r\n") if chance.random() < 0.15 and "l1" not in text else text


def restyled(chance: random.Random, files: dict[str, bytes]) -> dict[str, bytes]:
    """Files whose YAML is written as JSON, as somebody might lay them out: in lines and brackets, with comments, with other ends of lines."""
    found = dict(files)
    for name, content in files.items():
        held = json.loads(content) if name.endswith(".yaml") and content.startswith(b"{") else None
        text = yaml(chance, held) if held else ""
        source, wrong = read_source(text.encode(), name) if text else (None, [])
        if source is not None and not wrong and source.value == held:
            text = text.replace("\n", "\r\n") if chance.random() < 0.2 and "l1" not in text else text
            found[name] = f"{chance.choice(('', '', '', chr(0xFEFF)))}{text}".encode()
    return found


def mistyped(chance: random.Random, files: dict[str, bytes]) -> dict[str, bytes]:
    """Files with one mistake of who types: a line that is gone, a quote that is, or two letters of a word that changed places."""
    name = chance.choice(sorted(each for each in files if each.endswith(".yaml")))
    text = files[name].decode()
    kind = chance.choice(("line", "quote", "word"))
    if kind == "line":
        lines = text.split("\n")
        del lines[chance.randrange(len(lines))]
        text = "\n".join(lines)
    found = [*re.finditer('"' if kind == "quote" else r"\b[a-z_]{4,}\b", text)]
    if kind != "line" and found:
        start, end = chance.choice(found).span()
        at = chance.randrange(start, end - 1) if kind == "word" else start
        text = f"{text[:at]}{text[at + 1 : at + 2] + text[at] if kind == 'word' else ''}{text[at + 2 if kind == 'word' else at + 1 :]}"
    return {**files, name: text.encode()}


def comments_in(files: dict[str, bytes]) -> Counter[str]:
    """How often each comment stands in the YAML among some files."""
    found: Counter[str] = Counter()
    for name, content in files.items():
        source, _ = read_source(content, name)
        if name.endswith(".yaml") and source is not None:
            tree = Tree(source)
            found.update(tree.text(piece).strip() for piece in tree.pieces if piece.kind == "comment")
    return found
