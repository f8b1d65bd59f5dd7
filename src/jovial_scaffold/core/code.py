"""Python code as trees: what is done for very many things alike is written once as a function.

It is built with `ast`, never from text, so that nothing a user writes is ever read as Python.
"""

import ast
import warnings
from typing import Any


def compiled_code(tree: Any, mode: str, constants: dict[str, Any]) -> Any:
    """What the code of a tree is, in mode "eval", or the names that it defines; None for what Python does not take."""
    _place(tree)
    namespace = {"__builtins__": {}, **constants}
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # Python warns of what surely fails; here that only means to ask the careful evaluator
            code = compile(tree, "<expression>", mode)
    except (RecursionError, SyntaxError, MemoryError):  # deeper than Python's own compiler goes
        return None
    if mode == "eval":
        return eval(code, namespace)
    exec(code, namespace)
    return namespace


_LINE = {"lineno": 1, "col_offset": 0}
_PLACELESS = frozenset((str, int, ast.Load, ast.Store))  # of what most fields hold


def _place(tree: ast.AST) -> None:
    """Give every node a place, as Python demands: the same, for nothing of the tree was ever written."""
    waiting = [tree]
    while waiting:
        fields = waiting.pop().__dict__
        for value in fields.values():
            kind = type(value)
            if kind is list:
                waiting += [each for each in value if isinstance(each, ast.AST)]
            elif kind not in _PLACELESS and isinstance(value, ast.AST):
                waiting.append(value)
        fields.update(_LINE)


def parameters(*names: str) -> ast.arguments:
    """The parameters of a function."""
    return ast.arguments(posonlyargs=[], args=[ast.arg(arg=name) for name in names], kwonlyargs=[], kw_defaults=[], defaults=[])


def loaded(identifier: str) -> ast.expr:
    """A name whose value is taken."""
    return ast.Name(id=identifier, ctx=ast.Load())


def called(function: ast.expr, *arguments: ast.expr) -> ast.expr:
    """A call."""
    return ast.Call(func=function, args=list(arguments), keywords=[])


def stored_as(identifier: str, value: ast.expr) -> ast.expr:
    """A value that is given a name on the way."""
    return ast.NamedExpr(target=ast.Name(id=identifier, ctx=ast.Store()), value=value)


def compared(left: ast.expr, operator: ast.cmpop, right: ast.expr) -> ast.expr:
    """A comparison."""
    return ast.Compare(left=left, ops=[operator], comparators=[right])


def subscript(whole: ast.expr, key: Any) -> ast.expr:
    """A part of a whole."""
    return ast.Subscript(value=whole, slice=ast.Constant(key), ctx=ast.Load())


def every(tests: list[ast.expr]) -> ast.expr:
    """Whether all of one test or more hold."""
    return tests[0] if len(tests) == 1 else ast.BoolOp(op=ast.And(), values=tests)
