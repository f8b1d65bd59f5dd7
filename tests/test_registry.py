"""The registry of findings: every id that the program can give has a page, and every example gives its finding and is mended by what it says."""

import ast
import os
import re
import shlex
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold.cli.findings import registry
from jovial_scaffold.cli.main import run
from jovial_scaffold.core import limits
from jovial_scaffold.core.limits import Limit
from jovial_scaffold.core.registry import Page
from jovial_scaffold.reports.machine import json_text
from jovial_scaffold.reports.registry import registry_document, registry_manual
from tests.support import valid_json

ROOT = Path(__file__).parents[1]
PAGES = registry()
SHOWN = [pytest.param(page, id=page.id) for page in PAGES if page.example is not None]
#: ids that are put together of a kind and what is wrong with it
_OF_PARTS = {
    **{f"{kind}-unused": () for kind in ("value", "function", "lookup", "document")},
    **{
        f"{kind}-{fault}": ()
        for kind in ("property", "parameter", "default")
        for fault in ("type", "value", "range", "length", "pattern", "format")
    },
    **{f"{kind}-{fault}": () for kind in ("property", "parameter-field", "default") for fault in ("unknown", "missing")},
    "property-read-only": (),
}
#: the calls that make findings, or what becomes one; the id is their first or second argument, or named
_MAKING = ("Finding", "report", "problem", "Problem", "EvaluationError", "SyntaxProblem", "later", "replace")
_TEXT_HEADING = re.compile(r"^(?:(?P<file>\S+?):(?P<line>\d+):\d+  )?(?P<level>error|warning|note)  (?P<id>[a-z-]+)$", re.MULTILINE)


def told(page: Page, files: dict[str, str], folder: Path, capsys: Any, monkeypatch: Any) -> list[dict[str, Any]]:
    """The findings that the command of an example prints over some files."""
    assert page.example is not None
    for name, text in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_text(text, "utf-8")
    monkeypatch.chdir(folder)
    for name, value in page.example.variables.items():
        monkeypatch.setenv(name, value)
    monkeypatch.setattr(os, "get_terminal_size", lambda *_: os.terminal_size((200, 40)))
    code = run(shlex.split(page.example.command))
    printed = capsys.readouterr()
    found = [each.groupdict() for each in _TEXT_HEADING.finditer(printed.err + "\n" + printed.out)]
    assert code == (0 if not any(each["level"] == "error" for each in found) else code) and code in (0, 1, 2), printed
    return [{**each, "line": int(each["line"]) if each["line"] else None} for each in found]


@pytest.mark.parametrize("page", SHOWN)
def test_the_example_gives_it_and_is_mended(page: Page, tmp_path: Path, capsys: Any, monkeypatch: Any) -> None:
    example = page.example
    assert example is not None
    found = told(page, example.files, tmp_path / "wrong", capsys, monkeypatch)
    mine = [each for each in found if each["id"] == page.id]
    assert len(mine) == 1 and mine[0]["level"] == page.level, found
    assert example.place is None or example.place == (mine[0]["file"], mine[0]["line"])
    assert not example.alone or len(found) == 1, found
    if example.mended != example.files:
        assert told(page, example.mended, tmp_path / "right", capsys, monkeypatch) == []


def ids_in_the_source() -> set[str]:
    """What is handed as an id to the calls and records that make findings, and the findings of limits."""
    found: set[str] = {each.finding for each in vars(limits).values() if isinstance(each, Limit) and "-" in each.finding}
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if not isinstance(node, ast.Call):
                continue
            named = [each.value for each in node.keywords if each.arg == "id"]
            if named or getattr(node.func, "attr", getattr(node.func, "id", "")) in _MAKING:
                given = [each.value for each in (*node.args[:2], *named) if isinstance(each, ast.Constant)]
                found |= {each for each in given if isinstance(each, str) and re.fullmatch(r"[a-z]+(-[a-z]+)+", each)}
    return found


def test_every_id_has_a_page_and_every_page_an_id() -> None:
    known = {page.id for page in PAGES}
    assert len(known) == len(PAGES)
    assert ids_in_the_source() - known == set()
    text = "\n".join(path.read_text("utf-8") for path in (ROOT / "src").rglob("*.py"))
    assert {each for each in known if f'"{each}"' not in text} - _OF_PARTS.keys() == set()
    assert _OF_PARTS.keys() <= known


@pytest.mark.parametrize("page", [pytest.param(page, id=page.id) for page in PAGES])
def test_a_page_says_all(page: Page) -> None:
    assert page.example or page.bounds or page.without
    assert page.means.endswith(".") and page.mend.endswith(".")


def test_the_manual_of_findings_is_the_registry() -> None:
    page = (ROOT / "docs" / "findings.md").read_text("utf-8")
    written = "\n".join(registry_manual(PAGES))
    if os.environ.get("JOVIAL_WRITE_DOCS"):
        page = page[: page.index("## Files\n")] + written
        (ROOT / "docs" / "findings.md").write_text(page, "utf-8")
    assert page.endswith(written)


def test_pages_are_shown(capsys: Any) -> None:
    assert run(["findings", "keep-violated"]) == 0
    page = capsys.readouterr().out
    assert "For example in line.yaml, where `jovial effects live` is called:" in page and "`10.20.0.0/16` instead of" in page
    assert run(["findings", "nme-unknown"]) == 2
    assert capsys.readouterr().err == "jovial: there is no finding `nme-unknown`. Did you mean `name-unknown`?\n"
    assert run(["findings"]) == 0
    listed = capsys.readouterr().out
    assert all(f"  {page.id} " in listed for page in PAGES)


def test_the_machine_form_is_valid() -> None:
    assert len(valid_json("findings", json_text(registry_document(PAGES)))["findings"]) == len(PAGES)
