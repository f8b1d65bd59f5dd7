"""The version, on its own so that `jovial --version` loads nothing else."""

__version__ = "0.1.0"
