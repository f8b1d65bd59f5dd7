"""Values with marks as JSON and back: a mark is a map with one key that begins with `$`, which a key of data shows doubled."""

from collections.abc import Callable, Iterable
from typing import Any

from jovial_scaffold.core.expressions.pending import Pending, is_bare, template_text
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.text.unknown import UNKNOWN

SECRET_MARK = {"$secret": True}
_PLAIN = frozenset((str, int, bool, float, type(None)))


def to_json(value: Any, secret: Callable[[Secret], Any] = lambda _: SECRET_MARK) -> Any:
    """A value as JSON, with maps in code-point order; `secret` says what stands for what is secret."""
    kind = type(value)
    if kind in _PLAIN:
        return value
    if kind is dict:
        found = {}
        for key in sorted(value):
            item = value[key]
            found[f"${key}" if key[:1] == "$" else key] = item if type(item) in _PLAIN else to_json(item, secret)
        return found
    if kind is list:
        return value if _PLAIN.issuperset(map(type, value)) else [to_json(item, secret) for item in value]
    if isinstance(value, Secret):
        return secret(value)
    if isinstance(value, Pending):
        return {"$pending": next(iter(value.origins)) if is_bare(value) else {"as": template_text(value), "from": sorted(value.origins)}}
    return {"$unknown": True} if value is UNKNOWN else value


def json_lines(values: Iterable[Any], depth: int) -> list[bytes]:
    """What `to_json` gives of each as indented text in UTF-8, without making that first; all lines but the first stand `depth` levels in.

    Raises TypeError for what only the careful way can write: keys that begin with `$`, integers of more than 64 bits, half characters.
    """
    import orjson

    marks, found = 0, []
    option = orjson.OPT_INDENT_2 | orjson.OPT_SORT_KEYS
    further_in = b"\n" + b"  " * depth

    def shown(each: Any) -> Any:
        nonlocal marks
        if type(each) is Pending and is_bare(each):  # as most are
            origin = next(iter(each.origins))
            marks += 1 + origin.count('"$')
            return {"$pending": origin}
        mark = to_json(each)
        if mark is each:
            raise TypeError
        marks += orjson.dumps(mark).count(b'"$') if isinstance(each, Pending) else 1
        return mark

    for value in values:
        marks = 0
        text = orjson.dumps(value, shown, option)
        if text.count(b'"$') != marks:
            raise TypeError
        found.append(text.replace(b"\n", further_in))
    return found


def from_json(value: Any, secret: Callable[[Any], Secret]) -> Any:
    """The value that JSON shows; `secret` makes one of what stands under `$secret`."""
    if isinstance(value, dict):
        if len(value) == 1:
            name, held = next(iter(value.items()))
            if name == "$pending" and isinstance(held, str):
                return Pending([held])
            if name == "$pending" and isinstance(held, dict) and isinstance(held.get("as"), str) and isinstance(held.get("from"), list):
                return Pending([str(each) for each in held["from"]], template=held["as"])
            if name == "$secret":
                return secret(held)
        return entries_from_json(value, secret)
    return [from_json(item, secret) for item in value] if isinstance(value, list) else value


def entries_from_json(value: dict[str, Any], secret: Callable[[Any], Secret]) -> dict[str, Any]:
    """The same of a map by name, which is no mark whatever its names are."""
    return {key[1:] if key.startswith("$$") else key: from_json(item, secret) for key, item in value.items()}
