"""Prompts: their parts, inputs, settings, rendering and identity."""
