"""HTML pages: templates beside this file, filled in with everything escaped that is no HTML already."""

import base64
import hashlib
import re
from html import escape
from pathlib import Path

from jovial_scaffold.core.regexes import regex

_HERE = Path(__file__).parent
_SCRIPT = regex("<script>(.*?)</script>", re.DOTALL)
_ANY_SCRIPT = "script-src 'none'"  # in the templates, where the digests belong
_PART = regex(r"@\{([a-z.]+)\}")


class Html(str):
    """A text that is HTML."""

    __slots__ = ()


def fill(name: str, **parts: str) -> str:
    """A page with its parts: `@{name}` stands for one, and with a dot for a file beside it. Its policy lets run only the scripts that stand in it,
    each by its digest (CSP Level 3, 6.7.2)."""

    def part(found: re.Match[str]) -> str:
        if "." in found[1]:
            return (_HERE / found[1]).read_text(encoding="utf-8")
        text = parts[found[1]]
        return text if isinstance(text, Html) else escape(text)

    text = _PART.sub(part, (_HERE / name).read_text(encoding="utf-8"))
    digests = {base64.b64encode(hashlib.sha256(script.encode()).digest()).decode() for script in _SCRIPT.findall(text)}
    return text.replace(_ANY_SCRIPT, " ".join(["script-src", *(f"'sha256-{each}'" for each in sorted(digests))]), 1)


def policy_of(page: str) -> str:
    """The policy that a page states, for the header that says it once more."""
    found = re.search(r'http-equiv="Content-Security-Policy" content="([^"]*)"', page)
    return found[1] if found else "default-src 'none'"
