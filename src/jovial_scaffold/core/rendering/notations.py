"""Values written into a document: as a value of its notation, escaped inside of a text, or as a scalar that holds more."""

import json
import math
import re
from typing import Any

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.templates.model import Scalar
from jovial_scaffold.core.text.scalars import NumberRangeError, core_schema_value

_PLAIN = regex(r"[A-Za-z_./][A-Za-z0-9_./:@+-]*(?<!:)\Z")
_UNPRINTABLE = regex("[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff\ufeff\ufffe\uffff]")


def quoted(text: str) -> str:
    """A text between double quotes, as JSON, YAML and TOML all read it."""
    return _UNPRINTABLE.sub(_escaped, json.dumps(text, ensure_ascii=False))


def _escaped(match: "re.Match[str]") -> str:
    code = ord(match[0])
    return f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"


def one_line(text: str) -> str:
    """A text as it may stand in a comment."""
    return " ".join(_UNPRINTABLE.sub(" ", text).split())


def written(value: Any, notation: str) -> str:
    """A value where the notation expects one. Raises TypeError for what it cannot say."""
    if notation == "TOML":
        return _toml(value)
    if isinstance(value, str):
        return value if notation == "YAML" and _stays_plain(value) else quoted(value)
    return json.dumps(value, ensure_ascii=False, sort_keys=True)


def _toml(value: Any) -> str:
    if isinstance(value, str):
        return quoted(value)
    if isinstance(value, dict):
        return f"{{{', '.join(f'{quoted(key)} = {_toml(value[key])}' for key in sorted(value))}}}"
    if isinstance(value, list):
        return f"[{', '.join(map(_toml, value))}]"
    if value is None:
        raise TypeError
    return repr(value) if isinstance(value, float) and math.isfinite(value) else json.dumps(value)


def _stays_plain(text: str) -> bool:
    """Whether a text without quotes is read as the same text, wherever it stands in YAML."""
    if not _PLAIN.match(text):
        return False
    try:
        return isinstance(core_schema_value(text), str)
    except NumberRangeError:
        return False


def scalar(form: Scalar, texts: dict[int, str]) -> str:
    """A scalar with its placeholders filled in; `texts` are those of the placeholders, by position among the parts.

    It keeps its style where the style can hold the text, and stands between double quotes where it cannot.
    """
    text = "".join(part if isinstance(part, str) else texts[index] for index, part in enumerate(form.parts))
    if form.form == "plain":
        return text if _stays_plain(text) else quoted(text)
    if form.form == "'":
        return quoted(text) if "\n" in text or _UNPRINTABLE.search(text) else "'" + text.replace("'", "''") + "'"
    if form.form in "|>":
        block = _block(form, list(texts.values()))
        return quoted(text) + "\n" if block is None else block
    return quoted(text)


def _block(form: Scalar, given: list[str]) -> str | None:
    """A block scalar with its lines indented as before; None where what is filled in would be read as something else."""
    for text in given:
        if not text or text != text.strip() or _UNPRINTABLE.search(text) or ("\n" in text and form.form == ">"):
            return None
    following = iter(given)
    indented = (text.replace("\n", "\n" + " " * form.indent) for text in following)
    return "".join(part if isinstance(part, str) else next(indented) for part in form.raw)
