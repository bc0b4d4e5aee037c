"""Chains: steps over a shared state. What one is, what is wrong with it, and the program that walks it."""
