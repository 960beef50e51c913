"""A process that ends when the one that began it is gone, however that went."""

from __future__ import annotations

import ctypes
import os
import signal
import sys

_PR_SET_PDEATHSIG = 1


def end_with_parent(parent: int, how: int = signal.SIGTERM) -> None:
    """Asks the kernel for a signal when the parent ends; 0 is no parent. Linux alone has it, elsewhere it is polled."""
    if not parent:
        return
    if sys.platform == "linux":
        ctypes.CDLL(None, use_errno=True).prctl(_PR_SET_PDEATHSIG, how)
    if os.getppid() != parent:  # it went before that was asked
        sys.exit("The process that began this one is gone.")
