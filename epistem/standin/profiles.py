"""The models it offers, each one data file."""

from __future__ import annotations

import os
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Profile:
    """See the comments in models/tern-s.toml."""

    name: str
    about: str
    created: int
    window: int
    input_cents: float
    output_cents: float
    first_token_ms: float
    ms_per_token: float
    knowledge: float
    attention: float
    misreading: float
    slips: float
    obedience: float
    voice: float
    gullible: float
    bias: float
    noise: float
    reasoning: str = "none"
    faults: str = ""
    changes: Mapping[str, Any] = field(default_factory=dict)

    def after(self, calls: int, now_s: float) -> Profile:
        """The model as it answers at its `calls`-th call, at this Unix time: changed or not."""
        by_calls = self.changes.get("after_calls")
        by_time = self.changes.get("after_time")
        due = (by_calls is not None and calls > by_calls) or (
            by_time is not None and now_s >= by_time
        )
        return self.changed() if due else self

    def changed(self) -> Profile:
        """The model after its silent change: as its entry says, or else a good deal more careless."""
        given = {k: v for k, v in self.changes.items() if not k.startswith("after_")}
        worse = {
            "obedience": self.obedience * 0.7, "misreading": self.misreading * 1.8,
            "voice": min(0.9, self.voice * 2.5), "slips": min(0.9, self.slips * 2.5),
        }  # fmt: skip
        return replace(self, **(given or worse))


@cache
def profiles() -> dict[str, Profile]:
    """By name: those that come with it, and those of the folder that EPISTEM_STAND_IN_MODELS names."""
    folders: list[Any] = [resources.files("epistem.standin") / "models"]
    if more := os.environ.get("EPISTEM_STAND_IN_MODELS"):
        folders.append(Path(more))
    files = [f for folder in folders for f in folder.iterdir() if f.name.endswith(".toml")]
    found = [Profile(**tomllib.loads(f.read_text("utf-8"))) for f in files]
    return {p.name: p for p in sorted(found, key=lambda p: p.name)}
