"""Fuzzers that know the structure of what they spoil: bounded and seeded in the tests, open-ended by hand (`python -m tests.fuzz`)."""
