"""What the program and its manual tell alike: a page for each finding."""
