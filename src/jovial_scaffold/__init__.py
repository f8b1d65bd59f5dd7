"""Jovial Scaffold: check parameterized cloud resource templates and preview every environment before anything is deployed."""

from typing import TYPE_CHECKING, Any

from jovial_scaffold._version import __version__

if TYPE_CHECKING:
    from jovial_scaffold.machine.opening import Project

__all__ = ["Project", "__version__"]


def __getattr__(name: str) -> Any:
    # Loaded on first use: `jovial --version` must not pay for it.
    if name == "Project":
        from jovial_scaffold.machine.opening import Project

        return Project
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
