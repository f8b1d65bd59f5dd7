"""The files of a project: each read once, none outside of its root after links are resolved."""

from pathlib import Path, PurePosixPath

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.text.formats import decoded, read_bytes, read_source
from jovial_scaffold.core.text.source import Origin, Source

_UNREADABLE = ("file-missing", "file-format", "file-unreadable")


class Files:
    """Reads files below `root`. The findings of a file are given the first time it is read only."""

    def __init__(self, root: Path) -> None:
        self.root = root.resolve()
        self._sources: dict[Path, tuple[Source | None, list[Finding]]] = {}

    def inside(self, text: str, origin: Origin | None) -> tuple[Path | None, list[Finding]]:
        """The file that a path means, relative to the file that writes it; a finding where it lies outside of the root."""
        folder = PurePosixPath(origin.source.name).parent if origin else PurePosixPath()
        span = origin.value_span() if origin else None
        try:
            path = (self.root / folder / text).resolve()
        except (OSError, ValueError, RuntimeError):
            return None, [Finding("path-invalid", "error", "This is no path.", span, "Name a file of the project.")]
        if path.is_relative_to(self.root):
            return path, []
        message = f"{text} lies outside of the project's folder."
        return None, [Finding("path-outside", "error", message, span, "Move it into the project; nothing outside is read.")]

    def shown(self, path: Path) -> str:
        """A file as findings name it."""
        return path.relative_to(self.root).as_posix() if path.is_relative_to(self.root) else str(path)

    def read(self, text: str, origin: Origin | None, formatted: bool = True) -> tuple[Source | None, list[Finding]]:
        """A file inside the root, as data or (not `formatted`) as mere text."""
        path, outside = self.inside(text, origin)
        return (None, outside) if path is None else self.at(path, origin, formatted)

    def at(self, path: Path, origin: Origin | None = None, formatted: bool = True) -> tuple[Source | None, list[Finding]]:
        """A file whose path is known. `origin` is where it is named: the place of what is wrong with it as a whole."""
        if path not in self._sources:
            source, findings = read_source(path, self.shown(path)) if formatted else read_text(path, self.shown(path))
            self._sources[path] = (source, [finding for finding in findings if finding.id in _UNREADABLE])
        else:
            source, findings = self._sources[path]
        missing = self._sources[path][1]
        if missing and origin:
            # A file that is not there has no lines: the place is where it is named, each time that it is.
            at = origin.value_span()
            return None, [Finding(each.id, each.level, each.message, at, each.hint) for each in missing]
        return source, findings

    def outside(self, path: Path) -> tuple[Source | None, list[Finding]]:
        """A file that the command line names, wherever it is."""
        if path not in self._sources:
            self._sources[path] = read_source(path, str(path))
            return self._sources[path]
        return self._sources[path][0], []

    def know(self, source: Source) -> None:
        """Take in a source that was read elsewhere, so that its lines can be shown."""
        self._sources[Path(source.name)] = (source, [])

    def sources(self) -> list[Source]:
        """All files that were read so far, by name."""
        return sorted((source for source, _ in self._sources.values() if source is not None), key=lambda source: source.name)

    def source(self, name: str) -> Source | None:
        """A file that was read, as findings name it; for showing its lines."""
        return next((source for source, _ in self._sources.values() if source is not None and source.name == name), None)


def read_text(path: Path, name: str) -> tuple[Source | None, list[Finding]]:
    """Any text file as a source whose value is the text."""
    raw, findings = read_bytes(path, name)
    if raw is None:
        return None, findings
    text, findings = decoded(raw, name)
    return (None, findings) if text is None else (whole_text(text, name), [])


def whole_text(text: str, name: str) -> Source:
    """A text as a source: its one value is the whole of it, so that places inside are offsets."""
    from jovial_scaffold.core.text.source import Place

    return Source(name, text, text, lambda whole: {(): Place(0, 0, 0, len(whole), "verbatim")})
