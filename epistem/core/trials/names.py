"""Names of a trial's arms: as short as tells them apart, and never two alike."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

from epistem.core.chains.varied import VariedStep
from epistem.core.prompts.looking_up import LookingUp
from epistem.core.prompts.settings import Settings
from epistem.core.shapes import listed


class Named(Protocol):
    """What an arm is called by."""

    @property
    def version(self) -> int: ...
    @property
    def model(self) -> str: ...
    @property
    def settings(self) -> Settings: ...
    @property
    def look_ups(self) -> Mapping[str, LookingUp]: ...
    @property
    def of(self) -> str: ...
    @property
    def step(self) -> VariedStep | None: ...
    @property
    def is_chain(self) -> bool: ...


def arm_names(arms: Sequence[Named]) -> list[str]:
    """`v2`, `v2 tern-s` where models differ, or with the settings in which those of one name differ:
    `v2 temperature 0.2`. The subject stands before it where it is another's, and the step that is varied behind it.

    A setting that one of them has and another lacks is told for both. Arms that are alike in all that
    is told are numbered.
    """
    several = len({arm.model for arm in arms}) > 1
    short = [_short(arm, several) for arm in arms]
    settings = [{**arm.settings.to_json(), **_looked(arm), **_prompt(arm)} for arm in arms]
    names = []
    for at, name in enumerate(short):
        alike = [settings[other] for other in range(len(arms)) if short[other] == name]
        keys = dict.fromkeys(key for each in alike for key in each)
        varied = [key for key in keys if len({_told(each, key) for each in alike}) > 1]
        names.append(" ".join([name, *(_told(settings[at], key) for key in varied)]))
    return _numbered(names)


def _short(arm: Named, several: bool) -> str:
    told = f"{arm.of} v{arm.version}" if arm.of else f"v{arm.version}"
    if arm.step is not None:
        told += f" “{arm.step.step}”"
        return f"{told} {arm.step.model}" if arm.step.model else told
    return f"{told} {arm.model}" if several and not arm.is_chain else told


def _prompt(arm: Named) -> dict[str, Any]:
    return {"prompt": arm.step.kept} if arm.step is not None and arm.step.kept else {}


def _looked(arm: Named) -> dict[str, Any]:
    """How it looks passages up, where all of its inputs do that alike."""
    ways = [
        {"collection": f"v{each.version}", "passages": each.most, "look-up by": each.method}
        for each in arm.look_ups.values()
    ]
    return ways[0] if ways and all(way == ways[0] for way in ways) else {}


def compared(
    asked: Sequence[tuple[int | str, str]], answers_of: int | None = None, alone: str = ""
) -> str:
    """What a trial compares, in a few words: `v2 against v1, on tern-s and gannet-l`.

    `asked` has the version (as a number, or in words where it is another subject's or a step is varied) and the model
    of each arm, "" for a chain, the baseline first. Where it judges the answers of
    another trial: `T1 judged anew: v2 against …`; where it tries one step of a chain: `“sort” alone: v2 against …`.
    """
    if alone:
        return f"“{alone}” alone: {compared(asked, answers_of)}"
    if answers_of is not None:
        return f"T{answers_of} judged anew: {compared(asked)}"
    versions = list(dict.fromkeys(version for version, _ in asked))
    models = list(dict.fromkeys(model for _, model in asked if model))
    if not asked:
        return ""
    first, *others = (f"v{each}" if isinstance(each, int) else each for each in versions)
    told = f"{listed(others, 'and')} against {first}" if others else first
    if others or len(models) <= 1:
        told += f", on {listed(models, 'and')}" if models else ""
        return told + (" at several settings" if len(asked) > len(set(asked)) else "")
    return f"{first}: {listed(models[1:], 'and')} against {models[0]}"


def _told(settings: dict[str, Any], key: str) -> str:
    label, value = key.replace("_", " "), settings.get(key)
    if value is None:
        return f"no {label}"
    if isinstance(value, list):
        shown = " ".join(repr(each)[:24] for each in value) or "none"
        return f"{label} {shown}"
    return f"{label} {value:g}" if isinstance(value, int | float) else f"{label} {value}"


def _numbered(names: list[str]) -> list[str]:
    twice = {name for name in names if names.count(name) > 1}
    return [
        f"{name} ({names[:at].count(name) + 1})" if name in twice else name
        for at, name in enumerate(names)
    ]
