"""Two runs that differ only in a secret print the same bytes."""

import random

from tests.fuzz.mini import FILES, SECRET
from tests.fuzz.projects import declares_secrets, run, spoilt

OTHERS = ("gentian-below-the-viaduct", "bellflower-on-the-upper-pass")
USES = (
    'q (fulmar.queue): {name: "${%s}"}',
    'q (fulmar.queue): {name: x-queue, $when: "%s"}',
    'q (fulmar.queue): {$per: {v: "%s"}, name: x-queue}',
    'q (fulmar.queue): {name: x-queue, dead_letters: "${?%s}"}',
    'q (own.safe): {name: x-safe, key: "${string(%s)}"}',
    'q (own.safe): {name: "x-${%s}", note: "${%s}"}',
)
PARTS = (
    "desk_password",
    "access.?token",
    "access.token",
    "size(desk_password)",
    "locker.?code.orValue('x')",
    "locker.?other.orValue('x')",
    "locker[?'code'].hasValue()",
    "locker.map(k, k)",
    "{desk_password: 1}.map(k, k)[0]",
    "locker.size()",
    "desk_password == 'x'",
    "desk_password < 'g'",
    "desk_password.split('-')",
    "[desk_password]",
    "{desk_password: 1}",
    "{'a': desk_password}.?a.orValue('')",
    "[3, 1, 2].sortBy(v, desk_password)",
    "[desk_password, 'x'].distinct().size()",
    "'x'.matches(desk_password)",
    "as_json(access)",
    "stops.filter(s, s.code < desk_password).size()",
    "desk_password.startsWith('e') ? 1 : 2",
    "int(desk_password)",
    "sizes[desk_password]",
    "named(desk_password)",
    "'x' + digest(desk_password, 8)",
)


def with_secret(files: dict[str, bytes], text: str) -> dict[str, bytes]:
    """The files with another secret in place of the known one."""
    return {name: content.replace(SECRET.encode(), text.encode()) for name, content in files.items()}


def used(chance: random.Random) -> dict[str, bytes]:
    """The small project with one more resource that uses a secret somehow."""
    use, part = chance.choice(USES), chance.choice(PARTS)
    line = use.replace("%s", part)
    return {**FILES, "t.yaml": FILES["t.yaml"].replace(b"documents:", f"  {line}\ndocuments:".encode(), 1)}


def attempt(chance: random.Random) -> str:
    """One case. A text of another length may stand where a file is broken, and then moves what stands behind it."""
    files = used(chance)
    other = chance.choice(OTHERS)
    if chance.random() < 0.5:
        broken = spoilt(chance, files)
        if declares_secrets(broken, files):
            files, other = broken, OTHERS[0]
    outcomes = [run(with_secret(files, text), text) for text in (SECRET, other)]
    if outcomes[0].text != outcomes[1].text:
        lines = zip(outcomes[0].text.splitlines(), outcomes[1].text.splitlines(), strict=False)
        raise AssertionError("\n".join(f"- {one}\n+ {two}" for one, two in lines if one != two)[:600])
    for outcome, text in zip(outcomes, (SECRET, other), strict=True):
        assert text not in outcome.text, outcome.text[max(0, outcome.text.index(text) - 300) :][:600]
    return outcomes[0].kind
