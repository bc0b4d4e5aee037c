"""Epistem: write prompts, try them, and get an honest verdict on which version is better."""

__version__ = "0.1.0"
