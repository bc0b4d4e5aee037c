"""Carries out trials: claims cells in shards, asks, judges, records."""
