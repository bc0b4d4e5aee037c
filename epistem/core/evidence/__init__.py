"""From tallies of findings to a verdict. Pure arithmetic: no text, no database."""
