"""Regular expressions that are compiled when they are first used: a program that starts often uses few of those that it knows."""

import re
from typing import Any, AnyStr, cast


class _Later:
    """A pattern. Once it is compiled, its methods are attributes, so that calling them costs what it always does."""

    def __init__(self, text: str | bytes, flags: int) -> None:
        self._written = text, flags

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)  # copying and pickling ask for what no pattern has
        compiled: Any = re.compile(*self._written)
        methods = (
            "match",
            "fullmatch",
            "search",
            "findall",
            "finditer",
            "sub",
            "subn",
            "split",
            "pattern",
            "flags",
            "groups",
            "groupindex",
        )
        self.__dict__.update({each: getattr(compiled, each) for each in methods})
        return self.__dict__[name]


def regex(text: AnyStr, flags: int = 0) -> re.Pattern[AnyStr]:
    """The pattern of Python's `re`."""
    return cast("re.Pattern[AnyStr]", _Later(text, flags))
