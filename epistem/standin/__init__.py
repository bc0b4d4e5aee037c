"""A simulated model service: mechanisms, never prepared answers. See docs/stand-in.md."""
