"""Checks of two answers: to a case, and to the same with something changed."""
