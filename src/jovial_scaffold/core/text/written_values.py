"""How a value is written in each notation: as a person would, and so that reading it gives the same value."""

import json
import re
from collections.abc import Iterator, Mapping
from typing import Any

from jovial_scaffold.core.text.scalars import NumberRangeError, core_schema_value

_PLAIN = re.compile(r"[A-Za-z_./$][A-Za-z0-9_./$-]*(?: [A-Za-z0-9_./$()-]+)*\Z")
_BLOCK = re.compile(r"(?:[A-Za-z0-9_./]|\$\{)[ -~]*\Z")
_ELSEWHERE = frozenset(("y", "n", "yes", "no", "on", "off"))  # booleans of YAML 1.1, which other tools may read
_STEP = "  "
_WIDTH = 100  # characters: what is shorter stands on one line
_NESTED = 50  # the same of maps and lists in maps and lists
_BARE = re.compile(r"[A-Za-z0-9_-]+\Z")
_DOTENV = re.compile(r"[A-Za-z0-9_./:@%+,=-]*\Z")


class Unwritable(Exception):
    """A notation has no way to write a value; the text says which."""


def yaml_flow(value: Any) -> str:
    """A value on one line of YAML. JSON is YAML; what a plain scalar can say stands without quotes."""
    if isinstance(value, str):
        return value if _PLAIN.match(value) and is_plain_text(value) else json.dumps(value, ensure_ascii=False)
    if isinstance(value, list):
        return f"[{', '.join(map(yaml_flow, value))}]"
    if isinstance(value, Mapping):
        return f"{{{', '.join(f'{yaml_flow(key)}: {yaml_flow(item)}' for key, item in value.items())}}}"
    return json.dumps(value)


def yaml_block(value: Any) -> str:
    """A value on one line behind a key or dash of the block style, where a plain scalar may hold more."""
    if isinstance(value, str) and _BLOCK.match(value) and ": " not in value and " #" not in value and value[-1] not in ": ":
        return value if is_plain_text(value) else json.dumps(value, ensure_ascii=False)
    return yaml_flow(value)


def is_plain_text(text: str) -> bool:
    """Whether YAML's core schema takes a plain scalar for the text that it is, and older readers do, too."""
    if text.lower() in _ELSEWHERE:
        return False
    try:
        return isinstance(core_schema_value(text), str)
    except NumberRangeError:
        return False


def yaml_lines(key: str | None, value: Any, indent: str, blocks: bool = True) -> list[str]:
    """The lines of an entry of a map, or (without a key) of an item of a list, in the block style; what is short stands on one line, and
    without `blocks` each text does."""
    return list(_lines(f"{yaml_flow(key)}:" if key is not None else "-", value, indent, blocks))


def _lines(head: str, value: Any, indent: str, blocks: bool) -> Iterator[str]:
    whole = yaml_block(value)
    scalars = not isinstance(value, list | Mapping) or all(map(_is_simple, _parts(value)))
    most = _WIDTH if scalars else _NESTED
    if not isinstance(value, list | Mapping) or not value or len(indent) + len(head) + len(whole) < most:
        if blocks and isinstance(value, str) and "\n" in value and _is_block_text(value):
            yield f"{indent}{head} |"
            yield from (f"{indent}{_STEP}{line}" if line else "" for line in value[:-1].split("\n"))
            return
        yield f"{indent}{head} {whole}"
        return
    below = f"{indent}{_STEP}"
    if isinstance(value, list):
        yield f"{indent}{head}"
        for item in value:
            yield from _lines("-", item, below, blocks)
    elif head == "-":  # the first entry stands behind the dash
        lines = [line for key, item in value.items() for line in _lines(f"{yaml_flow(key)}:", item, below, blocks)]
        yield f"{indent}- {lines[0].removeprefix(below)}"
        yield from lines[1:]
    else:
        yield f"{indent}{head}"
        for key, item in value.items():
            yield from _lines(f"{yaml_flow(key)}:", item, below, blocks)


def _is_block_text(value: str) -> bool:
    """Whether a block scalar with one line end says it: of anything else, quotes do."""
    ends = value.endswith("\n") and not value.endswith("\n\n")
    return ends and value[0] not in " \n" and all(line.isprintable() for line in value[:-1].split("\n"))


def _is_simple(value: Any) -> bool:
    """Whether a value is a scalar, or a list of some."""
    return not isinstance(value, Mapping) and not (isinstance(value, list) and any(isinstance(each, list | Mapping) for each in value))


def _parts(value: Any) -> list[Any]:
    return list(value.values()) if isinstance(value, Mapping) else value


def json_value(value: Any) -> str:
    """A value on one line of JSON (RFC 8259)."""
    return json.dumps(value, ensure_ascii=False)


def toml_value(value: Any) -> str:
    """A value of TOML 1.0 on one line. Raises Unwritable for a null, which TOML has not."""
    if value is None:
        raise Unwritable("null")
    if isinstance(value, str):
        return json.dumps(value, ensure_ascii=False).replace("\x7f", "\\u007f")
    if isinstance(value, list):
        return f"[{', '.join(map(toml_value, value))}]"
    if isinstance(value, Mapping):
        inside = ", ".join(f"{toml_key(key)} = {toml_value(item)}" for key, item in value.items())
        return f"{{ {inside} }}" if inside else "{}"
    return json.dumps(value)


def toml_key(key: str) -> str:
    """A key of TOML."""
    return key if _BARE.match(key) else toml_value(key)


def dotenv_value(value: Any) -> str:
    """A value of dotenv, which is text: of anything but text, its JSON. Raises Unwritable for what no quotes hold."""
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    if _DOTENV.match(text):
        return text
    if "'" not in text and "\\" not in text:
        return f"'{text}'"
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n").replace("\r", "\\r").replace("\t", "\\t")
    return f'"{escaped}"'


FLOW = {"YAML": yaml_flow, "JSON": json_value, "TOML": toml_value, "dotenv": dotenv_value}
"""How a value is written on one line, by the notation."""
SUFFIXES = {"yaml": ".yaml", "json": ".json", "toml": ".toml", "dotenv": ".env"}
"""How the names of files end, by the notation as options name it."""
