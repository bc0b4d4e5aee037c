"""Trials: arms × cases × repeats, planned before they are asked."""
