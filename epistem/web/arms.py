"""Arms of trials as an address names them: `12.0,12.1`."""

from __future__ import annotations

import re

from epistem.core.errors import InvalidInput

_ARM = re.compile(r"(\d{1,9})\.(\d{1,4})")


def arms_named(text: str, most: int = 1, field: str = "of") -> list[tuple[int, int]]:
    """As (trial, position). Raises InvalidInput for what names none, or more than `most`."""
    told = [_ARM.fullmatch(each) for each in text.split(",") if each]
    arms = [(int(each[1]), int(each[2])) for each in told if each]
    if len(arms) != len(told) or not 0 < len(arms) <= most:
        some = "one arm" if most == 1 else f"one to {most} arms"
        raise InvalidInput(
            f"`{field}` should name {some} by trial and position, as in 12.0.", field=field
        )
    return arms
