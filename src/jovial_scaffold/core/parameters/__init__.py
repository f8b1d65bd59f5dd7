"""Layers of parameter files and overrides to typed values that know where they came from. Start at `resolving.resolve`."""
