"""What was shown for all accepted parameters, as plain data."""

from dataclasses import dataclass, field

from jovial_scaffold.core.findings import Finding


@dataclass(slots=True)
class Proven:
    """How rules and schemas turned out for all parameters that are accepted, by environment: what each is called, what it was looked at for,
    and the outcome. `findings` are of those that can be broken."""

    outcomes: dict[str, list[tuple[str, str, str]]] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)
