"""Processes that end with the one that started them."""

from __future__ import annotations

import ctypes
import os
import signal

_PR_SET_PDEATHSIG = 1


def die_with_parent(parent: int, sign: int = signal.SIGKILL) -> None:
    """Ask the kernel (Linux) to send this process `sign` when its parent ends, however it ends.

    `parent` is the pid of the process that started this one, as that one knows it: who asks here may hear
    of another already, where the parent ended while this one was being set up.
    """
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, sign)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is the parent's to handle
    if os.getppid() != parent:  # it ended before the kernel was asked
        os.kill(os.getpid(), signal.SIGKILL)
