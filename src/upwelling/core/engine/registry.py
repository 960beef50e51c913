"""Machine code of the vocabulary: an opcode is declared beside its kernel, with what fills its row of parameters.

Stacked on a kernel, a declaration makes it serve one more operation or curve.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from numba import cfunc

from upwelling.core.engine.layout import SIGNATURE
from upwelling.core.engine.tables import Tables
from upwelling.core.kernels import KERNEL_LOCK, cached

Row = Sequence[float]
Kernel = Callable[..., None]


class Opcode:
    """An operation's machine code: compiled, or loaded from the cache, when a program first needs it."""

    def __init__(self, function: Kernel) -> None:
        self.function = function
        self.name = function.__name__
        self._compiled: Any = None

    @property
    def address(self) -> int:
        """Where the compiled function lies in this process. Once it does, nobody waits for a running kernel to ask."""
        if self._compiled is None:
            with KERNEL_LOCK:
                if self._compiled is None:
                    declare = cfunc(SIGNATURE, fastmath=True, error_model="numpy", cache=True)
                    self._compiled = cached(self.function, lambda: declare(self.function))
        return int(self._compiled.address)

    def __repr__(self) -> str:
        return f"<opcode {self.name}>"


Declared = Callable[[Kernel | Opcode], Opcode]

OPCODES: list[Opcode] = []
"""Every one there is."""
OPERATIONS: dict[type, tuple[Opcode, Callable[[Any, Tables], Row]]] = {}
DECODED: dict[type, tuple[Opcode, Callable[[Any, float], Row]]] = {}
ENCODED: dict[type, tuple[Opcode, Callable[[Any, float], Row]]] = {}
SELECTIONS: dict[type, tuple[Opcode, Callable[[Any, Tables], Row]]] = {}


def _declared(kernel: Kernel | Opcode) -> Opcode:
    if isinstance(kernel, Opcode):
        return kernel
    OPCODES.append(Opcode(kernel))
    return OPCODES[-1]


def _into(registry: dict[type, Any], kind: type | None, pack: Callable[..., Row] | None) -> Declared:
    def declare(kernel: Kernel | Opcode) -> Opcode:
        made = _declared(kernel)
        if kind is not None:
            registry[kind] = made, pack
        return made

    return declare


def opcode(kind: type | None = None, pack: Callable[[Any], Row] = lambda op: ()) -> Declared:
    """Declares a kernel for an operation; ``pack`` gives its row. Without one it is called by its own name."""
    return _into(OPERATIONS, kind, lambda op, tables: pack(op))


def with_tables(kind: type, pack: Callable[[Any, Tables], Row]) -> Declared:
    """Declares a kernel for an operation that puts curves into the run's tables."""
    return _into(OPERATIONS, kind, pack)


def decodes(curve: type, pack: Callable[[Any, float], Row]) -> Declared:
    """Declares a kernel that decodes a family of curves; ``pack`` takes the curve and the scale of its light."""
    return _into(DECODED, curve, pack)


def encodes(curve: type, pack: Callable[[Any, float], Row]) -> Declared:
    """Declares a kernel that encodes by a family of curves."""
    return _into(ENCODED, curve, pack)


def selects(kind: type, pack: Callable[[Any, Tables], Row]) -> Declared:
    """Declares a kernel for one selection of a matte; its row begins with how it is joined to those before."""
    return _into(SELECTIONS, kind, pack)
