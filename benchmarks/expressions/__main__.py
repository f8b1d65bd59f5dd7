"""Thirty expressions against the registry's CEL packages and hand-written Python: `python -m benchmarks.expressions`."""

import statistics
import sys
import time
from collections.abc import Callable
from typing import Any

from benchmarks.expressions.cases import CASES, DATA
from benchmarks.expressions.rivals import RIVALS
from jovial_scaffold.core.expressions import compile_expression
from jovial_scaffold.core.expressions.program import HOT

_ROUNDS = 7
_SECONDS = 0.004


def seconds_of(run: Callable[[], Any]) -> float:
    """Median seconds of one call, over rounds of many calls."""
    run()
    began = time.perf_counter()
    run()
    once = max(time.perf_counter() - began, 1e-8)
    count = max(1, int(_SECONDS / once))
    taken = []
    for _ in range(_ROUNDS):
        began = time.perf_counter()
        for _ in range(count):
            run()
        taken.append((time.perf_counter() - began) / count)
    return statistics.median(taken)


def first_result(text: str) -> float:
    """Median seconds from a text to its first value."""
    taken = []
    for _ in range(30):
        began = time.perf_counter()
        compile_expression(text).evaluate(DATA)
        taken.append(time.perf_counter() - began)
    return statistics.median(taken)


def main() -> int:
    """Exit code 1 where an aim is missed."""
    rivals = {}
    for name, make in RIVALS.items():
        try:
            rivals[name] = make(DATA)
        except ImportError:
            print(f"({name}: not installed, left out)")
    ratios: dict[str, list[float]] = {name: [] for name in (*rivals, "Python by hand")}
    firsts = []
    print(f"{'microseconds':52} {'ours':>8} {'by hand':>8}" + "".join(f"{name:>16}" for name in rivals))
    for case in CASES:
        ours = compile_expression(case.text)
        expected = case.python(DATA)
        for _ in range(HOT + 1):
            assert ours.evaluate(DATA) == expected, case.text
        own = seconds_of(lambda ours=ours: ours.evaluate(DATA))
        by_hand = seconds_of(lambda case=case: case.python(DATA))
        ratios["Python by hand"].append(own / by_hand)
        firsts.append(first_result(case.text))
        columns = []
        for name, build in rivals.items():
            try:
                run = build(case.text)
                taken = seconds_of(run)
            except Exception as error:  # a rival that cannot do it is not counted
                columns.append(f"{type(error).__name__[:14]:>16}")
                continue
            ratios[name].append(taken / own)
            columns.append(f"{taken * 1e6:16.2f}")
        print(f"{case.text[:52]:52} {own * 1e6:8.2f} {by_hand * 1e6:8.2f}{''.join(columns)}")
    print()
    met = []
    for name in rivals:
        aim = 200.0 if name == "pure Python" else 1.0
        ratio = statistics.median(ratios[name])
        met.append(ratio >= aim)
        print(
            f"{name}: {ratio:.1f} times as long as ours, median of {len(ratios[name])} (aim: at least {aim:g}) {'met' if met[-1] else 'MISSED'}"
        )
    ratio = statistics.median(ratios["Python by hand"])
    met.append(ratio <= 6)
    print(
        f"ours: {ratio:.2f} times as long as Python by hand, median, worst {max(ratios['Python by hand']):.2f} (aim: at most 6) {'met' if met[-1] else 'MISSED'}"
    )
    first = statistics.median(firsts) * 1e6
    met.append(first <= 100)
    print(
        f"from text to first result: {first:.0f} microseconds, median, worst {max(firsts) * 1e6:.0f} (aim: at most 100) {'met' if met[-1] else 'MISSED'}"
    )
    return 0 if all(met) else 1


if __name__ == "__main__":
    sys.exit(main())
