"""How long comparing, the ripple of an edit, and drawing take."""
