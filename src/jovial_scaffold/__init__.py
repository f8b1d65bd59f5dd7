"""Jovial Scaffold: check parameterized cloud resource templates and preview every environment before anything is deployed."""

from typing import TYPE_CHECKING, Any

from jovial_scaffold._version import __version__

if TYPE_CHECKING:
    from jovial_scaffold.machine.opening import Project
    from jovial_scaffold.reports.words import said

__all__ = ["Project", "__version__", "said"]


def __getattr__(name: str) -> Any:
    # Loaded on first use: `jovial --version` must not pay for it.
    if name == "Project":
        from jovial_scaffold.machine.opening import Project

        return Project
    if name == "said":
        from jovial_scaffold.reports.words import said

        return said
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
