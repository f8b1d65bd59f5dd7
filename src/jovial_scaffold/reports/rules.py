"""Rules as text and as versioned JSON: what each says, what it judged where, and what its examples show."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.rules.reading import Rule
from jovial_scaffold.core.text.source import value_at
from jovial_scaffold.reports.findings import OUTCOMES
from jovial_scaffold.reports.machine import finding_entry
from jovial_scaffold.reports.terminal import Style, wrapped
from jovial_scaffold.reports.words import counted, path_shown, visible

_SHOWN = 3  # places of an outcome that are named


@dataclass(frozen=True, slots=True)
class Look:
    """A rule, and how it turned out: by environment the addresses (or what else it judged) by outcome."""

    rule: Rule
    judged: Mapping[str, Mapping[str, Sequence[str]]] = field(default_factory=dict)
    counts: Mapping[str, Counter[str]] = field(default_factory=dict)

    @property
    def place(self) -> tuple[str, int]:
        """Its file and line."""
        return self.rule.origin.source.name, self.rule.origin.source.key_line(self.rule.origin.pointer)

    def total(self, outcome: str) -> int:
        """How often it turned out so, over all environments."""
        return sum(each[outcome] for each in self.counts.values())


def rules_list(looks: Sequence[Look], style: Style, base: str) -> str:
    """All rules by ruleset, each with its level, what it is about and how it turned out."""
    lines: list[str] = []
    before = ""
    width = max(len(visible(each.rule.name)) for each in looks)
    for look in looks:
        rule = look.rule
        if rule.ruleset != before:
            before = rule.ruleset
            file = path_shown(base, rule.origin.source.name)
            lines += [*([""] if lines else []), f"{style.paint('strong', visible(rule.ruleset))}  {style.paint('place', visible(file))}"]
        is_wrong = look.total("failed") or look.total("broken")
        outcomes = [style.paint(_role(rule, each), f"{look.total(each):,} {each}") for each in OUTCOMES if look.total(each)]
        about = ", ".join(map(visible, rule.applies)) if rule.over in ("resource", "effect") else f"over {rule.over}"
        tags = f"  {' '.join(f'#{visible(each)}' for each in rule.tags)}" if rule.tags else ""
        told = ", ".join(outcomes) or "not judged"
        level = style.paint(rule.level if is_wrong else "faint", rule.level.ljust(7))
        lines.append(f"  {visible(rule.name).ljust(width)}  {level}  {about}: {told}{style.paint('faint', tags)}".rstrip())
    return "\n".join((*lines, "", "jovial rules show RULE prints one, with what it judged.")) + "\n"


def _role(rule: Rule, outcome: str) -> str:
    """How an outcome is painted: what failed as its level is."""
    return rule.level if outcome in ("failed", "broken") else ""


def rule_shown(look: Look, style: Style, base: str) -> str:
    """A rule as it is written, and what it judged where."""
    return "\n".join(_shown(look, style, base)) + "\n"


def _shown(look: Look, style: Style, base: str) -> Iterator[str]:
    rule, source = look.rule, look.rule.origin.source
    file, line = look.place
    yield f"{style.paint('strong', visible(rule.label))}  {style.paint('place', visible(f'{path_shown(base, file)}:{line}'))}"
    place = source.place(rule.origin.pointer)
    last = source.span(place.start, max(place.start, place.start + len(source.text[place.start : place.end].rstrip()))).end_line
    for number in range(line, last + 1):
        yield f"{style.paint('faint', f'{number:>6} │')} {visible(source.line(number))}".rstrip()
    for each in rule.levels:
        where = f" in {', '.join(map(visible, each.environments))}" if each.environments else ""
        yield f"  The project makes it a {each.level}{where}."
    if not look.counts:
        yield "  It was judged nowhere."
    for environment, counts in look.counts.items():
        told = ", ".join(f"{counts[each]:,} {each}" for each in OUTCOMES if counts[each]) or "not judged"
        yield f"  {style.paint('strong', visible(environment) if environment else 'once')}: {told}"
        for outcome in OUTCOMES:
            places = look.judged.get(environment, {}).get(outcome, ())
            if places:
                more = f" and {len(places) - _SHOWN} more" if len(places) > _SHOWN else ""
                yield from wrapped(f"{outcome}: {visible(', '.join(places[:_SHOWN]))}{more}", style.width, "    ")
    found = f"{counted(len(rule.passes), 'example')} that {'passes' if len(rule.passes) == 1 else 'pass'}"
    yield f"  {found}, {len(rule.fails)} that {'fails' if len(rule.fails) == 1 else 'fail'}."


def rules_document(project: str, looks: Sequence[Look]) -> dict[str, Any]:
    """`jovial-rules/1`."""
    return {"format": "jovial-rules/1", "project": project, "rules": list(map(_entry, looks))}


def _entry(look: Look) -> dict[str, Any]:
    rule = look.rule
    written = value_at(rule.origin.source.value, rule.origin.pointer)
    return {
        "rule": rule.label,
        "file": look.place[0],
        "line": look.place[1],
        "level": rule.level,
        "levels": [{"level": each.level, "environments": list(each.environments)} for each in rule.levels],
        "over": rule.over,
        "applies": list(rule.applies) if rule.over in ("resource", "effect") else [],
        "tags": list(rule.tags),
        "because": rule.because,
        "require": str(written.get("require", "")) if isinstance(written, dict) else "",
        "examples": {"passes": len(rule.passes), "fails": len(rule.fails)},
        "environments": [
            {
                "environment": name,
                "outcomes": {each: counts[each] for each in OUTCOMES},
                "judged": {outcome: list(places) for outcome, places in look.judged.get(name, {}).items()},
            }
            for name, counts in look.counts.items()
        ],
    }


def tests_document(project: str, rules: int, examples: int, findings: Sequence[Finding]) -> dict[str, Any]:
    """`jovial-rules-test/1`."""
    return {
        "format": "jovial-rules-test/1",
        "project": project,
        "rules": rules,
        "examples": examples,
        "findings": list(map(finding_entry, findings)),
    }
