"""Checks of a whole talk: what is asked in it, how often, and how it ends."""
