"""Hostile repositories, built object by object, as no honest git would write them."""

import os
import subprocess
from pathlib import Path

from tests.support_git import git


def store(folder: Path, kind: str, content: bytes) -> str:
    """Write an object as it is, however wrong; gives its name."""
    command = ["git", "-C", str(folder), "hash-object", "-t", kind, "-w", "--stdin", "--literally"]
    return subprocess.run(command, input=content, capture_output=True, check=True).stdout.decode().strip()


def tree(folder: Path, entries: list[tuple[str, bytes, str]]) -> str:
    """A tree of entries (mode, name, object)."""
    return store(folder, "tree", b"".join(f"{mode} ".encode() + name + b"\0" + bytes.fromhex(made) for mode, name, made in entries))


def commit_tree(folder: Path, made: str) -> str:
    """A commit of a tree, which becomes HEAD."""
    name = git(folder, "commit-tree", made, "-m", "Hostile")
    git(folder, "update-ref", "HEAD", name)
    return name


def booby_trap(folder: Path, trap: Path) -> None:
    """Configure a repository so that whatever git would run leaves a file behind."""
    program = folder / ".git" / "trap.sh"
    program.write_text(f"#!/bin/sh\ntouch {trap}\n")
    os.chmod(program, 0o755)
    for key in (
        "core.fsmonitor",
        "core.pager",
        "core.sshCommand",
        "diff.external",
        "gpg.program",
        "filter.x.clean",
        "filter.x.smudge",
        "core.editor",
    ):
        git(folder, "config", key, str(program))
    git(folder, "config", "filter.x.required", "true")
    git(folder, "config", "log.showSignature", "true")
    hooks = folder / ".git" / "hooks"
    hooks.mkdir(exist_ok=True)
    for hook in ("post-checkout", "post-index-change", "pre-commit", "reference-transaction"):
        (hooks / hook).write_text(program.read_text())
        os.chmod(hooks / hook, 0o755)
