"""Templates that grow by ways to hand something on: what each way is, the generators say; what all of them need, stands here."""

import random
from collections.abc import Callable
from typing import Any

WORLDS = ("sandbox", "live")


class Ways:
    """A template for two environments, with names that nothing else has."""

    def __init__(self, chance: random.Random) -> None:
        self.chance = chance
        self.template: dict[str, Any] = {
            "parameters": {"world": {"enum": list(WORLDS), "description": "Which"}},
            "let": {},
            "functions": {},
            "resources": {},
        }
        self.parameters: dict[str, Any] = {}
        self.count = 0

    def name(self, letter: str) -> str:
        """One that is used nowhere yet."""
        self.count += 1
        return f"{letter}{self.count}"

    def kept(self, way: int, held: Callable[[], Any], other: Any) -> str:
        """An expression that gives what is written as a named value (way 0), chosen from a map by the environment (1), or from a list beside
        another (2)."""
        name = self.name("a")
        self.template["let"][name] = (held, lambda: {world: held() for world in WORLDS}, lambda: [other, held()])[way]()
        return (name, f"{name}[world]", f"{name}[1]")[way]

    def read_again(self, way: int, expression: str) -> str:
        """An expression that gives the same through a named value: the value itself (way 0), or deep inside of one (1)."""
        name = self.name("b")
        self.template["let"][name] = (f"${{{expression}}}", {"deep": [f"${{{expression}}}"]})[way]
        return (name, f"{name}.deep[0]")[way]
