"""Files to plain values that know their place. Start at `formats.read_source`."""
