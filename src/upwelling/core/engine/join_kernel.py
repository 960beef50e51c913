"""How the weights of one selection are joined to those found before it: the float32 twin of operations/matte.joined."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.kernels import called

F = np.float32
ONE, TWO = F(1), F(2)


@called
def join_tile(W: Any, A: Any, p: Any, n: Any) -> None:
    """Joins the weights A (n,) to those found before, W."""
    how, flip = np.int32(p[0]), p[1]
    for i in range(n):
        A[i] = flip + (ONE - TWO * flip) * A[i]
    if how == 0:
        for i in range(n):
            W[i] = A[i]
    elif how == 1:
        for i in range(n):
            W[i] = W[i] * A[i]
    elif how == 2:
        for i in range(n):
            W[i] = ONE - (ONE - W[i]) * (ONE - A[i])
    else:
        for i in range(n):
            W[i] = W[i] * (ONE - A[i])
