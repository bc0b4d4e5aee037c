"""What the answer may rest on, and what it may not do."""

import re

from epistem.standin.directives import asks, register
from epistem.standin.request import quoted


def _phrase(match: re.Match[str]) -> str:
    """What it is to say when it does not know."""
    return next(iter(quoted(match[0])), "I don't know.")


register("grounded", asks("grounded"))
register("cite", asks("cite"), kept=lambda text, value: bool(re.search(r"\[[\w.-]+\]", text)))
register("unknown", asks("unknown", _phrase))
register("on_job", asks("on_job"))
register(
    "promises",
    asks("promises", lambda match: match[1].strip()),
    lambda plan, value: plan.promises.append(value),
)
register("secret", asks("secret"))
