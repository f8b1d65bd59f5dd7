"""Small pieces of sentences that findings share: values as people write them, lists of names, near names."""

import json
from collections.abc import Iterable
from typing import Any

from jovial_scaffold.core.limits import SHOWN_VALUE


def shown(value: Any) -> str:
    """A value for a sentence: short, on one line, with its quotes. Marks show themselves and never what they hide."""
    if value is None or isinstance(value, bool | int | float | str):
        text = json.dumps(value, ensure_ascii=False)
    elif isinstance(value, list | dict):
        text = json.dumps(_printable(value), ensure_ascii=False, default=repr)
    else:
        text = repr(value)
    return text if len(text) <= SHOWN_VALUE.most else f"{text[: SHOWN_VALUE.most - 1]}…"


def _printable(value: Any) -> Any:
    """Maps with any keys as maps with texts as keys."""
    if isinstance(value, dict):
        return {key if isinstance(key, str) else repr(key): _printable(item) for key, item in value.items()}
    return [_printable(item) for item in value] if isinstance(value, list) else value


_KINDS = (
    (bool, "a boolean"),
    (int, "an integer"),
    (float, "a number"),
    (str, "text"),
    (list, "a list"),
    (dict, "a map"),
    (type(None), "null"),
)


def kind(value: Any) -> str:
    """`an integer`, `text`, `a map`: what a value is, with its article."""
    return next((name for type_, name in _KINDS if isinstance(value, type_)), "a value")


def described(value: Any) -> str:
    """`the text "three"`, `the number 2.5`, `a map`: a value named as what it is, for "this gives …"."""
    if isinstance(value, list | dict):
        return f"{kind(value)} with {counted(len(value), 'entry', 'entries')}"
    if value is None:
        return "null"
    noun = kind(value).removeprefix("an ").removeprefix("a ")
    return f"the {noun} {shown(value)}"


def counted(number: int, one: str, many: str = "") -> str:
    """`1 error`, `2 errors`."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def listed(names: Iterable[str], last: str = "and") -> str:
    """`a, b and c`."""
    items = list(names)
    if len(items) < 2:
        return "".join(items)
    return f"{', '.join(items[:-1])} {last} {items[-1]}"


def near(name: str, known: Iterable[str]) -> str:
    """The known name that was probably meant, or nothing."""
    import difflib

    candidates = [candidate for candidate in known if candidate != name]
    folded = {candidate.casefold().replace("-", "_"): candidate for candidate in reversed(candidates)}
    same = folded.get(name.casefold().replace("-", "_"))
    if same:
        return same
    found = difflib.get_close_matches(name, candidates, 1, 0.7)
    return found[0] if found else ""


def did_you_mean(name: str, known: Iterable[str], otherwise: str = "") -> str:
    """`Did you mean "copies"?` where something close exists, else the given advice."""
    candidate = near(name, known)
    return f"Did you mean `{candidate}`?" if candidate else otherwise
