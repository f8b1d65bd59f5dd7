"""The budget of a run: one meter that is handed down, counts what is done, and says when it is too much."""

from collections.abc import Callable

from jovial_scaffold.core.limits import FINDINGS, RUN_ROUNDS


def no_clock() -> float:
    """Stands in where no time was asked for: it stands still."""
    return 0.0


class Meter:
    """What may still be done. `clock` gives seconds, and `seconds` how many of them the run may take; 0 for as many as it likes."""

    def __init__(self, clock: Callable[[], float] = no_clock, seconds: float = 0.0) -> None:
        self._clock = clock
        self._end = clock() + seconds if seconds else 0.0
        self.rounds = RUN_ROUNDS.most  #: of loops in expressions, which are left
        self.findings = FINDINGS.most  #: that are left
        self.seconds = seconds

    def beside(self, rounds: int) -> "Meter":
        """A budget of its own for work that must not starve the rest; its time is the same."""
        found = Meter(self._clock)
        found._end, found.seconds, found.rounds = self._end, self.seconds, rounds
        return found

    @property
    def spent(self) -> bool:
        """Whether nothing more may be done."""
        return self.rounds <= 0 or self.over

    def spend(self, rounds: int) -> bool:
        """Count rounds of loops; False where there are none left."""
        self.rounds -= rounds
        return self.rounds >= 0

    @property
    def over(self) -> bool:
        """Whether the time is over."""
        return bool(self._end) and self._clock() > self._end
