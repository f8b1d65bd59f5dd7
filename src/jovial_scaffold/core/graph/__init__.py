"""Dependencies of rendered resources: the waves in which they can be deployed, and circles."""
