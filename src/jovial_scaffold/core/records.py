"""Records that are cheap to make: a program that starts often must not spend its time on writing methods that nobody calls."""

from dataclasses import dataclass
from typing import Any, dataclass_transform


@dataclass_transform(frozen_default=True)
def record(cls: type) -> Any:
    """A record whose fields stay as they are, which mypy sees to; two are equal only where they are the same."""
    return dataclass(slots=True, eq=False, repr=False)(cls)
