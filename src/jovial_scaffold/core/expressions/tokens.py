"""Text to tokens, by the lexis of the CEL language definition (section "Syntax")."""

import re
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.errors import SyntaxProblem
from jovial_scaffold.core.expressions.values import UInt
from jovial_scaffold.core.limits import INT64_MAX, UINT64_MAX
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import say, told


class Token(NamedTuple):
    """`kind` is the operator's own text, or one of name, quoted, value, end."""

    kind: str
    value: Any
    start: int
    end: int


KEYWORDS = frozenset(("true", "false", "null", "in"))
RESERVED = frozenset(
    (
        "as",
        "break",
        "const",
        "continue",
        "else",
        "for",
        "function",
        "if",
        "import",
        "let",
        "loop",
        "package",
        "namespace",
        "return",
        "var",
        "void",
        "while",
    )
)
_CONSTANTS = {"true": True, "false": False, "null": None}

_TOKEN = regex(
    r"""(?P<skip>(?:[\t\n\f\r ]|//[^\n]*)+)
    |(?P<text>(?:[rR][bB]?|[bB][rR]?)?(?:\"\"\"|'''|"|'))
    |(?P<number>0[xX][0-9a-fA-F]+[uU]?|(?:[0-9]+\.[0-9]+|\.[0-9]+)(?:[eE][+-]?[0-9]+)?|[0-9]+[eE][+-]?[0-9]+|[0-9]+[uU]?)
    |(?P<name>[_a-zA-Z][_a-zA-Z0-9]*)
    |(?P<quoted>`[a-zA-Z0-9_.\-/ ]+`)
    |(?P<operator>&&|\|\||==|!=|<=|>=|[-+*/%!<>?:.,()\[\]{}])""",
    re.VERBOSE,
)
_ESCAPE = regex(r"\\(?:([abfnrtv\\?\"'`])|[xX]([0-9a-fA-F]{2})|u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8})|([0-3][0-7]{2}))")
_SIMPLE = {"a": 7, "b": 8, "f": 12, "n": 10, "r": 13, "t": 9, "v": 11}


def string_end(text: str, quote_start: int, prefix_raw: bool) -> int:
    """The offset after the string literal whose quote begins at `quote_start`; -1 where it does not end."""
    quote = text[quote_start]
    closing = quote * 3 if text.startswith(quote * 3, quote_start) else quote
    at = quote_start + len(closing)
    while at < len(text):
        if text.startswith(closing, at):
            return at + len(closing)
        if text[at] == "\\" and not prefix_raw:
            at += 2
        elif text[at] in "\r\n" and len(closing) == 1:
            return -1
        else:
            at += 1
    return -1


def tokenize(text: str) -> list[Token]:
    """All tokens, closed by one of kind "end". Raises SyntaxProblem."""
    tokens: list[Token] = []
    at = 0
    match = _TOKEN.match
    while at < len(text):
        found = match(text, at)
        if found is None:
            raise _stray(text, at)
        group, end = found.lastgroup, found.end()
        if group == "operator":
            tokens.append(Token(found.group(), None, at, end))
        elif group == "name":
            tokens.append(_word(found.group(), at, end))
        elif group == "text":
            token = _string(text, at, end)
            end = token.end
            tokens.append(token)
        elif group == "number":
            tokens.append(_number(text, found.group(), at, end))
        elif group == "quoted":
            tokens.append(Token("quoted", found.group()[1:-1], at, end))
        at = end
    tokens.append(Token("end", None, len(text), len(text)))
    return tokens


def _word(name: str, start: int, end: int) -> Token:
    if name in _CONSTANTS:
        return Token("value", _CONSTANTS[name], start, end)
    return Token("in" if name == "in" else "name", name, start, end)


def _stray(text: str, at: int) -> SyntaxProblem:
    char = text[at]
    hints = {
        "=": "Equality is written ==.",
        "&": "Both is written &&.",
        "|": "Either is written ||.",
        "$": "Inside an expression, names stand without ${}.",
    }
    return SyntaxProblem(say("`{}` has no meaning in an expression.", char), at, at + 1, told(hints.get(char, "")))


def _number(text: str, written: str, start: int, end: int) -> Token:
    if text[end : end + 1].isalnum() or text[end : end + 1] == "_":
        raise SyntaxProblem(say("`{}{}` is neither a number nor a name.", written, text[end]), start, end + 1, say("Put text in quotes."))
    if written[:2] in ("0x", "0X") or not set(written) & set(".eE"):
        digits = written.rstrip("uU")
        number = int(digits, 16 if digits[:2] in ("0x", "0X") else 10) if len(digits) < 64 else UINT64_MAX + 1
        unsigned = digits != written
        # INT64_MAX + 1 is let through for the parser, which knows whether a minus stands before it.
        if number > (UINT64_MAX if unsigned else INT64_MAX + 1):
            raise SyntaxProblem(say("{} is outside the 64 bits of an integer.", written), start, end)
        return Token("value", UInt(number) if unsigned else number, start, end)
    return Token("value", float(written), start, end)


def _string(text: str, start: int, quote_end: int) -> Token:
    prefix = text[start:quote_end].rstrip("\"'").lower()
    quote_start = start + len(prefix)
    raw, binary = "r" in prefix, "b" in prefix
    end = string_end(text, quote_start, raw)
    if end < 0:
        raise SyntaxProblem(say("A quote is not closed."), start, quote_start + 1, say("Close the text with the same quote."))
    width = 3 if text.startswith(text[quote_start] * 3, quote_start) and end - quote_start >= 6 else 1
    body = text[quote_start + width : end - width]
    if binary:
        return Token(
            "value", body.encode("utf-8") if raw else _unescaped(body, quote_start + width, binary=True).encode("latin-1"), start, end
        )
    return Token("value", body if raw else _unescaped(body, quote_start + width, binary=False), start, end)


def _unescaped(body: str, offset: int, binary: bool) -> str:
    """The text with its escapes resolved. For bytes, each character of the result is one byte."""
    if "\\" not in body:
        return body.encode("utf-8").decode("latin-1") if binary else body
    parts: list[str] = []
    at = 0
    while at < len(body):
        slash = body.find("\\", at)
        plain = body[at : slash if slash >= 0 else len(body)]
        parts.append(plain.encode("utf-8").decode("latin-1") if binary else plain)
        if slash < 0:
            break
        match = _ESCAPE.match(body, slash)
        if match is None or (binary and (match.group(3) or match.group(4))):
            raise SyntaxProblem(
                say("`{}` is no escape.", body[slash : slash + 2]),
                offset + slash,
                offset + slash + 2,
                say("A backslash itself is written \\\\."),
            )
        simple, *codes, octal = match.groups()
        if simple:
            parts.append(chr(_SIMPLE.get(simple, ord(simple))))
        else:
            code = int(octal, 8) if octal else int(next(filter(None, codes)), 16)
            if code > 0x10FFFF or 0xD800 <= code <= 0xDFFF:
                raise SyntaxProblem(say("`{}` is not a character.", match.group()), offset + slash, offset + match.end())
            parts.append(chr(code))
        at = match.end()
    return "".join(parts)
