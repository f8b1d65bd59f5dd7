"""Our own functions: address ranges, names that are stable, merging and documents (docs/expressions.md)."""

import json
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library import networks, strings
from jovial_scaffold.core.expressions.library.entries import GLOBAL, Function, Signature, entry
from jovial_scaffold.core.expressions.pending import MarkMet
from jovial_scaffold.core.expressions.values import NONE, is_mark
from jovial_scaffold.core.words import Value, say


def patched(base: Any, patch: Any) -> Any:
    """RFC 7396: objects merge, null removes, all else replaces."""
    if type(patch) is not dict:
        return patch
    if is_mark(base):  # it may be a map
        raise MarkMet
    result = dict(base) if type(base) is dict else {}
    for key, value in patch.items():
        if value is None:
            result.pop(key, None)
        else:
            result[key] = patched(result.get(key), value)
    return result


def as_json(value: Any) -> str:
    """Compact JSON with sorted keys, so that equal values give equal texts."""
    try:
        return json.dumps(value, ensure_ascii=False, separators=(",", ":"), sort_keys=True, allow_nan=False)
    except (TypeError, ValueError):
        raise EvaluationError(say("{} cannot be written as JSON.", Value(value)), id="conversion-fails") from None


def from_json(text: str) -> Any:
    """The value of a JSON text."""
    from jovial_scaffold.core.text.json_reader import read_json

    value, problems = read_json(text)
    if problems:
        raise EvaluationError(say("The text {} cannot be read as JSON: {}", Value(text), problems[0].message), id="conversion-fails")
    return value


def as_yaml(value: Any) -> str:
    """Block-style YAML with sorted keys."""
    import yaml

    as_json(value)  # what JSON cannot hold, our YAML cannot either
    return yaml.dump(value, allow_unicode=True, sort_keys=True, default_flow_style=False, width=10_000)


def present(value: Any) -> bool:
    """Whether an optional holds something; anything else that can be read is there. (Of resources, the evaluator knows more.)"""
    return value is not NONE


def _entry(name: str, about: str, example: str, *overloads: Signature, shallow: bool = False) -> Function:
    return entry("own", name, GLOBAL, about, example, *overloads, shallow=shallow, cost=5)


ENTRIES: tuple[Function, ...] = (
    _entry("carve", "Block number `index`, from 0, of a prefix length inside an address range.", "carve('10.20.0.0/16', 24, 2) == '10.20.2.0/24'", ("string int int", "string", networks.carve)),
    _entry("within", "Whether an address or range lies inside a range.", "within('10.20.1.0/24', '10.20.0.0/16')", ("string string", "bool", networks.within)),
    _entry("overlaps", "Whether two address ranges share an address.", "!overlaps('10.1.0.0/16', '10.2.0.0/16')", ("string string", "bool", networks.overlaps)),
    _entry("digest", "The first characters (4 to 52) of the lower-case Base32 form of a text's SHA-256, for names that are stable and unique.", "size(digest('alp', 8)) == 8",
           ("string int", "string", strings.digest)),
    _entry("slug", "The text in lower-case letters, digits and single hyphens, cut to a length.", "slug('Upper Valley!', 40) == 'upper-valley'", ("string int", "string", strings.slug)),
    _entry("patched", "A map with another merged over it (RFC 7396): maps merge, null removes, all else replaces.", "patched({'a': 1}, {'b': 2}) == {'a': 1, 'b': 2}", ("map map", "map", patched), shallow=True),
    _entry("present", "Whether a resource, a use of a module, an item of a loop or an optional value is there.", "!present(optional.none())", ("any", "bool", present), shallow=True),
    _entry("as_json", "The value as compact JSON with sorted keys.", """as_json({'a': 1}) == '{"a":1}'""", ("any", "string", as_json)),
    _entry("from_json", "The value of a JSON text.", """from_json('[1, 2]') == [1, 2]""", ("string", "any", from_json)),
    _entry("as_yaml", "The value as YAML with sorted keys.", "as_yaml({'a': 1}) == 'a: 1\\n'", ("any", "string", as_yaml)),
)  # fmt: skip
