"""How long commands take that change files, what they promise shown included."""
