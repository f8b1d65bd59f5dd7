"""A git repository in a folder, for tests that need revisions."""

import os
import subprocess
from pathlib import Path

_WHO = {
    "GIT_AUTHOR_NAME": "Ada",
    "GIT_COMMITTER_NAME": "Ada",
    "GIT_AUTHOR_EMAIL": "ada@ridgeline.example",
    "GIT_COMMITTER_EMAIL": "ada@ridgeline.example",
}


def git(folder: Path, *arguments: str) -> str:
    """Run git; gives what it prints."""
    done = subprocess.run(["git", "-C", str(folder), *arguments], capture_output=True, text=True, check=True, env={**os.environ, **_WHO})
    return done.stdout.strip()


def commit(folder: Path, message: str) -> str:
    """Commit all there is; gives the commit's name."""
    git(folder, "add", "-A")
    git(folder, "commit", "-q", "-m", message)
    return git(folder, "rev-parse", "HEAD")


def repository(folder: Path) -> Path:
    """Make a folder a repository with everything in it committed."""
    git(folder, "init", "-q")
    commit(folder, "The first")
    return folder
