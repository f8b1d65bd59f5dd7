"""`jovial catalog import`: a foreign description as a catalog."""

import os
import re
import sys
from pathlib import Path

from jovial_scaffold.cli import exit_codes
from jovial_scaffold.cli.options import ReportFormat
from jovial_scaffold.core.findings import Finding, has_errors
from jovial_scaffold.core.limits import DESCRIPTION_BYTES
from jovial_scaffold.core.schemas.importing.catalog import Imported, NothingToImport, import_catalog, snake
from jovial_scaffold.core.schemas.importing.reading import Reader
from jovial_scaffold.machine.disk import DiskFolder, read_named
from jovial_scaffold.machine.writing import new_folder
from jovial_scaffold.reports.catalog import import_document, import_text
from jovial_scaffold.reports.findings import findings_text
from jovial_scaffold.reports.machine import json_text, yaml_text
from jovial_scaffold.reports.terminal import style_for
from jovial_scaffold.reports.words import visible

_REASONS = {
    "unknown": "it is no OpenAPI 3.0 or 3.1 and no JSON Schema. What is written in OpenAPI 2.0 is to be brought to 3.0 first.",
    "empty": "it describes no values that are maps, so there is no type in it.",
    "selected": "--select fits none of its types.",
}


def import_description(document: Path, into: Path | None, select: list[str], name: str, format: ReportFormat) -> int:
    """Write the catalog of a description, and what has no counterpart in it; gives the exit code."""
    if into is None:
        return _refused("`import` writes a folder: name it with --into.")
    if name and not re.fullmatch(r"[a-z][a-z0-9_]*", name):
        return _refused(f"--name {name}: a catalog is called by small letters, digits and _, such as harbour.")
    from_input = str(document) == "-"
    if not from_input and not document.exists():
        return _refused(f"{document} is not there.")
    whole = Path.cwd() / "-" if from_input else document.resolve()
    reader = Reader(DiskFolder(whole if whole.is_dir() else whole.parent, DESCRIPTION_BYTES.most))
    if not from_input and whole.is_dir():
        documents = reader.all()
    else:
        value = reader.value(read_named("-", DESCRIPTION_BYTES.most), "-") if from_input else reader.read(whole.name)
        documents = {} if value is None else {whole.name: value}
    try:
        called = name or (snake(whole.name) if not from_input and whole.is_dir() else "")
        result = import_catalog(documents, reader.read, select, called) if documents else None
    except NothingToImport as nothing:
        _tell(reader.findings)
        print(f"jovial: {visible(str(document))}: {_REASONS[nothing.reason]}", file=sys.stderr)
        return exit_codes.ERRORS
    _tell(reader.findings)
    if result is None:
        if not reader.findings:
            print(f"jovial: {visible(str(document))} holds no JSON and no YAML.", file=sys.stderr)
        return exit_codes.ERRORS
    try:
        _write(result, into)
    except FileExistsError:
        return _refused(f"{into} is there already, and nothing is overwritten. Name another folder with --into.")
    if format is ReportFormat.json:
        sys.stdout.write(json_text(import_document(result, str(document), str(into))))
    else:
        sys.stdout.write(import_text(result, str(into), style_for(sys.stdout, os.environ)))
    return exit_codes.ERRORS if has_errors(reader.findings) else 0


def _refused(what: str) -> int:
    print(f"jovial: {visible(what)}", file=sys.stderr)
    return exit_codes.UNUSABLE


def _tell(findings: list[Finding]) -> None:
    if findings:
        print(findings_text(findings, lambda _: None, style_for(sys.stderr, os.environ), ()), file=sys.stderr)


def _write(result: Imported, into: Path) -> None:
    with new_folder(into) as folder:
        for file, content in result.files.items():
            (folder / file).write_text(yaml_text([content], explicit=False, blocks=True), "utf-8")
