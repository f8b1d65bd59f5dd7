"""The files of a project: each read once, through the one door, with findings for what cannot be read."""

from collections.abc import Callable, Iterable
from pathlib import PurePosixPath

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import Folder, Found, Refusal, nothing_named, straight
from jovial_scaffold.core.text.formats import decoded, read_source, refused
from jovial_scaffold.core.text.source import Origin, Place, Pointer, Source
from jovial_scaffold.core.words import say

_UNREADABLE = ("file-missing", "file-format", "file-unreadable")
_Read = tuple[Source | None, list[Finding]]


class Files:
    """Reads files of `folder`, and with `named` those that the command line names, each once. Its findings are given each time that it is
    asked for: whoever reads it later needs to know as well."""

    def __init__(self, folder: Folder, named: Callable[[str], bytes | Refusal] = nothing_named) -> None:
        self.folder = folder
        self._named = named
        self._sources: dict[tuple[str, bool], _Read] = {}
        self._outside: dict[str, _Read] = {}

    def find(self, text: str, origin: Origin | None) -> tuple[Found | None, list[Finding]]:
        """What a path leads to, relative to the file that writes it; None, and no finding, where there is nothing."""
        found = self.folder.find(_joined(text, origin))
        if isinstance(found, Found):
            return found, []
        if found.kind == "missing":
            return None, []
        if found.kind == "outside":
            message = say("{} lies outside of {}.", text, self.folder.boundary)
            hint = say("Move it in there, or share it in a workspace; nothing outside is read.")
            return None, [Finding("path-outside", "error", message, origin.value_span() if origin else None, hint)]
        return None, [refused(found, text, origin.value_span() if origin else None)]

    def read(self, text: str, origin: Origin | None, formatted: bool = True) -> _Read:
        """A file as data or (not `formatted`) as mere text. `origin` is where it is named: the place of what is wrong with it as a whole."""
        found, findings = self.find(text, origin)
        return (None, findings) if findings else self.at(found.name if found else straight(_joined(text, origin)), origin, formatted)

    def at(self, name: str, origin: Origin | None = None, formatted: bool = True) -> _Read:
        """A file by its name from the root."""
        if (name, formatted) not in self._sources:
            content = self.folder.read(name)
            self._sources[name, formatted] = read_source(content, name) if formatted else read_text(content, name)
        source, findings = self._sources[name, formatted]
        unreadable = [finding for finding in findings if finding.id in _UNREADABLE]
        if unreadable and origin:
            # A file that is not there has no lines: the place is where it is named, each time that it is.
            at = origin.value_span()
            return None, [Finding(each.id, each.level, each.message, at, each.hint) for each in unreadable]
        return source, findings

    def listed(self, folder: str, suffixes: Iterable[str]) -> list[str]:
        """The names, from the root, of what lies in a folder and has one of some endings, sorted."""
        names = self.folder.names(folder)
        wanted = tuple(suffixes)
        return [] if isinstance(names, Refusal) else [f"{folder}/{name}" if folder else name for name in names if name.endswith(wanted)]

    def outside(self, name: str) -> _Read:
        """A file that the command line names, wherever it is."""
        if name not in self._outside:
            self._outside[name] = read_source(self._named(name), name)
        return self._outside[name]

    def know(self, source: Source) -> None:
        """Take in a source that was read elsewhere, so that its lines can be shown."""
        self._outside[source.name] = (source, [])

    def sources(self) -> list[Source]:
        """All files that were read so far, by name."""
        found = [source for source, _ in (*self._sources.values(), *self._outside.values())]
        return sorted((source for source in found if source is not None), key=lambda source: source.name)

    def source(self, name: str) -> Source | None:
        """A file that was read, as findings name it; for showing its lines."""
        found = self._outside.get(name, (None, []))[0] or self._sources.get((name, True), (None, []))[0]
        return found or self._sources.get((name, False), (None, []))[0]


def _joined(text: str, origin: Origin | None) -> str:
    """A path from the root: relative to the folder of the file that writes it."""
    folder = PurePosixPath(origin.source.name).parent.as_posix() if origin else "."
    return text if folder == "." or text.startswith("/") else f"{folder}/{text}"


def read_text(content: bytes | Refusal, name: str) -> _Read:
    """Any text file as a source whose value is the text."""
    if isinstance(content, Refusal):
        return None, [refused(content, name)]
    text, findings = decoded(content, name)
    return (None, findings) if text is None else (whole_text(text, name), [])


def whole_text(text: str, name: str) -> Source:
    """A text as a source: its one value is the whole of it, so that places inside are offsets."""
    return Source(name, text, text, _everything)


def _everything(text: str) -> dict[Pointer, Place]:
    return {(): Place(0, 0, 0, len(text), "verbatim")}
