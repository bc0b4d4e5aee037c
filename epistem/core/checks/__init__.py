"""Checks: small independent programs over one answer. See `registry` for the list."""
