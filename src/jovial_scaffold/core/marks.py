"""How people are shown what is not an ordinary value: between `‹` and `›`, everywhere alike. A `‹` of a user's own is shown doubled."""

OPEN, CLOSE = "‹", "›"


def mark(text: str) -> str:
    """A text as a mark."""
    return f"{OPEN}{text}{CLOSE}"


def unmarked(text: str) -> str:
    """A text of a user, which must not read as a mark."""
    return text.replace(OPEN, OPEN * 2) if OPEN in text else text


SECRET = mark("secret")
OTHER_SECRET = mark("another secret")  # beside a secret that it is not equal to
UNKNOWN = mark("unknown")
UNSET = mark("unset")
ABSENT = mark("absent")


def other_secret(number: int) -> str:
    """A secret beside others that it is not equal to, and that are not equal to each other: the second one is number 1."""
    return OTHER_SECRET if number == 1 else mark(f"another secret {number}")
