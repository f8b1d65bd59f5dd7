"""The table of file formats, and reading a file of any of them into a `Source` with findings."""

import os
import stat
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.limits import FILE_BYTES
from jovial_scaffold.core.text.source import Place, Pointer, Problem, Source
from jovial_scaffold.core.text.unknown import UNKNOWN


class Format(NamedTuple):
    """A way to read text: `read` gives value and problems, `locate` the places of its values. `typed` is False where all values are text."""

    name: str
    read: Callable[[str], tuple[Any, list[Problem]]]
    locate: Callable[[str], dict[Pointer, Place]]
    typed: bool = True


def _yaml() -> Format:
    from jovial_scaffold.core.text.yaml_reader import locate_yaml, read_yaml

    return Format("YAML", read_yaml, locate_yaml)


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


def read_bytes(path: Path, name: str) -> tuple[bytes | None, list[Finding]]:
    """The bytes of a regular file of bounded size, or the finding that says why not."""

    def refused(id: str, message: str, hint: str = "") -> tuple[None, list[Finding]]:
        return None, [Finding(id, "error", message, Span(name, 1, 1, 1, 1), hint)]

    try:
        status = os.stat(path)
        if stat.S_ISDIR(status.st_mode):
            return refused("file-unreadable", f"{name} is a folder, and a file is expected.")
        if not stat.S_ISREG(status.st_mode):
            return refused("file-unreadable", f"{name} is a device or pipe, and a file is expected.")
        if status.st_size > FILE_BYTES.most:
            size, most = status.st_size / 2**20, FILE_BYTES.most / 2**20
            return refused(
                FILE_BYTES.finding, f"{name} has {size:.0f} MiB, and at most {most:.0f} MiB are read.", "Split it into several files."
            )
        return path.read_bytes(), []
    except FileNotFoundError:
        return refused("file-missing", f"{name} does not exist.", "Correct the path where it is named, or write the file.")
    except PermissionError:
        return refused("file-unreadable", f"{name} may not be read by this user.", f"Allow it: chmod u+r {name}")
    except OSError as error:
        return refused("file-unreadable", f"{name} cannot be read: {error.strerror or error}.")


def decoded(raw: bytes, name: str) -> tuple[str | None, list[Finding]]:
    """UTF-8 text without its byte order mark, or the finding that says where it is none."""
    if raw.startswith((b"\xff\xfe", b"\xfe\xff")):
        message, hint = f"{name} is UTF-16, and UTF-8 is expected.", f"Convert it: iconv -f UTF-16 -t UTF-8 {name}"
        return None, [Finding("file-encoding", "error", message, Span(name, 1, 1, 1, 1), hint)]
    if b"\0" in raw:
        line = raw.count(b"\n", 0, raw.index(b"\0")) + 1
        message = f"{name} is not a text file: it holds a zero byte."
        return None, [Finding("file-encoding", "error", message, Span(name, line, 1, line, 1), "Name a YAML, JSON, TOML or dotenv file.")]
    try:
        return raw.decode("utf-8-sig"), []
    except UnicodeDecodeError as error:
        before = raw[: error.start]
        line = before.count(b"\n") + 1
        column = len(before[before.rfind(b"\n") + 1 :].decode("utf-8", "replace")) + 1
        message = f"The byte 0x{raw[error.start]:02x} is not UTF-8 text."
        return None, [Finding("file-encoding", "error", message, Span(name, line, column, line, column + 1), "Save the file as UTF-8.")]


def read_source(path: Path, name: str, assume: str = "") -> tuple[Source | None, list[Finding]]:
    """A file as a `Source`, and what is wrong with it; no source where nothing could be read.

    `name` is how the file is called in findings. `assume` is a suffix for files whose name says no format.
    """
    form = format_of(name) or (format_of(f"x{assume}") if assume else None)
    if form is None:
        hint = f"Files end in {', '.join(DATA_SUFFIXES)}."
        return None, [Finding("file-format", "error", f"{name} has an ending that says no known format.", Span(name, 1, 1, 1, 1), hint)]
    raw, findings = read_bytes(path, name)
    if raw is None:
        return None, findings
    text, findings = decoded(raw, name)
    if text is None:
        return None, findings
    return parsed(text, name, form)


def parsed(text: str, name: str, form: Format) -> tuple[Source, list[Finding]]:
    """Text that is already at hand as a `Source`, with what is wrong in it."""
    value, problems = form.read(text)
    source = Source(name, text, value, form.locate, broken=value is UNKNOWN)
    return source, [_finding(source, problem) for problem in problems]


def _finding(source: Source, problem: Problem) -> Finding:
    related = tuple(Related(source.span(start, end), message) for start, end, message in problem.related)
    return Finding(problem.id, "error", problem.message, source.span(problem.start, problem.end), problem.hint, related=related)
