"""Words, sentences and stems of a text, and what two texts share."""
