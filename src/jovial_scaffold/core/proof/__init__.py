"""Whether rules and schemas hold for all parameters that are accepted: the abstract walk, and witnesses that the evaluator confirmed (`proving`)."""
