"""HTML pages: templates beside this file, filled in with everything escaped."""

from functools import lru_cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, FileSystemLoader, StrictUndefined, Template


@lru_cache
def _template(name: str) -> Template:
    environment = Environment(
        loader=FileSystemLoader(Path(__file__).parent), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    return environment.get_template(name)


def fill(name: str, **values: Any) -> str:
    """A page with its values."""
    return _template(name).render(**values)
