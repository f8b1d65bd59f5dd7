"""Environments side by side. Start at `matrix.compare`."""
