"""Messages of authors, of rules and of `must`: they never hold a secret, and always say something."""

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic


def message_text(compiled: Compiled, scope: Scope) -> str:
    """A message with its placeholders filled in; one that has no value prints `‹unset›`, a secret one `‹secret›`."""
    if isinstance(compiled, Constant):
        return scalar_text(compiled.value) if isinstance(compiled.value, str | int | float) else marks.UNSET
    if not isinstance(compiled, Dynamic) or not isinstance(compiled.content, Formula | Joined):
        return marks.UNSET
    parts = compiled.content.parts if isinstance(compiled.content, Joined) else (compiled.content,)
    return "".join(part if isinstance(part, str) else _filled_in(part, scope) for part in parts)


def _filled_in(formula: Formula, scope: Scope) -> str:
    try:
        value = formula.program.run(scope, {})
    except EvaluationError:
        return marks.UNSET
    if isinstance(value, Secret | Pending):
        return repr(value)
    return scalar_text(value) if isinstance(value, str | int | float) else marks.UNSET
