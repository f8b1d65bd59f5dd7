"""Which of many have most in common with one, without comparing it with each of them."""

from collections import Counter
from collections.abc import Hashable, Iterable


class Nearness:
    """Finds among many what shares most features with another: what it costs grows with the features, not with the pairs."""

    def __init__(self, each: Iterable[Iterable[Hashable]]) -> None:
        self._holding: dict[Hashable, list[int]] = {}  # the numbers of what has a feature
        for number, features in enumerate(each):
            for feature in features:
                self._holding.setdefault(feature, []).append(number)

    def of(self, features: Iterable[Hashable], most: int) -> list[int]:
        """The numbers of at most so many, those that share most features first. Rare features count before common ones."""
        shared: Counter[int] = Counter()
        for numbers in sorted((self._holding[feature] for feature in features if feature in self._holding), key=len):
            if len(shared) >= _LOOKED_AT:
                break
            shared.update(numbers[:_LOOKED_AT])
        return [number for number, _ in shared.most_common(most)]


_LOOKED_AT = 300  # of those that share a feature
