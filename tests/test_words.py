"""Messages are data: no sentence is joined with what somebody wrote before the report layer does it."""

import ast
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.words import HIDDEN, Amount, Counted, Described, Foreign, Listed, Sentence, Value, nearest, say, together, told
from jovial_scaffold.reports.words import harmless, harmless_json, said, visible

SOURCES = sorted((Path(__file__).parents[1] / "src" / "jovial_scaffold").rglob("*.py"))


@pytest.mark.parametrize("path", SOURCES, ids=[path.stem for path in SOURCES])
def test_sentences_are_literals(path: Path) -> None:
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name):
            continue
        if node.func.id == "say":
            assert isinstance(node.args[0], ast.Constant), f"{path.name}:{node.lineno}: a sentence is a literal"
            count = str(node.args[0].value).count("{}")
            starred = any(isinstance(each, ast.Starred) for each in node.args)
            assert starred or count == len(node.args) - 1 or len(node.args) == 1, f"{path.name}:{node.lineno}: {count} gaps"
            joined = [each for each in node.args[1:] if _is_joined(each)]
            assert not joined, f"{path.name}:{node.lineno}: an operand is no sentence"
        if node.func.id in ("told", "Sentence") and path.name != "words.py":
            assert not isinstance(node.args[0], ast.JoinedStr | ast.BinOp), f"{path.name}:{node.lineno}"


def _is_joined(node: ast.expr) -> bool:
    """Whether words of ours and something else are made one text."""
    if isinstance(node, ast.BinOp):
        return any(isinstance(each, ast.Constant) and isinstance(each.value, str) for each in (node.left, node.right))
    return isinstance(node, ast.JoinedStr) and any(
        isinstance(each, ast.Constant) and " " in str(each.value).strip() for each in node.values
    )


SENTENCES = [
    (say("A {} of {}.", "b", 3), "A b of 3."),
    (say("{}: {}", "{}", "x"), "{}: x"),
    (say("{name} takes {}.", "y").about("`x`"), "`x` takes y."),
    (say("{}", Value({"a": [1, "b"]})), '{"a": [1, "b"]}'),
    (say("{}", Value("x" * 10**7)), '"' + "x" * 58 + "…"),
    (say("{}", Described("x")), 'the text "x"'),
    (say("{}", Described([1, 2])), "a list with 2 entries"),
    (say("{}", Described(Secret("edelweiss"))), "a secret"),
    (say("{}", Value([Secret("edelweiss")])), '["‹secret›"]'),
    (say("{}", Listed(("a", "b", "c"), "or", 2)), "a, b or others"),
    (say("{} and {}", Counted(1, "row"), Amount(12345)), "1 row and 12,345"),
    (say("{}", Foreign("line\nmore")), "line"),
    (nearest("copis", ["copies"]), "Did you mean `copies`?"),
    (nearest("zzz", ["copies"], say("No.")), "No."),
    (together(say("A."), told(""), told("B.")), "A. B."),
    (say("The list has {} of `{}`.", 7, "written").masked(), "The list has ‹secret› of `written`."),
]


@pytest.mark.parametrize(("sentence", "text"), SENTENCES, ids=[text[:30] for _, text in SENTENCES])
def test_a_message_as_text(sentence: Sentence, text: str) -> None:
    assert said(sentence) == text


def test_a_message_is_no_text_by_itself() -> None:
    for unsaid in (say("A {}.", Value("secret")), Value("secret"), HIDDEN):
        with pytest.raises(TypeError):
            str(unsaid)
        with pytest.raises(TypeError):
            f"{unsaid}"


@given(st.text(max_size=200))
def test_nothing_steers(text: str) -> None:
    steering = {
        chr(code)
        for code in [*range(32), *range(0x7F, 0xA0), 0x61C, *range(0x200B, 0x2010), *range(0x2028, 0x202F), *range(0xE0000, 0xE0080)]
    }
    assert not set(visible(text)) & steering
    assert not set(harmless(text).replace("\r\n", "").replace("\n", "")) & steering
    assert not set(harmless_json(text)) & (steering - set("\n\t\r"))
    assert visible(visible(text)) == visible(text)
