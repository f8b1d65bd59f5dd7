"""What `--ask` does to the environments that a command is about; who is not asked pays nothing for it."""

from collections.abc import Iterable

from jovial_scaffold.machine.opening import Project


def answered(loaded: Project, environments: Iterable[str], ask: bool) -> list[str]:
    """The environments; where that is asked, with what somebody at the terminal says of parameters that have no value. Raises ProjectError."""
    if not ask:
        return list(environments)
    from jovial_scaffold.cli.asking import asked

    return asked(loaded, environments)
