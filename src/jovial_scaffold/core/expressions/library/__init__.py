"""The function library: one module for each of CEL's public extension libraries and one for our own functions."""
