"""Findings, renderings and comparisons as text and as machine-readable documents. Nothing here computes or reads files."""
