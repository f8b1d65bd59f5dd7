"""Every bound of the program in one place: a name, a default, and the id of the finding that says it was reached.

Nothing else in the code holds a bound of its own, so whoever wonders "how large may it be" reads this page.
"""

from typing import NamedTuple


class Limit(NamedTuple):
    """A bound: `most` in `unit`, and the finding that reports what lies beyond it."""

    most: int
    unit: str
    finding: str


FILE_BYTES = Limit(16 * 1024 * 1024, "bytes", "file-too-large")
DESCRIPTION_BYTES = Limit(256 * 1024 * 1024, "bytes of a foreign description of resources", "file-too-large")
FILE_NAME = Limit(4_096, "characters of a path", "path-invalid")
LINKS = Limit(40, "links on the way to a file", "file-unreadable")
LISTED_FILES = Limit(20_000, "files of one folder", "file-too-many-values")
CAREFUL_CHARACTERS = Limit(2_000_000, "characters of YAML that are read by its grammar where the quick reader is in doubt", "")
NESTING = Limit(100, "levels", "nesting-too-deep")
NODES = Limit(2_000_000, "values", "file-too-many-values")
INTEGER_DIGITS = Limit(400, "digits", "number-range")

EXPRESSION_LENGTH = Limit(16_384, "characters", "expression-too-long")
EXPRESSION_NESTING = Limit(120, "levels", "expression-too-deep")
EVALUATION_STEPS = Limit(100_000, "steps", "expression-budget")
LOOP_ROUNDS = Limit(300_000, "rounds of its loops", "expression-budget")
RESULT_WEIGHT = Limit(250_000, "values", "expression-budget")
COMPARISONS = Limit(1_000_000, "comparisons", "expression-budget")
RESULT_SIZE = Limit(4_000_000, "elements or characters", "expression-budget")
FILLED_VALUES = Limit(20_000, "values", "")
SCHEMA_WEIGHT = Limit(5_000, "parts of this schema judge one and the same value", "schema-invalid")
RESIDUAL_TEXT = Limit(20_000, "characters of what is left of a pending value, beyond which a digest stands for it", "")
PATTERN_LENGTH = Limit(2_000, "characters", "expression-budget")

FEW_INTEGERS = Limit(12, "integers between two bounds, up to which they are taken one by one", "")
FEW_COMBINATIONS = Limit(16, "combinations of values, which are all tried", "")
COMPLETED_WITNESSES = Limit(512, "choices of what `must` reads besides, for one mistake", "")
STATIC_COMBINATIONS = Limit(96, "combinations of values that one expression is tried with", "")
LINTED_TYPES = Limit(200, "types of a catalog that every check looks at, whether they are used or not", "")
IDLE_FILES = Limit(100, "files beside the project file that are looked at for parameters that no environment takes", "")
MENDED_CHARACTERS = Limit(400_000, "characters of a file for which a mended line is tried", "")
RECOVERED_CHARACTERS = Limit(2_000_000, "characters of a file that cannot be read, of which the rest is read all the same", "")
RECOVERED_ENTRIES = Limit(50_000, "entries of such a file that are tried by themselves", "")
STATIC_VALUES = Limit(20_000, "values in one, beyond which it is looked at in environments only", "")
STATIC_TRIALS = Limit(20_000, "combinations of values", "not-tried")
SAMPLED_RESOURCES = Limit(500, "resources, beyond which a template is rendered with few made-up values", "")
SAMPLED_ROUNDS = Limit(2_000_000, "rounds of loops in all renderings with made-up values", "")
TRIAL_ROUNDS = Limit(4_000_000, "rounds of loops in all trials of one comparison or explanation", "drivers-untried")
DRIVER_TRIALS = Limit(64, "sets of parameters that are tried for one difference, beyond which one is narrowed", "")
TRIED_VALUES = Limit(60, "values that a parameter is changed to, to see whether something hangs on it", "")
PROOF_PARTS = Limit(128, "parts of the accepted values that are looked at for one rule and one resource", "")
PROOF_RANGES = Limit(64, "ranges of numbers that one condition is looked at in", "")
PROOF_TRIALS = Limit(160, "sets of values that are tried to break one rule of one resource", "")
PROOF_ROUNDS = Limit(4_000_000, "rounds of loops in all trials of one environment's proofs", "")
PROOFS_WITHOUT_ASKING = Limit(400, "rules and resources together, up to which every check looks for values that break a rule", "")
PARALLEL_RESOURCES = Limit(500, "resources, from which on environments are rendered beside each other", "")
FUNCTION_CALLS = Limit(10_000, "calls inside of one call", "expression-budget")
RUN_ROUNDS = Limit(20_000_000, "rounds of loops in all expressions together", "run-budget")
FINDINGS = Limit(20_000, "findings of one rendering", "too-many-findings")
PRINTED_FINDINGS = Limit(1_000, "findings that are printed", "")
INSTANCES = Limit(100_000, "resources and uses of modules", "too-many-resources")
LOOP_ITEMS = Limit(100_000, "items", "loop-too-long")
NAME_LENGTH = Limit(64, "characters", "name-invalid")
SUGGESTIONS = Limit(5_000, "names for which the one that was meant is looked for letter by letter", "")
RELATED_PLACES = Limit(6, "places", "related")
PROJECTS = Limit(20_000, "projects", "too-many-projects")
MAP_NODES = Limit(60, "nodes of a map, beyond which it is folded", "")
ALIGNED_LINES = Limit(4_000_000, "pairs of lines, beyond which documents are matched by position", "")
ALIKE_TEXT = Limit(400, "characters of two texts together, beyond which they are equal or not alike", "")
COMMITS = Limit(200_000, "commits that are looked through", "revision-unknown")
DELTAS = Limit(10_000, "differences that an object of a repository is written as", "revision-unknown")
ALIGNED_ITEMS = Limit(1_000, "pairs of values, beyond which only those are compared that share words", "")
SHOWN_VALUE = Limit(60, "characters", "shown")
SAID_TEXT = Limit(400, "characters of a name or text inside of a message", "shown")

INT64_MIN, INT64_MAX = -(2**63), 2**63 - 1
UINT64_MAX = 2**64 - 1
