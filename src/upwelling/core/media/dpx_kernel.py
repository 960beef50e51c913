"""The inner loop of dpx.py's most frequent packing."""

from __future__ import annotations

from typing import Any

from upwelling.core.kernels import serial


@serial
def unpack_tens(words: Any, first: Any, second: Any, third: Any, values: Any) -> None:
    """Takes three values of 10 bits out of each of (N,) uint32 words, shifted right by so many bits, into (N, 3)
    uint16.
    """
    for i in range(words.shape[0]):
        word = words[i]
        values[i, 0] = (word >> first) & 1023
        values[i, 1] = (word >> second) & 1023
        values[i, 2] = (word >> third) & 1023
