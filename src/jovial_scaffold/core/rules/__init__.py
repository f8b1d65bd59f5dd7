"""House rules over effective resources, with their own messages. Start at `reading.read_ruleset` and `evaluation.judge`."""
