"""The rulesets that come with the tool, by name: `fulmar.baseline`."""

import os
import re
from pathlib import Path

from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.source import Source

FOLDER = Path(__file__).parents[2] / "rulesets"


def shipped_source(name: str) -> Source | None:
    """The ruleset of a name, None where there is none."""
    path = FOLDER / f"{name}.yaml"
    if not re.fullmatch(r"[a-z]+\.[a-z]+", name) or not os.path.isfile(path):
        return None
    source, findings = read_source(path.read_bytes(), name, ".yaml")
    assert source is not None and not findings, findings
    return source
