"""Checks that a prompt's own words ask for."""
