"""What a clock tells."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from epistem.core.errors import InvalidInput


def told_at(moment: datetime, zone: str) -> str:
    """A moment (UTC where it says no zone) as a model is told it. Raises InvalidInput for an unknown zone."""
    try:
        there = (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).astimezone(ZoneInfo(zone))
    except (KeyError, ValueError, OSError) as error:
        raise InvalidInput(
            f"There is no time zone “{zone[:60]}”. Write one as in Europe/Oslo.", field="does.zone"
        ) from error
    return json.dumps(
        {
            "date": f"{there:%Y-%m-%d}",
            "time": f"{there:%H:%M}",
            "weekday": f"{there:%A}",
            "zone": zone,
            "moment": there.isoformat(timespec="seconds"),
        }
    )


def fixed_moment(text: str, zone: str) -> datetime:
    """As it is told of a tool: in its zone where it says none."""
    moment = datetime.fromisoformat(text)
    return moment if moment.tzinfo else moment.replace(tzinfo=ZoneInfo(zone))
