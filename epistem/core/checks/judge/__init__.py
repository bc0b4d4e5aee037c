"""Checks that ask a model: it scores an answer by a described scale, and is put to the test itself."""
