"""HTML pages: templates beside this file, filled in with everything escaped."""

import base64
import hashlib
import re
from functools import lru_cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined, Template

from jovial_scaffold.core.regexes import regex

_SCRIPT = regex("<script>(.*?)</script>", re.DOTALL)
_ANY_SCRIPT = "script-src 'none'"  # in the templates, where the digests belong


@lru_cache
def _template(name: str) -> Template:
    environment = Environment(
        loader=FileSystemLoader(Path(__file__).parent), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    return environment.get_template(name)


def fill(name: str, **values: Any) -> str:
    """A page with its values. Its policy lets run only the scripts that stand in it, each by its digest (CSP Level 3, 6.7.2)."""
    text = _template(name).render(**values)
    digests = {base64.b64encode(hashlib.sha256(script.encode()).digest()).decode() for script in _SCRIPT.findall(text)}
    return text.replace(_ANY_SCRIPT, " ".join(["script-src", *(f"'sha256-{each}'" for each in sorted(digests))]), 1)


def policy_of(page: str) -> str:
    """The policy that a page states, for the header that says it once more."""
    found = re.search(r'http-equiv="Content-Security-Policy" content="([^"]*)"', page)
    return found[1] if found else "default-src 'none'"
