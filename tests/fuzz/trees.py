"""Hostile trees of a repository: what is read is what the commit holds, or it is refused; nothing else is read, and nothing is written."""

import contextlib
import hashlib
import random
import tempfile
import zlib
from pathlib import Path

from jovial_scaffold.core.folders import Refusal, RevisionError
from jovial_scaffold.machine.repository import DiskHistory, Repository
from jovial_scaffold.machine.worktree import changed

CANARY = b"canary-from-outside"
NAMES = (
    b"a",
    b"b.yaml",
    b"jovial.yaml",
    b"..",
    b".",
    b".git",
    b".GIT",
    b"",
    b"a/b",
    b"/etc",
    b"-x",
    b"\n",
    b"\xff\xfe",
    b"~1",
    b"\xe2\x80\x8d.git",
    b"a" * 300,
)
TARGETS = (b"a", b"../a", b"../../outside", b"/etc/passwd", b".", b"..", b"b.yaml/../a", b"", b"\xff", b"a\0b", b"x" * 5000)
MODES = (b"100644", b"100755", b"120000", b"40000", b"160000", b"0", b"100600", b"777", b"", b"-1", b"9" * 30)


def _stored(store: Path, kind: str, content: bytes) -> bytes:
    whole = f"{kind} {len(content)}\0".encode() + content
    name = hashlib.sha1(whole).hexdigest()
    (store / name[:2]).mkdir(exist_ok=True)
    (store / name[:2] / name[2:]).write_bytes(zlib.compress(whole, 1))
    return name.encode()


def _tree(chance: random.Random, store: Path, depth: int, known: list[bytes]) -> bytes:
    lines = b""
    for _ in range(chance.randint(1, 5)):
        mode = chance.choice(MODES if chance.random() < 0.2 else MODES[:3])
        kind = chance.random()
        if kind < 0.04:
            made = chance.choice([b"0" * 40, *known])
        elif kind < 0.4 and depth:
            made, mode = _tree(chance, store, depth - 1, known), b"40000" if chance.random() < 0.95 else mode
        else:
            made = _stored(store, "blob", chance.choice((b"within", *TARGETS)))
        known.append(made)
        lines += mode + b" " + chance.choice(NAMES if chance.random() < 0.3 else NAMES[:3]) + b"\0" + bytes.fromhex(made.decode())
    if chance.random() < 0.03:
        lines = lines[: chance.randint(0, len(lines))] + chance.choice((b"", b"\0", b" ", b"\xff"))
    return _stored(store, "tree", lines)


def _path(chance: random.Random) -> str:
    steps = [
        chance.choice(NAMES[:3] if chance.random() < 0.7 else (*NAMES, b"outside", b"etc", b"passwd")).decode("utf-8", "surrogateescape")
        for _ in range(chance.randint(1, 4))
    ]
    return chance.choice(("", "/", "./")) + "/".join(steps)


def attempt(chance: random.Random) -> str:
    """One case."""
    with tempfile.TemporaryDirectory() as above:
        folder = Path(above) / "repository"
        (folder / ".git" / "objects").mkdir(parents=True)
        (folder / ".git" / "refs").mkdir()
        (Path(above) / "outside").write_bytes(CANARY)
        (folder / "a").write_bytes(b"within")
        store = folder / ".git" / "objects"
        known: list[bytes] = []
        parents = b""
        for _ in range(chance.randint(1, 3)):
            tree = _tree(chance, store, 2, known)
            who = chance.choice(
                (
                    *[b"Ada <ada@ridgeline.example> 0 +0000"] * 6,
                    b"Ada <ada@ridgeline.example> 0 +0000",
                    b"",
                    b"\xff <> x",
                    b"A\x1b[2J <a> 99999999999999999999 +9999",
                )
            )
            text = (
                b"tree "
                + tree
                + b"\n"
                + parents
                + b"author "
                + who
                + b"\ncommitter "
                + who
                + b"\n\n"
                + chance.choice((b"m\x1b]0;x", b"", b"\xff"))
            )
            commit = _stored(store, "commit", text)
            known.append(commit)
            parents = b"parent " + chance.choice([commit, commit, commit, *known]) + b"\n"
        (folder / ".git" / "HEAD").write_bytes(commit + b"\n")
        before = set(Path(above).rglob("*"))
        kinds = set()
        try:
            repository = Repository(folder)
            history = DiskHistory(folder, repository)
            revision = chance.choice(("HEAD",) * 9 + ("HEAD~1", "HEAD^2", "HEAD~99", commit.decode()[:7], "@"))
            name = history.commit(revision)
            root = history.at(name)
            for ask in (lambda: history.described(name), lambda: history.touching(5), lambda: changed(repository, name, [""])):
                with contextlib.suppress(RevisionError):
                    ask()
            paths = [_path(chance) for _ in range(6)]
            listed = root.names("")
            there = [] if isinstance(listed, Refusal) else list(listed)
            assert not any(name in (".", "..") or "/" in name or name.lower() == ".git" for name in there), there
            for path in paths + there:
                read, found = root.read(path), root.find(path)
                kinds.add(isinstance(read, Refusal))
                assert not isinstance(read, bytes) or read in (b"within", *TARGETS), (path, read)
                assert isinstance(found, Refusal) or ".." not in found.name.split("/"), (path, found)
                root.names(path)
        except RevisionError:
            return "unusable"
        assert set(Path(above).rglob("*")) == before
        return "clean" if False in kinds else "errors"
