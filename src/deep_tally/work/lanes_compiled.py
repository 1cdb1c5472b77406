"""The functions of `lanes` as the compiler takes them; to import this is to import the compiler.

Each becomes one instruction on a vector (LLVM Language Reference: vector operations, `llvm.maxnum`, `llvm.fabs`,
`llvm.vector.reduce.fmax`).
"""

from __future__ import annotations

import operator
from collections.abc import Callable
from typing import Any

from llvmlite import ir
from numba.core import cgutils, types
from numba.core.extending import intrinsic, models, overload, register_model

from deep_tally.work.lanes import LANES

_VECTOR, _WORD = ir.VectorType(ir.DoubleType(), LANES), ir.IntType(64)
_NUMBERS = [ir.Constant(_WORD, lane) for lane in range(LANES)]
_ALIGNED = 8  # bytes: a row may begin at any number of an array
_MULTIPLY_ADD = ("contract",)
_models: Any = models  # without types
_helpers: Any = cgutils


class _Lanes(types.Type):
    def __init__(self) -> None:
        super().__init__("Lanes")


_LANES = _Lanes()


def _model(manager: Any, kind: Any) -> Any:
    return _models.PrimitiveModel(manager, kind, _VECTOR)


register_model(_Lanes)(_model)


@intrinsic
def _add(_context: Any, _a: Any, _b: Any) -> Any:
    return _LANES(_LANES, _LANES), lambda _c, builder, _s, given: builder.fadd(*given, flags=_MULTIPLY_ADD)


@intrinsic
def _subtract(_context: Any, _a: Any, _b: Any) -> Any:
    return _LANES(_LANES, _LANES), lambda _c, builder, _s, given: builder.fsub(*given, flags=_MULTIPLY_ADD)


@intrinsic
def _multiply(_context: Any, _a: Any, _b: Any) -> Any:
    return _LANES(_LANES, _LANES), lambda _c, builder, _s, given: builder.fmul(*given, flags=_MULTIPLY_ADD)


def _teach(symbol: Callable[..., Any], made: Any) -> None:
    def both(a, b):  # type: ignore[no-untyped-def] # the compiler wants the same signature as below
        return made(a, b)

    def of_lanes(a, b):  # type: ignore[no-untyped-def]
        return both if isinstance(a, _Lanes) and isinstance(b, _Lanes) else None

    overload(symbol)(of_lanes)


_teach(operator.add, _add)
_teach(operator.sub, _subtract)
_teach(operator.mul, _multiply)


def _place(context: Any, builder: Any, kind: Any, array: Any, index: Any) -> Any:
    return builder.gep(context.make_array(kind)(context, builder, array).data, [index])


def _row(context: Any, builder: Any, kind: Any, array: Any, index: Any) -> Any:
    return builder.bitcast(_place(context, builder, kind, array, index), _VECTOR.as_pointer())


def _joined(builder: Any, values: list[Any]) -> Any:
    joined = ir.Constant(_VECTOR, ir.Undefined)
    for value, lane in zip(values, _NUMBERS, strict=True):
        joined = builder.insert_element(joined, value, lane)
    return joined


def _call(builder: Any, name: str, result: Any, given: Any, flags: tuple[str, ...] = ()) -> Any:
    kind = ir.FunctionType(result, [one.type for one in given])
    function = _helpers.get_or_insert_function(builder.module, kind, f"llvm.{name}.v{LANES}f64")
    return builder.call(function, given, fastmath=flags)


@intrinsic
def spread(_context: Any, _value: Any) -> Any:
    """See `lanes`."""
    return _LANES(types.float64), lambda _c, builder, _s, given: _joined(builder, list(given) * LANES)


@intrinsic
def gathered(_context: Any, values: Any, starts: Any, _index: Any) -> Any:
    """See `lanes`."""

    def generate(context: Any, builder: Any, _signature: Any, given: Any) -> Any:
        begins = [builder.load(_place(context, builder, starts, given[1], lane)) for lane in _NUMBERS]
        places = [_place(context, builder, values, given[0], builder.add(begin, given[2])) for begin in begins]
        return _joined(builder, [builder.load(place) for place in places])

    return _LANES(values, starts, types.int64), generate


@intrinsic
def loaded(_context: Any, values: Any, _index: Any) -> Any:
    """See `lanes`."""

    def generate(context: Any, builder: Any, _signature: Any, given: Any) -> Any:
        return builder.load(_row(context, builder, values, *given), align=_ALIGNED)

    return _LANES(values, types.int64), generate


@intrinsic
def store(_context: Any, values: Any, _index: Any, _lanes: Any) -> Any:
    """See `lanes`."""

    def generate(context: Any, builder: Any, _signature: Any, given: Any) -> Any:
        builder.store(given[2], _row(context, builder, values, *given[:2]), align=_ALIGNED)
        return context.get_dummy_value()

    return types.none(values, types.int64, _LANES), generate


@intrinsic
def greater(_context: Any, _a: Any, _b: Any) -> Any:
    """See `lanes`."""
    return _LANES(_LANES, _LANES), lambda _c, builder, _s, given: _call(builder, "maxnum", _VECTOR, given)


@intrinsic
def magnitude(_context: Any, _values: Any) -> Any:
    """See `lanes`."""
    return _LANES(_LANES), lambda _c, builder, _s, given: _call(builder, "fabs", _VECTOR, given)


@intrinsic
def greatest(_context: Any, _values: Any) -> Any:
    """See `lanes`."""

    def generate(_context: Any, builder: Any, _signature: Any, given: Any) -> Any:
        return _call(builder, "vector.reduce.fmax", ir.DoubleType(), given, ("nnan",))

    return types.float64(_LANES), generate


COMPILED = {
    "spread": spread,
    "gathered": gathered,
    "loaded": loaded,
    "store": store,
    "greater": greater,
    "magnitude": magnitude,
    "greatest": greatest,
}
"""By the names that kernels call."""
