"""Findings as test results, which pipelines show in a list of their own: JUnit XML, written by junitparser."""

from collections.abc import Iterator, Sequence
from typing import Any

from junitparser import Failure, JUnitXml, Skipped, TestCase, TestSuite

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.reports.checked import Run, rule_outcomes
from jovial_scaffold.reports.words import said, visible

_BEFORE = "before any environment"


def junit_text(runs: Sequence[Run]) -> str:
    """A suite for each environment, and one for what is wrong before any: a case for each finding, and one for each rule that held. Errors are
    failures, what is waived is skipped, and of the rest the sentence stands in the case's output."""
    document: Any = JUnitXml("jovial")  # whose methods have no types
    for run in runs:
        for name in ("", *run.environments):
            suite = _suite(run, name)
            if name or len(suite):
                document.add_testsuite(suite)
    document.update_statistics()
    text = document.tostring()
    return f'<?xml version="1.0" encoding="UTF-8"?>\n{(text.decode("utf-8") if isinstance(text, bytes) else text).rstrip()}\n'


def _suite(run: Run, environment: str) -> TestSuite:
    name = environment if ":" in environment else f"{run.name}:{environment or _BEFORE}"  # in a workspace it has its project's name
    suite = TestSuite(_xml(name))
    cases = [*_findings(run, environment), *_rules(run, environment)]
    if not cases and environment:
        cases = [TestCase("nothing is wrong", _xml(run.name))]
    suite.add_testcases(cases)  # all at once: each by itself is counted anew
    return suite


def _is_in(finding: Finding, environment: str) -> bool:
    return environment in finding.environments if environment else not finding.environments


def _findings(run: Run, environment: str) -> Iterator[TestCase]:
    for finding in run.findings:
        if _is_in(finding, environment):
            case, told = _case(run, finding), _told(run, finding)
            if finding.level == "error":
                failure = Failure(_xml(said(finding.message)), _xml(finding.said_by))
                failure.text = told
                case.result = [failure]
            else:
                case.system_out = f"{finding.level}: {told}"
            yield case
    for each in run.waived:
        if _is_in(each.finding, environment):
            case = _case(run, each.finding)
            case.result = [Skipped(_xml(f"Waived: {each.waiver.because}"), "waived")]
            yield case


def _rules(run: Run, environment: str) -> Iterator[TestCase]:
    broken = {each.said_by for each in (*run.findings, *(each.finding for each in run.waived)) if _is_in(each, environment)}
    for result in run.results:
        own = environment.removeprefix(f"{result.project}:")
        for rule, outcomes in rule_outcomes(result, own).items() if own in result.environments or not own else ():
            if set(outcomes) <= {"passed"} and rule not in broken:
                ruleset, _, name = rule.partition("/")
                case = TestCase(_xml(name), _xml(ruleset))
                case.system_out = f"held {outcomes['passed']:,} times" if outcomes["passed"] != 1 else "held once"
                yield case


def _case(run: Run, finding: Finding) -> TestCase:
    ruleset, _, name = finding.said_by.partition("/") if finding.said_by == finding.rule else ("", "", finding.said_by)
    place = run.path(finding.span.file) if finding.span is not None else run.name
    where = finding.where or (f"line {finding.span.line}" if finding.span is not None else "")
    return TestCase(_xml(f"{name} {where}".strip()), _xml(ruleset or place))


def _told(run: Run, finding: Finding) -> str:
    span = finding.span
    place = f"{run.path(span.file)}:{span.line}:{span.column}" if span is not None else ""
    return _xml("\n".join(part for part in (place, said(finding.message), said(finding.hint)) if part))


def _xml(text: str) -> str:
    """Text with what XML 1.0 (2.2) does not take made visible; line ends stay."""
    shown = "\n".join(map(visible, text.split("\n")))
    return "".join(char if char not in "￾￿" else f"\\u{ord(char):04x}" for char in shown)
