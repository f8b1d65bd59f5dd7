"""The computation: bytes, paths and values in; values and findings out. Nothing here prints, exits or reads a clock."""
