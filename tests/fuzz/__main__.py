"""Try cases open-endedly: `python -m tests.fuzz --kind projects --cases 100000 --seed 7`; prints what was found, and how far the cases came."""

import argparse
import collections
import random
import sys
import traceback

from tests.fuzz import KINDS, attempt_of


def main() -> int:
    """Run the cases; 1 where one of them found a defect."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kind", choices=KINDS, default=KINDS[0])
    parser.add_argument("--cases", type=int, default=1_000)
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    attempt = attempt_of(given.kind)
    outcomes: collections.Counter[str] = collections.Counter()
    defects: set[str] = set()
    for case in range(given.seed, given.seed + given.cases):
        try:
            outcomes[attempt(random.Random(case))] += 1
        except Exception:
            told = traceback.format_exc()
            outcomes["defect"] += 1
            kind = "".join(line for line in told.splitlines() if line.lstrip().startswith("File"))
            if kind not in defects:
                defects.add(kind)
                print(f"--- case {case}\n{told}", flush=True)
        if case % 1_000 == 0:
            print(f"{case - given.seed + 1:,}: {dict(outcomes)}", file=sys.stderr, flush=True)
    total = sum(outcomes.values())
    reached = outcomes["errors"] + outcomes["clean"]
    print(
        f"{given.kind}: {total:,} cases: {dict(outcomes)}; {reached / total:.0%} get as far as evaluating; {len(defects)} kinds of defects"
    )
    return 1 if defects else 0


if __name__ == "__main__":
    sys.exit(main())
