"""`max` and `min` for kernels whose samples are all finite: they compile to one instruction for several samples.

Python's own ask which of two numbers is none, and whether a zero is negative. The compiler must keep that order, and
takes the greatest of a loop one sample at a time.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


def extremes() -> dict[str, Callable[..., Any]]:
    """Both functions by the names they stand in for, of two numbers of a kind; imports the compiler."""
    return {"max": _intrinsic("maxnum", ">"), "min": _intrinsic("minnum", "<")}


def _intrinsic(name: str, order: str) -> Callable[..., Any]:
    """LLVM's `llvm.maxnum` or `llvm.minnum` (Language Reference), which takes on the kernel's freedom of order."""
    from llvmlite import ir
    from numba.core import types
    from numba.core.extending import intrinsic

    def typed(_context: Any, a: Any, b: Any) -> Any:
        if isinstance(a, types.Float) and isinstance(b, types.Float):
            return types.float64(types.float64, types.float64), of_floats
        return types.int64(types.int64, types.int64), of_integers

    def of_floats(_context: Any, builder: Any, _signature: Any, values: Any) -> Any:
        double = ir.DoubleType()
        of_two = ir.FunctionType(double, [double, double])
        return builder.call(builder.module.declare_intrinsic(f"llvm.{name}", [double], of_two), values)

    def of_integers(_context: Any, builder: Any, _signature: Any, values: Any) -> Any:
        return builder.select(builder.icmp_signed(order, *values), *values)

    return intrinsic(typed)
