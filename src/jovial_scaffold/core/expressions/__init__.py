"""The Common Expression Language: text -> tokens -> syntax tree -> value. Start at `parser.parse` and `evaluation.evaluate`."""
