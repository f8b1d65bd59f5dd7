"""A template and an environment's parameters to rendered resources and outputs. Start at `environment.render`."""
