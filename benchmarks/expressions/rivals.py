"""The CEL packages of the registry, each behind the same two steps: compile a text once, then evaluate it on prepared data.

They are needed for measuring only: pip install cel-python common-expression-language cel-expr-python
"""

from collections.abc import Callable
from typing import Any

Evaluate = Callable[[], Any]
Compile = Callable[[str], Evaluate]


def pure_python(data: dict[str, Any]) -> Compile:
    """The package written in Python."""
    import celpy

    environment = celpy.Environment()
    context = {name: celpy.json_to_cel(value) for name, value in data.items()}

    def build(text: str) -> Evaluate:
        program = environment.program(environment.compile(text))
        return lambda: program.evaluate(context)

    return build


def compiled_rust(data: dict[str, Any]) -> Compile:
    """The bindings to a runtime in Rust."""
    import cel

    context = cel.Context(data)

    def build(text: str) -> Evaluate:
        program = cel.compile(text)
        return lambda: program.execute(context)

    return build


def compiled_cpp(data: dict[str, Any]) -> Compile:
    """The bindings to a runtime in C++; results are turned into Python values, as users need them."""
    from cel_expr_python import cel

    environment = cel.NewEnv(variables=dict.fromkeys(data, cel.Type.DYN))
    activation = environment.Activation(data)

    def build(text: str) -> Evaluate:
        program = environment.compile(text)
        return lambda: program.eval(activation).plain_value()

    return build


RIVALS: dict[str, Callable[[dict[str, Any]], Compile]] = {
    "pure Python": pure_python,
    "compiled, Rust": compiled_rust,
    "compiled, C++": compiled_cpp,
}
