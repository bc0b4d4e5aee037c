"""What a test starts ends with it, also where the suite is broken off or killed."""

from __future__ import annotations

import os
import signal
from collections.abc import Callable
from functools import partial

from epistem.runner.lifeline import die_with_parent


def ends_with_us() -> Callable[[], None]:
    """For a new process, between fork and exec: it is asked to end when this one ends, however that does."""
    return partial(die_with_parent, os.getpid(), signal.SIGTERM)
