"""JSON Schema (2020-12): validation with messages for people, and the catalogs of resource types."""
