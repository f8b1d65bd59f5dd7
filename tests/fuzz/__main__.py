"""Try cases open-endedly: `python -m tests.fuzz --kind projects --cases 100000 --seed 7`; prints what was found, and how far the cases came.
`python -m tests.fuzz --faults` puts old faults back instead, and says which are found."""

import argparse
import collections
import json
import random
import subprocess
import sys
import traceback

from tests.fuzz import KINDS, attempt_of
from tests.fuzz.faults import refound

_CHUNK = 500  # cases of one process, which keeps what it has compiled


def attempted(kind: str, start: int, end: int) -> tuple[dict[str, int], dict[str, str]]:
    """Outcomes of the cases of a kind from one number up to another, and of each kind of defect the first."""
    attempt = attempt_of(kind)
    outcomes: collections.Counter[str] = collections.Counter()
    defects: dict[str, str] = {}
    for case in range(start, end):
        try:
            outcomes[attempt(random.Random(case))] += 1
        except Exception:
            told = traceback.format_exc()
            outcomes["defect"] += 1
            where = "".join(line for line in told.splitlines() if line.lstrip().startswith("File"))
            defects.setdefault(where, f"--- case {case}\n{told}")
    return dict(outcomes), defects


def attempted_apart(kind: str, start: int, end: int) -> tuple[dict[str, int], dict[str, str]]:
    """The same in a process of its own, whose end is a defect as well."""
    command = [sys.executable, "-m", "tests.fuzz", "--kind", kind, "--seed", str(start), "--cases", str(end - start), "--as-json"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    try:
        outcomes, defects = json.loads(done.stdout)
    except ValueError:
        return {"defect": end - start}, {"process": f"--- cases {start} to {end}: code {done.returncode}\n{done.stderr[-2000:]}"}
    return outcomes, defects


def main() -> int:
    """Run the cases; 1 where one of them found a defect."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kind", choices=KINDS, default=KINDS[0])
    parser.add_argument("--cases", type=int, default=1_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--as-json", action="store_true", help="run all in this process, and print outcomes and defects as JSON")
    parser.add_argument(
        "--faults", nargs="?", const="", metavar="TEXT", help="put old faults back whose names hold the text, one at a time"
    )
    given = parser.parse_args()
    if given.faults is not None:
        missed = 0
        for fault, found in refound(given.faults):
            missed += not found
            print(f"{'found ' if found else 'MISSED'}  {fault.name} ({fault.kind}, {fault.cases:,} cases)", flush=True)
        return 1 if missed else 0
    end = given.seed + given.cases
    if given.as_json:
        print(json.dumps(attempted(given.kind, given.seed, end)))
        return 0
    outcomes: collections.Counter[str] = collections.Counter()
    defects: dict[str, str] = {}
    for start in range(given.seed, end, _CHUNK):
        found, wrong = attempted_apart(given.kind, start, min(start + _CHUNK, end))
        outcomes.update(found)
        for where in wrong.keys() - defects.keys():
            print(wrong[where], flush=True)
        defects |= wrong
        print(f"{sum(outcomes.values()):,}: {dict(outcomes)}", file=sys.stderr, flush=True)
    total = sum(outcomes.values())
    reached = outcomes["errors"] + outcomes["clean"]
    print(
        f"{given.kind}: {total:,} cases: {dict(outcomes)}; {reached / total:.0%} get as far as evaluating; {len(defects)} kinds of defects"
    )
    return 1 if defects else 0


if __name__ == "__main__":
    sys.exit(main())
