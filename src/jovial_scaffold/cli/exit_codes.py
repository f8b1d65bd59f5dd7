"""How the program ends (docs/commands.md); 0 is no error."""

ERRORS = 1
UNUSABLE = 2
DIFFERENCES = 3
INTERNAL = 70
SIGNALLED = 128  # and the number of the signal
