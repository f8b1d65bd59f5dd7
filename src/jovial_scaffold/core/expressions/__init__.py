"""The Common Expression Language: text -> tokens -> syntax tree -> value. Start at `compile_expression`."""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from jovial_scaffold.core.expressions.program import Expression, compile_expression

__all__ = ["Expression", "compile_expression"]


def __getattr__(name: str) -> Any:
    # On first use, so that a part of the package can be imported without the rest.
    if name in __all__:
        from jovial_scaffold.core.expressions import program

        return getattr(program, name)
    raise AttributeError(name)
