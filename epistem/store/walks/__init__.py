"""Walks of chains from Draft: their rows, their record, what happened in them, and who is waited for."""
