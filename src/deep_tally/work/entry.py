"""The way into a kernel: a function that is handed the arrays themselves, and takes from them what numba wants.

numba passes an array as seven numbers and more. To look them up in Python took longer than many a kernel runs, so this
reads them where NumPy keeps them (NumPy C-API: `PyArrayObject`; its public fields are part of the stable interface).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

ENTRY = "deep_tally_entry"
UNFIT = 2
"""What the entry returns where an array has another number of dimensions, or is not contiguous."""

_DATA, _DIMENSIONS, _SHAPE, _STRIDES, _FLAGS = 16, 24, 32, 40, 64  # bytes from the beginning of the object
_C_CONTIGUOUS = 1


def entry_code(name: str, arguments: Sequence[tuple[np.dtype[Any], int, bool]], machine: Any) -> bytes:
    """Machine code of the entry to numba's function of this name.

    Parameters
    ----------
    name : str
    arguments : sequence of (dtype, dimensions, must be contiguous)
        No dimensions: a scalar.
    machine : llvmlite.binding.TargetMachine

    Returns
    -------
    bytes
        An object file with the function `ENTRY(result, error, argument...)`, in which an array is the address of its
        Python object.
    """
    import llvmlite.binding as llvm
    from llvmlite import ir

    byte, word, small = ir.IntType(8), ir.IntType(64), ir.IntType(32)
    pointer, scalars = byte.as_pointer(), {"f8": ir.DoubleType(), "i8": word, "i4": small}

    def kind(dtype: np.dtype[Any], dimensions: int) -> list[Any]:
        if not dimensions:
            return [scalars[f"{dtype.kind}{dtype.itemsize}"]]
        return [pointer, pointer, word, word, pointer, *[word] * (2 * dimensions)]

    module = ir.Module()
    flat = [one for dtype, dimensions, _ in arguments for one in kind(dtype, dimensions)]
    function = ir.Function(module, ir.FunctionType(small, [pointer, pointer, *flat]), name)
    given = [pointer if dimensions else kind(dtype, 0)[0] for dtype, dimensions, _ in arguments]
    entry = ir.Function(module, ir.FunctionType(small, [pointer, pointer, *given]), ENTRY)
    builder = ir.IRBuilder(entry.append_basic_block())

    def field(base: Any, offset: int, of: Any) -> Any:
        place = builder.gep(base, [ir.Constant(word, offset)])
        return builder.load(builder.bitcast(place, of.as_pointer()))

    values = list(entry.args[:2])
    for value, (_, dimensions, is_contiguous) in zip(entry.args[2:], arguments, strict=True):
        if not dimensions:
            values.append(value)
            continue
        unfit = builder.icmp_signed("!=", field(value, _DIMENSIONS, small), ir.Constant(small, dimensions))
        if is_contiguous:
            flag = builder.and_(field(value, _FLAGS, small), ir.Constant(small, _C_CONTIGUOUS))
            unfit = builder.or_(unfit, builder.icmp_signed("==", flag, ir.Constant(small, 0)))
        with builder.if_then(unfit, likely=False):
            builder.ret(ir.Constant(small, UNFIT))
        shape, strides = field(value, _SHAPE, pointer), field(value, _STRIDES, pointer)
        nothing, none = ir.Constant(pointer, None), ir.Constant(word, 0)
        # Owner and parent (none), elements and their size (not used), data, then lengths and strides.
        values += [nothing, nothing, none, none, field(value, _DATA, pointer)]
        values += [field(numbers, 8 * axis, word) for numbers in (shape, strides) for axis in range(dimensions)]
    builder.ret(builder.call(function, values))
    code: bytes = machine.emit_object(llvm.parse_assembly(str(module)))
    return code
