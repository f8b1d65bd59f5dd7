"""The function table as text: a list by library, or the page of one function."""

from itertools import groupby

from jovial_scaffold.core.expressions.functions import signatures
from jovial_scaffold.core.expressions.library.entries import Function
from jovial_scaffold.reports.terminal import Style, cut, padded, wrapped

_TITLES = {
    "standard": "Of the language itself",
    "strings": "Texts",
    "lists": "Lists",
    "sets": "Lists as sets",
    "encoders": "Encoding",
    "regex": "Regular expressions",
    "optionals": "Optional values",
    "math": "Numbers",
    "own": "For this job: address ranges, stable names, documents",
}
_NAME_WIDTH = 24


def function_list(functions: list[Function], style: Style) -> str:
    """All functions, by library, each with an example."""
    lines: list[str] = []
    for library, group in groupby(functions, key=lambda function: function.library):
        lines += (
            ["", style.paint("strong", _TITLES.get(library, library))] if lines else [style.paint("strong", _TITLES.get(library, library))]
        )
        seen: set[str] = set()
        for function in group:
            shown = f"x.{function.name}" if function.method else function.name
            if function.name in seen:
                continue  # the same function, to be written either way
            seen.add(function.name)
            lines.append(f"  {style.paint('place', padded(shown, _NAME_WIDTH))}{cut(function.about, style.width - _NAME_WIDTH - 2)}")
            lines.append(f"  {' ' * _NAME_WIDTH}{style.paint('faint', cut(function.example, style.width - _NAME_WIDTH - 2))}")
    return "\n".join((*lines, "", "jovial functions NAME shows how one is written, with an example.")) + "\n"


def function_page(function: Function, style: Style) -> str:
    """How a function is written, what it gives, and an example."""
    gives = " or ".join(dict.fromkeys(overload.gives for overload in function.overloads))
    lines = [f"{style.paint('place', signature)}" for signature in signatures(function)]
    lines += wrapped(f"{function.about} Gives {gives}.", style.width, "  ")
    return "\n".join((*lines, f"  Example: {style.paint('good', function.example)}")) + "\n"


def function_manual(functions: list[Function]) -> str:
    """docs/functions.md: the same table as Markdown."""
    lines = [
        "# Functions",
        "",
        "`jovial functions` prints this list, `jovial functions NAME` a page. The examples hold, and the tests run them.",
        "",
    ]
    for library, group in groupby(functions, key=lambda function: function.library):
        lines += [f"## {_TITLES.get(library, library)}", "", "| written | gives | what it does | example |", "| --- | --- | --- | --- |"]
        for function in group:
            written = "<br>".join(f"`{signature}`" for signature in signatures(function))
            gives = ", ".join(dict.fromkeys(overload.gives for overload in function.overloads))
            lines.append(f"| {written} | {gives} | {function.about} | `{function.example.replace('|', chr(92) + '|')}` |")
        lines.append("")
    return "\n".join(lines)


if __name__ == "__main__":
    from jovial_scaffold.core.expressions.functions import FUNCTIONS

    print(function_manual(list(FUNCTIONS.values())), end="")
