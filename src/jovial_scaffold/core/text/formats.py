"""The table of file formats, and reading a file of any of them into a `Source` with findings."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.folders import Refusal
from jovial_scaffold.core.limits import FILE_BYTES
from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.source import Place, Pointer, Problem, Source
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Foreign, Sentence, say


class Format(NamedTuple):
    """A way to read text: `read` gives value and problems, `locate` the places of its values. `typed` is False where all values are text.

    `outline`, where there is one, reads as well, and notes how the text is laid out.
    """

    name: str
    read: Callable[[str], tuple[Any, list[Problem]]]
    locate: Callable[[str], dict[Pointer, Place]]
    typed: bool = True
    outline: Callable[[str, Outline], tuple[Any, list[Problem]]] | None = None


def _yaml() -> Format:
    from jovial_scaffold.core.text.yaml_reader import locate_yaml, read_yaml

    return Format("YAML", read_yaml, locate_yaml, outline=read_yaml)


def _json() -> Format:
    from jovial_scaffold.core.text.json_reader import locate_json, read_json

    return Format("JSON", read_json, locate_json)


def _toml() -> Format:
    from jovial_scaffold.core.text.toml_reader import locate_toml, read_toml

    return Format("TOML", read_toml, locate_toml)


def _dotenv() -> Format:
    from jovial_scaffold.core.text.dotenv_reader import locate_dotenv, read_dotenv

    return Format("dotenv", read_dotenv, locate_dotenv, typed=False)


def _csv() -> Format:
    from jovial_scaffold.core.text.csv_reader import locate_csv, read_csv

    return Format("CSV", read_csv, locate_csv, typed=False)


_FORMATS: dict[str, Callable[[], Format]] = {".yaml": _yaml, ".yml": _yaml, ".json": _json, ".toml": _toml, ".env": _dotenv, ".csv": _csv}
DATA_SUFFIXES = (".yaml", ".yml", ".json", ".toml", ".env")


def format_of(name: str) -> Format | None:
    """The format that a file's name says, or None. Its reader is imported only now."""
    path = Path(name)
    suffix = ".env" if path.name == ".env" or path.name.startswith(".env.") else path.suffix.lower()
    make = _FORMATS.get(suffix)
    return make() if make else None


def refused(refusal: Refusal, name: str, span: Span | None = None) -> Finding:
    """The finding of a file that cannot be read."""
    id, message, hint = _REFUSALS[refusal.kind](name, refusal.detail)
    return Finding(id, "error", message, span or Span(name, 1, 1, 1, 1), hint)


