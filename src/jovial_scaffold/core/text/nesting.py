"""How deep values are nested, found without following them by calls: a reader could only do that as far as its stack goes."""

import re
from typing import Any

from jovial_scaffold.core.limits import NESTING
from jovial_scaffold.core.regexes import regex

_JSON = regex(r'"(?:[^"\\]|\\.)*"|([\[{])|([\]}])', re.DOTALL)
_TOML = regex(r'"""(?:[^\\]|\\.)*?"{3,5}|\'\'\'.*?\'{3,5}|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\'|#[^\n]*|([\[{])|([\]}])', re.DOTALL)


def deepest(text: str, toml: bool = False) -> int:
    """The depth of brackets in a text outside of strings and comments; 0 where there are too few of them to be deep."""
    if text.count("[") + text.count("{") <= NESTING.most:
        return 0
    depth = most = 0
    for match in (_TOML if toml else _JSON).finditer(text):
        if match[1]:
            depth += 1
            most = max(most, depth)
        elif match[2]:
            depth -= 1
    return most


def is_too_deep(value: Any) -> bool:
    """Whether maps and lists are nested deeper than may be."""
    level = [value]
    for _ in range(NESTING.most + 1):
        level = [item for each in level for item in (each.values() if isinstance(each, dict) else each) if isinstance(item, dict | list)]
        if not level:
            return False
    return True
