"""Files as a git repository keeps them: read with the git command, without touching the checkout or its index."""

import os
from collections.abc import Iterator
from pathlib import Path

from jovial_scaffold.core.limits import FILE_BYTES, GIT_SECONDS


class RevisionError(Exception):
    """What git cannot give: what is wrong, and what to do."""

    def __init__(self, message: str, hint: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint


class Repository:
    """The repository that a folder belongs to. Raises RevisionError where there is none, or no git."""

    def __init__(self, folder: Path) -> None:
        self._at = folder
        self.root = Path(os.fsdecode(self._git("rev-parse", "--show-toplevel")).rstrip("\n")).resolve()
        self._at = self.root

    def _git(self, *arguments: str, data: bytes | None = None) -> bytes:
        import subprocess

        # Without optional locks git leaves even its own index alone; no program of the user's configuration is to show differences.
        environment = {**os.environ, "GIT_OPTIONAL_LOCKS": "0", "LC_ALL": "C", "GIT_LITERAL_PATHSPECS": "1"}
        try:
            done = subprocess.run(
                ["git", "-C", str(self._at), *arguments],
                input=data,
                capture_output=True,
                timeout=GIT_SECONDS.most,
                check=False,
                env=environment,
            )
        except FileNotFoundError:
            raise RevisionError("Revisions are read with git, and there is no git here.", "Install it.") from None
        except subprocess.TimeoutExpired:
            raise RevisionError(f"git did not answer within {GIT_SECONDS.most} seconds.") from None
        if done.returncode:
            told = done.stderr.decode("utf-8", "replace").strip().splitlines()
            if told and "not a git repository" in told[-1]:
                raise RevisionError(f"{self._at} belongs to no git repository.", "Revisions are read from git: begin with `git init`.")
            if told and "dubious ownership" in " ".join(told):
                raise RevisionError(f"git does not trust {self._at}: it belongs to another user.", "See `git config safe.directory`.")
            raise RevisionError(f"git {arguments[0]}: {told[-1] if told else 'failed'}")
        return done.stdout

    def commit(self, revision: str) -> str:
        """The full name of the commit that a revision means."""
        unknown = RevisionError(
            f"The repository has no revision `{revision}`.", "`git log --oneline` lists them; HEAD~1 is the one before."
        )
        if not revision or revision.startswith("-") or "\0" in revision:
            raise unknown
        try:
            return os.fsdecode(self._git("rev-parse", "--verify", "--quiet", f"{revision}^{{commit}}")).strip()
        except RevisionError:
            raise unknown from None

    def described(self, commit: str) -> tuple[str, str, str]:
        """Of a commit: date (as 2026-11-23), author's name, and the first line of its message."""
        found = self._git("show", "-s", "--date=short", "--format=%ad%x00%an%x00%s", commit).decode("utf-8", "replace")
        date, author, subject = (*found.rstrip("\n").split("\0"), "", "", "")[:3]
        return date, author, subject

    def history(self, folder: Path, most: int) -> list[str]:
        """The commits that touched what is below a folder, newest first, along the first parents."""
        where = self._inside(folder)
        found = self._git("log", "--first-parent", f"-n{most}", "--format=%H", "HEAD", "--", *([where] if where != "." else []))
        return found.decode().split()

    def _inside(self, folder: Path) -> str:
        resolved = folder.resolve()
        if not resolved.is_relative_to(self.root):
            raise RevisionError(f"{folder} lies outside of the repository {self.root}.")
        return resolved.relative_to(self.root).as_posix()

    def changed(self, commit: str) -> tuple[list[Path], list[Path]]:
        """Files that are not now as they were in a commit, those that git does not know yet among them; and those that are gone."""
        known = self._git("diff", "--name-status", "-z", "--no-renames", "--no-ext-diff", commit, "--").split(b"\0")
        new = self._git("ls-files", "--others", "--exclude-standard", "-z", "--").split(b"\0")
        states = {self.root / os.fsdecode(name): state for state, name in zip(known[::2], known[1::2], strict=False)}
        gone = sorted(path for path, state in states.items() if state == b"D")
        return sorted({*states, *(self.root / os.fsdecode(name) for name in new if name)}), gone

    def files(self, commit: str, folder: Path) -> Iterator[tuple[str, str, str, int]]:
        """Below a folder in a commit: mode, name of the blob, path from the root, size in bytes."""
        where = self._inside(folder)
        listing = self._git("ls-tree", "-r", "-l", "-z", commit, *(["--", where] if where != "." else []))
        for entry in listing.split(b"\0"):
            head, _, path = entry.partition(b"\t")
            if path and head.split()[1] == b"blob":
                mode, _, blob, size = head.decode().split()
                yield mode, blob, os.fsdecode(path), int(size)

    def extract(self, commit: str, folder: Path, into: Path) -> Path:
        """Write what a commit has below a folder into another; gives where the folder then is. Raises OSError."""
        entries = [each for each in self.files(commit, folder) if each[3] <= FILE_BYTES.most + 1]
        answer = self._git("cat-file", "--batch", data="".join(f"{blob}\n" for _, blob, _, _ in entries).encode()) if entries else b""
        position = 0
        for mode, _, path, size in entries:
            position = answer.index(b"\n", position) + 1
            content = answer[position : position + size]
            position += size + 1
            target = into / path
            target.parent.mkdir(parents=True, exist_ok=True)
            if mode == "120000":
                target.symlink_to(os.fsdecode(content))
            else:
                target.write_bytes(content)
        found = into / self._inside(folder)
        found.mkdir(parents=True, exist_ok=True)
        return found
