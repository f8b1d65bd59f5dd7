"""The house: no file imports another in a circle, functions and files stay short, and what is kept has no key that means nothing elsewhere."""

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

from jovial_scaffold.core.templates.names import cycles

ROOT = Path(__file__).parents[1] / "src"
FILES = sorted(ROOT.rglob("*.py"))
LONGEST_FUNCTION, LONGEST_FILE = 60, 400  # lines; of files, those of code
#: parts of schemas and of assignments are plain maps, which have no key of their own; each is held as long as it is asked about
KNOWN_BY_ADDRESS = {"cli/ending.py", "core/schemas/shapes.py", "core/templates/checking.py"}


def name_of(path: Path) -> str:
    return ".".join(path.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__")


def imported(path: Path, modules: set[str]) -> Iterator[str]:
    """Modules of ours that a file names in imports, wherever they stand, for types too."""
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.ImportFrom) and node.module:
            for alias in node.names:
                below = f"{node.module}.{alias.name}"
                yield below if below in modules else node.module
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)


def code_lines(text: str) -> int:
    tree = ast.parse(text)
    told: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant) and isinstance(node.value.value, str):
            told |= set(range(node.lineno, (node.end_lineno or node.lineno) + 1))
    return sum(
        1 for number, line in enumerate(text.splitlines(), 1) if line.strip() and not line.lstrip().startswith("#") and number not in told
    )


def test_no_file_imports_another_in_a_circle() -> None:
    # A package's face hands names on, and is loaded before all that lies below it.
    files = {name_of(path): path for path in FILES if path.name != "__init__.py"}
    modules = set(files)
    edges = {name: sorted(set(imported(path, modules)) & modules - {name}) for name, path in files.items()}
    assert cycles(edges) == []


@pytest.mark.parametrize("path", FILES, ids=lambda path: str(path.relative_to(ROOT / "jovial_scaffold")))
def test_files_and_functions_are_short(path: Path) -> None:
    text = path.read_text("utf-8")
    tree = ast.parse(text)
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            assert (node.end_lineno or 0) - node.lineno < LONGEST_FUNCTION, node.name
    assert code_lines(text) <= LONGEST_FILE or "It is long because" in (ast.get_docstring(tree) or "")
    if str(path.relative_to(ROOT / "jovial_scaffold")) not in KNOWN_BY_ADDRESS:
        calls = [node for node in ast.walk(tree) if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)]
        assert not any(call.func.id == "id" for call in calls if isinstance(call.func, ast.Name))
