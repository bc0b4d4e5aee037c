"""Kinds of work: where the content of an answer comes from."""