_MIB = 2**20
_REFUSALS: dict[str, Callable[[str, str], tuple[str, Sentence, Sentence]]] = {
    "missing": lambda name, _: (
        "file-missing",
        say("{} does not exist.", name),
        say("Correct the path where it is named, or write the file."),
    ),
    "outside": lambda name, _: (
        "path-outside",
        say("{} leads out of the project's folder.", name),
        say("Move it into the project; nothing outside is read."),
    ),
    "folder": lambda name, _: ("file-unreadable", say("{} is a folder, and a file is expected.", name), NOTHING),
    "special": lambda name, _: ("file-unreadable", say("{} is a device or pipe, and a file is expected.", name), NOTHING),
    "too-large": lambda name, size: (
        FILE_BYTES.finding,
        say("{} has {} MiB, and at most {} MiB are read.", name, round(int(size) / _MIB), FILE_BYTES.most // _MIB),
        say("Split it into several files."),
    ),
    "forbidden": lambda name, _: ("file-unreadable", say("{} may not be read by this user.", name), say("Allow it: chmod u+r {}", name)),
    "invalid": lambda name, _: ("path-invalid", say("This is no path."), say("Name a file of the project.")),
    "failed": lambda name, detail: ("file-unreadable", say("{} cannot be read: {}.", name, Foreign(detail)), NOTHING),
}


def decoded(raw: bytes, name: str) -> tuple[str | None, list[Finding]]:
    """UTF-8 text without its byte order mark, or the finding that says where it is none."""
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        message, hint = say("{} is UTF-16, and UTF-8 is expected.", name), say("Convert it: iconv -f UTF-16 -t UTF-8 {}", name)
        return None, [Finding("file-encoding", "error", message, Span(name, 1, 1, 1, 1), hint)]
    if b"\0" in raw:
        line = raw.count(b"\n", 0, raw.index(b"\0")) + 1
        message = say("{} is not a text file: it holds a zero byte.", name)
        return None, [
            Finding("file-encoding", "error", message, Span(name, line, 1, line, 1), say("Name a YAML, JSON, TOML or dotenv file."))
        ]
    try:
        return raw.decode("utf-8-sig"), []
    except UnicodeDecodeError as error:
        before = raw[: error.start]
        line = before.count(b"\n") + 1
        column = len(before[before.rfind(b"\n") + 1 :].decode("utf-8", "replace")) + 1
        message = say("The byte 0x{} is not UTF-8 text.", f"{raw[error.start]:02x}")
        return None, [
            Finding("file-encoding", "error", message, Span(name, line, column, line, column + 1), say("Save the file as UTF-8."))
        ]


def read_source(content: bytes | Refusal, name: str, assume: str = "") -> tuple[Source | None, list[Finding]]:
    """What was read of a file as a `Source`, and what is wrong with it; no source where nothing could be read.

    `name` is how the file is called in findings. `assume` is a suffix for files whose name says no format.
    """
    if isinstance(content, Refusal):
        return None, [refused(content, name)]
    form = format_of(name) or (format_of(f"x{assume}") if assume else None)
    if form is None:
        hint = say("Files end in {}.", ", ".join(DATA_SUFFIXES))
        return None, [
            Finding("file-format", "error", say("{} has an ending that says no known format.", name), Span(name, 1, 1, 1, 1), hint)
        ]
    text, findings = decoded(content, name)
    return (None, findings) if text is None else parsed(text, name, form)


def loses_keys(source: Source) -> bool:
    """Whether keys that somebody wrote may be missing from what was read: what is not there is then no second mistake."""
    return source.broken or any(problem.id in _LOSING for problem in source.problems)


def garbled_text(source: Source) -> str:
    """The lines that something is wrong with as text, and what follows a second document: what is used there may be lost."""
    text, found = source.text, []
    for problem in source.problems:
        end = text.find("\n", problem.end) if problem.id != "yaml-second-document" else -1
        found.append(text[text.rfind("\n", 0, problem.start) + 1 : end if end >= 0 else len(text)])
    return "\n".join(found)


_IN_LINES = ("json-syntax", "toml-syntax", "duplicate-key")
_LOSING = ("dotenv-syntax", "yaml-cut", "yaml-key", "yaml-second-document")


def parsed(text: str, name: str, form: Format) -> tuple[Source, list[Finding]]:
    """Text that is already at hand as a `Source`, with what is wrong in it."""
    outline = Outline()
    value, problems = form.outline(text, outline) if form.outline else form.read(text)
    locate, broken = form.locate, value is UNKNOWN
    if broken and form.name == "YAML" and any(problem.id == "yaml-syntax" for problem in problems):
        from jovial_scaffold.core.text.yaml_recovery import recover  # only a broken text needs it

        recovered = recover(text)
        if recovered is not None:
            value, problems, blanked = recovered
            locate = lambda _: form.locate(blanked)  # noqa: E731
    if broken and form.name in ("JSON", "TOML") and any(problem.id in _IN_LINES for problem in problems):
        from jovial_scaffold.core.text.line_recovery import recover_lines

        recovered = recover_lines(text, form.read, form.name)
        if recovered is not None:
            value, problems, blanked = recovered
            locate = lambda _: form.locate(blanked)  # noqa: E731
    source = Source(name, text, value, locate, broken)
    source.outline = outline
    source.problems = tuple(problems)
    return source, [_finding(source, problem) for problem in problems]


def _finding(source: Source, problem: Problem) -> Finding:
    related = tuple(Related(source.span(start, end), message) for start, end, message in problem.related)
    return Finding(problem.id, "error", problem.message, source.span(problem.start, problem.end), problem.hint, related=related)
