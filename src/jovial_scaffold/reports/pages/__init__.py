"""HTML pages: templates beside this file, filled in with everything escaped that is no HTML already."""

import base64
import hashlib
import re
from functools import lru_cache
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Any

from jovial_scaffold.core.regexes import regex

if TYPE_CHECKING:
    from jinja2 import Template

_HERE = Path(__file__).parent
_SCRIPT = regex("<script>(.*?)</script>", re.DOTALL)
_ANY_SCRIPT = "script-src 'none'"  # in the templates, where the digests belong
_PART = regex(r"@\{([a-z.]+)\}")


class Html(str):
    """A text that is HTML."""

    __slots__ = ()


@lru_cache
def _template(name: str) -> "Template":
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    environment = Environment(
        loader=FileSystemLoader(_HERE), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    return environment.get_template(name)


def fill(name: str, **values: Any) -> str:
    """A page with its values, by a template of Jinja."""
    return _with_policy(_template(name).render(**values))


def put_together(name: str, **parts: str) -> str:
    """A page in which nothing is to be decided: `@{name}` stands for a part of it, and with a dot for a file beside it."""

    def part(found: re.Match[str]) -> str:
        if "." in found[1]:
            return (_HERE / found[1]).read_text(encoding="utf-8")
        text = parts[found[1]]
        return text if isinstance(text, Html) else escape(text)

    return _with_policy(_PART.sub(part, (_HERE / name).read_text(encoding="utf-8")))


def _with_policy(text: str) -> str:
    """A page whose policy lets run only the scripts that stand in it, each by its digest (CSP Level 3, 6.7.2)."""
    digests = {base64.b64encode(hashlib.sha256(script.encode()).digest()).decode() for script in _SCRIPT.findall(text)}
    return text.replace(_ANY_SCRIPT, " ".join(["script-src", *(f"'sha256-{each}'" for each in sorted(digests))]), 1)


def policy_of(page: str) -> str:
    """The policy that a page states, for the header that says it once more."""
    found = re.search(r'http-equiv="Content-Security-Policy" content="([^"]*)"', page)
    return found[1] if found else "default-src 'none'"
