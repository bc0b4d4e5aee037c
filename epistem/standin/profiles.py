"""The models it offers, each one data file."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from importlib import resources


@dataclass(frozen=True)
class Profile:
    """See the comments in models/tern-s.toml."""

    name: str
    created: int
    window: int
    first_token_ms: float
    ms_per_token: float
    knowledge: float
    attention: float
    misreading: float
    slips: float
    obedience: float
    voice: float


@cache
def profiles() -> dict[str, Profile]:
    """By name."""
    folder = resources.files("epistem.standin") / "models"
    files = sorted((f for f in folder.iterdir() if f.name.endswith(".toml")), key=lambda f: f.name)
    found = [Profile(**tomllib.loads(f.read_text("utf-8"))) for f in files]
    return {profile.name: profile for profile in found}
