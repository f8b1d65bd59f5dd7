"""Dependencies of rendered resources: the rounds in which they can be deployed, and circles."""
