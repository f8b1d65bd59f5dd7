"""What the tool writes: text edits that leave everything else as it stands, and what each of them promises."""
