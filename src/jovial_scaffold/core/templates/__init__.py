"""A template's text to a model: declarations, directives, resources and the names they share. Start at `reading.read_template`."""
