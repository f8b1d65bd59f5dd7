"""What is said of a rule, or a schema, that values break which are accepted: at the declaration that accepts them."""

from collections.abc import Sequence

from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.findings import Finding, Level, Related, Span, without_positions
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.proof.accepted import Path
from jovial_scaffold.core.proof.applications import Application, Setting
from jovial_scaffold.core.proof.proven import Proven
from jovial_scaffold.core.proof.proving import BREAKABLE, UNDECIDED, Proofs, Walks
from jovial_scaffold.core.proof.witnesses import REMOVED, Change, Witness
from jovial_scaffold.core.rendering.rendering import Evaluated, render
from jovial_scaffold.core.rules.evaluation import failures
from jovial_scaffold.core.schemas.navigation import steps_of
from jovial_scaffold.core.templates.model import Declaration
from jovial_scaffold.core.text.source import Origin, pointer_text, value_at
from jovial_scaffold.core.words import NOTHING, Amount, Sentence, Value, listed, say, together, told

_REFUSING = ("parameter-", "must-", "default-")  # findings of values that are not accepted
_SHOWN_TEXT = 40  # characters of a text that is made up


def prove(found: Proven, setting: Setting, parameters: Parameters, all_of: Sequence[Application], walks: Walks, level: Level) -> None:
    """Add what can be shown in one environment; `walks` are those of all environments. What is told as a note is looked for briefly, and of rules only."""
    briefly = level == "note"
    proofs = Proofs(setting, parameters, walks, briefly)
    outcomes = found.outcomes.setdefault(setting.label, [])
    for application in all_of:
        if briefly and (application.rule is None or (application.entry is None and application.rule.over != "parameters")):
            continue
        outcome, witness = proofs.decide(application)
        finding = _breakable(application, witness, setting, level) if witness is not None else None
        found.findings += [finding] if finding is not None else []
        outcome = UNDECIDED if outcome == BREAKABLE and finding is None else outcome
        outcomes.append((application.label, application.address, outcome))


def _breakable(application: Application, witness: Witness, setting: Setting, level: Level) -> Finding | None:
    """What is said of values that break something; None where a whole rendering does not confirm it."""
    rendering = render(
        setting.plan, Parameters(setting.label, (), dict(witness.values)), setting.context, setting.plans, meter=setting.meter
    )
    errors = [each for each in rendering.findings if each.level == "error"]
    if any(each.id.startswith(_REFUSING) for each in errors):
        return None
    broken = [each for each in _broken(application, rendering, errors) if application.is_about(each.address)]
    return _finding(application, setting, witness, broken[0], level) if broken else None


def _broken(application: Application, rendering: Evaluated, errors: list[Finding]) -> list[Finding]:
    if application.rule is None or application.ruleset is None:
        return [each for each in errors if each.id.startswith("property-")]
    return failures(rendering, application.ruleset, application.rule)


def _finding(application: Application, setting: Setting, witness: Witness, broken: Finding, level: Level) -> Finding:
    rule = application.rule
    declaration = setting.plan.template.parameters[str(witness.main[0])]
    name = rule.name if rule is not None else application.entry.kind.id if application.entry is not None else ""
    reason = broken.message if rule is None else _without_name(broken)
    changes = listed(map(_change, witness.changes))
    message = say("{}: with {}, which is accepted: {}", name, changes, reason)
    hint = together(broken.hint if rule is not None else NOTHING, say("Let the declaration accept less, if nobody needs it."))
    part = without_positions(pointer_text(witness.main))
    related = (Related(broken.span, say("It breaks here.")),) if broken.span is not None else ()
    return Finding(
        "rule-breakable",
        level,
        message,
        _declared(declaration, witness.main),
        hint,
        broken.address,
        broken.pointer,
        (setting.label,),
        (*related, *(each for each in broken.related if rule is not None and each.span == rule.origin.key_span())),
        f"{part} {rule.label if rule is not None else f'{broken.id} {without_positions(broken.pointer)}'}",
        rule=rule.label if rule is not None else "",
        because=broken.because,
        fix=broken.fix,
    )


def _declared(declaration: Declaration, path: Path) -> Span:
    """Where a part of a parameter is declared, as far as that is in the same file."""
    origin = declaration.origin
    for step in path[1:]:
        schema = value_at(origin.source.value, origin.pointer)
        reference = schema.get("$ref") if isinstance(schema, dict) else None
        if isinstance(reference, str) and reference.startswith("#/"):
            origin = Origin(origin.source, steps_of(reference))
        for below in ("items",) if isinstance(step, int) else ("properties", step):
            origin = origin.child(below)
        if value_at(origin.source.value, origin.pointer) is None:
            return declaration.origin.key_span()
    return origin.key_span()


def _without_name(broken: Finding) -> Sentence:
    """What a rule says, without its own name before it."""
    said = broken.message.operands[1]
    return said if isinstance(said, Sentence) else told(str(said))


def _change(change: Change) -> Sentence:
    """What a part of the parameters is, as a witness has it."""
    path = pointer_text(change.path)
    if change.value is REMOVED:
        return say("no `{}`", path)
    if isinstance(change.value, Secret):
        return say("another `{}`", path)
    if isinstance(change.value, str) and len(change.value) > _SHOWN_TEXT:
        return say("`{}` as a text of {} characters", path, Amount(len(change.value)))
    return say("`{}` as {}", path, Value(change.value))
