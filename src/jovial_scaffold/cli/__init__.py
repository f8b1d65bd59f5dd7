"""The command line: one thin module for each command. Start at `main.run`."""
