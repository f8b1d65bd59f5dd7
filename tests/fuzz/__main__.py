"""Spoil a project open-endedly: `python -m tests.fuzz --cases 100000 --seed 7`; prints what was found, and how far the cases came."""

import argparse
import collections
import random
import sys
import traceback

from tests.fuzz.mini import SECRET
from tests.fuzz.projects import base_files, run, spoilt


def main() -> int:
    """Run the cases; 1 where one of them found a defect."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=1_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--demo", action="store_true", help="the demo instead of the small project")
    given = parser.parse_args()
    files = base_files(given.demo)
    outcomes: collections.Counter[str] = collections.Counter()
    defects: dict[str, tuple[int, str]] = {}
    for case in range(given.seed, given.seed + given.cases):
        try:
            outcome = run(spoilt(random.Random(case), files))
        except Exception:
            told = traceback.format_exc()
            outcomes["defect"] += 1
            defects.setdefault("".join(told.splitlines()[-3:]), (case, told))
            continue
        outcomes[outcome.kind] += 1
        if SECRET in outcome.text:
            defects.setdefault("secret", (case, outcome.text[max(0, outcome.text.index(SECRET) - 300) :][:600]))
    for case, told in defects.values():
        print(f"--- case {case}\n{told}")
    total = sum(outcomes.values())
    reached = outcomes["errors"] + outcomes["clean"]
    print(f"{total:,} cases: {dict(outcomes)}; {reached / total:.0%} get as far as evaluating; {len(defects)} kinds of defects")
    return 1 if defects else 0


if __name__ == "__main__":
    sys.exit(main())
