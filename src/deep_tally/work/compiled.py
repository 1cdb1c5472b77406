"""Compile small functions over arrays to machine code.

The compiled code is kept on disk beside the source (or in the user's cache): it is made once, in a worker process
that imports the meters, and loaded from then on.
"""

from __future__ import annotations

import pickle
from collections.abc import Callable
from typing import ParamSpec, TypeVar

from numba import njit

P = ParamSpec("P")
R = TypeVar("R")

_SUMS_IN_ANY_ORDER = {"reassoc", "contract", "nnan", "ninf", "nsz"}


def compiled(signature: str, *, finite: bool = False) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Decorate a function so that it runs compiled.

    Parameters
    ----------
    signature : str
        Numba's, given so that it is compiled when the module is imported and never later.
    finite : bool
        Whether samples are known to be finite: then sums may be taken in any order, several at once.
    """
    fastmath = _SUMS_IN_ANY_ORDER if finite else {"contract"}

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        def compile_it(*, cache: bool) -> Callable[P, R]:
            decorator = njit(signature, cache=cache, nogil=True, error_model="numpy", fastmath=fastmath)
            machine_code: Callable[P, R] = decorator(function)
            return machine_code

        try:
            return compile_it(cache=True)
        except (RuntimeError, OSError, EOFError, pickle.UnpicklingError):
            # No folder can be written to, the disk is full, or what was kept is damaged: compiled in every process.
            return compile_it(cache=False)

    return decorate
