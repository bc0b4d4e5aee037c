"""Taking facts down from what a person says: each of its kind, or null where it is not said."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from epistem.standin import extract
from epistem.standin.job import Job, register
from epistem.standin.words import stems
from epistem.standin.work.collect import REFUSES

_TASK = re.compile(r"\btake down facts\b", re.I)
_FACT = re.compile(r"^\s*-\s*([^:\n]{1,80}):[ \t]*(.*)$", re.M)
_ASKED = re.compile(r"^They were asked: (.+)$", re.M)
_ONE_OF = re.compile(r"\bone of (.+?)(?:\. |\.?$)")
_DAY = re.compile(r"\b(\d{1,2})(?:st|nd|rd|th)?(?: of)? ([A-Za-z]{3,9}) (\d{4})\b")
_MONTHS = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"]
_WHY = re.compile(r"\bwhy\b[^?]*\?", re.I)
_YES = re.compile(r"\s*(?:yes|yep|yeah|right|correct|that is right|ok(?:ay)?|fine|perfect)\b", re.I)
_NO = re.compile(r"\s*(?:no|nope|wrong|not (?:quite|right))\b", re.I)
NOTHING: Mapping[Any, float] = {None: 0.0}


def _facts(job: Job) -> dict[str, str]:
    return dict(_FACT.findall(job.instructions.partition("The facts:")[2].partition("\n\n")[0]))


def _asked(job: Job) -> str:
    found = _ASKED.search(job.instructions)
    return found[1] if found else ""


def _asked_for(job: Job) -> str:
    """The name of the fact that the person was asked for, or ""."""
    asked = _asked(job)
    wanted = set(stems(asked))
    near = {
        name: len(wanted & set(stems(f"{name.replace('_', ' ')} {about}")))
        + 10 * (name.replace("_", " ") in asked)
        for name, about in _facts(job).items()
    }
    best = max(near, key=lambda name: near[name], default="")
    return best if best and near[best] else ""


def _value(job: Job, name: str, rule: Mapping[str, Any]) -> Any:
    if name == "refused":
        refuses = REFUSES.search(job.text) and _asked_for(job)
        return [_asked_for(job)] if refuses else []
    if name == "asks_why":
        return bool(_WHY.search(job.text))
    if name == "right":
        if not _asked(job).endswith("Is that right?"):
            return NOTHING
        return True if _YES.match(job.text) else False if _NO.match(job.text) else NOTHING
    about = _facts(job).get(name)
    if about is None:
        return None
    found = _noted(job, name, about)
    return NOTHING if found is None or job.mind.slips(f"note {name}", times=0.5) else found


def _noted(job: Job, name: str, about: str) -> str | None:
    text, asked = job.text.strip(), _asked_for(job) == name
    if REFUSES.search(text) or (asked and _WHY.search(text)):
        return None
    if found := _ONE_OF.search(about):
        choices = re.split(r", | or ", found[1])
        named = [each for each in choices if re.search(rf"\b{re.escape(each)}\b", text, re.I)]
        return named[0] if len(named) == 1 else text if asked and not named else None
    if about.startswith(("a whole number", "a number")):
        value = extract.number_in(text, name, whole=False, plain=True)
        near = asked or any(stem in stems(text) for stem in stems(name.replace("_", " ")))
        return str(value) if value is not None and near else None
    if about.startswith("a date"):
        return _day_in(text) or (extract.find("date", text) if asked else None)
    if about.startswith("a time"):
        time = extract.find("time", text)
        return str(time) if time else None
    if about.startswith("yes or no"):
        return text if asked and (_YES.match(text) or _NO.match(text)) else None
    value = extract.find(name, text)
    return str(value) if value else text.rstrip(".!")[:80] if asked and text else None


def _day_in(text: str) -> str | None:
    if found := re.search(r"\b\d{4}-\d\d-\d\d\b", text):
        return found[0]
    found = _DAY.search(text)
    month = found[2][:3].lower() if found else ""
    if not found or month not in _MONTHS:
        return None
    return f"{found[3]}-{_MONTHS.index(month) + 1:02d}-{int(found[1]):02d}"


def _write(job: Job) -> None:
    job.out.say(job.text)


register("noting", lambda job: bool(_TASK.search(job.instructions)), _write, _value)
