"""Skerry Line, a made-up ferry company: the scenario's data and its loader."""
