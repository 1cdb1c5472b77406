"""Small functions over arrays, compiled to machine code once for this machine, and loaded from the user's cache then.

numba compiles them, and takes most of a second merely to be imported: a process that only runs them never does so. What
numba made is kept as object code. LLVM's loader puts it into memory in milliseconds, and it is called through ctypes,
which lets other threads run meanwhile.
"""

from __future__ import annotations

import ctypes
import hashlib
import inspect
import os
import sys
from collections.abc import Callable, Mapping
from contextlib import suppress
from functools import cache, cached_property
from importlib import metadata
from pathlib import Path
from types import FunctionType, MappingProxyType
from typing import Any, Literal, ParamSpec, TypeVar, cast

import numpy as np
from platformdirs import user_cache_path

from deep_tally.work.entry import ENTRY, UNFIT, entry_code
from deep_tally.work.extremes import extremes

P = ParamSpec("P")
R = TypeVar("R")

_SUMS_IN_ANY_ORDER = {"reassoc", "contract", "nnan", "ninf", "nsz"}
_SUM_BYTES, _SIZE_BYTES = 16, 8
_MARK = "prepared-"
_HOW_COMPILED = tuple(
    str(Path(__file__).with_name(name))
    for name in ("compiled.py", "entry.py", "extremes.py", "lanes.py", "lanes_compiled.py")
)
_SCALARS: Mapping[str, Any] = MappingProxyType({"f8": ctypes.c_double, "i8": ctypes.c_int64, "i4": ctypes.c_int32})
_POINTER = ctypes.c_void_p
_ERROR = ctypes.byref(_POINTER())
"""Where a function would say what it raises; none does."""


def compiled(
    result: str, *arguments: str, finite: bool = False, helpers: tuple[Callable[..., Any], ...] = ()
) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Decorate a function so that it runs compiled. It may not make arrays: what it fills it is given.

    Parameters
    ----------
    result : str
        What it returns: "f8", "i8", "i4", or several of one kind, as "f8*5".
    arguments : str
        Of each argument: a scalar as above, or an array with its layout, as "f8[::1]", "f4[:]", "f8[:, ::1]";
        "unaligned i4[:]" for one whose elements begin anywhere.
    finite : bool
        Whether samples are known to be finite: then sums may be taken in any order, several at once.
    helpers : tuple of callable
        Functions of the same module that it calls; they are compiled into it.
    """

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        return cast("Callable[P, R]", Kernel(cast("FunctionType", function), result, arguments, finite, helpers))

    return decorate


class Kernel:
    """One compiled function. It is made ready when it is first called, or by `make_ready`."""

    def __init__(
        self,
        function: FunctionType,
        result: str,
        arguments: tuple[str, ...],
        finite: bool,
        helpers: tuple[Callable[..., Any], ...],
    ) -> None:
        self.function = function
        self.__doc__, self.__name__, self.__module__ = function.__doc__, function.__name__, function.__module__
        self._kind, _, count = result.partition("*")
        self._count = int(count or 1)
        self._arguments = [_Argument(a) for a in arguments]
        self._finite = finite
        self._helpers = helpers
        self._arrays = [a.dtype if a.dimensions else None for a in self._arguments]
        self._said = ", ".join(arguments)
        self._result = _SCALARS[self._kind] * self._count
        self.call: Callable[..., int] | None = None
        self._engine: Any = None

    def __call__(self, *values: Any) -> Any:
        call = self.call or self.make_ready()
        out = self._result()
        flat: list[Any] = [out, _ERROR]
        # Called a thousand times for a file: as little as can be is done here.
        for value, dtype in zip(values, self._arrays, strict=True):
            if dtype is None:
                flat.append(value)
            elif value.__class__ is np.ndarray and value.dtype == dtype:
                flat.append(id(value))
            else:
                raise self._refused(value)
        state = call(*flat)
        if state == UNFIT:
            fits = [_fits(v, a) for v, a in zip(values, self._arguments, strict=True)]
            raise self._refused(values[fits.index(False)])
        if state:
            raise RuntimeError(f"{self.__name__} failed")  # nothing in a kernel can raise
        return out[0] if self._count == 1 else tuple(out)

    def _refused(self, value: Any) -> TypeError:
        array = np.asarray(value)
        return TypeError(f"{array.dtype}{list(array.strides)} is none of {self._said} of {self.__name__}")

    def make_ready(self) -> Callable[..., int]:
        """Load the function's machine code, compiling it where this machine has none yet; returns how to call it."""
        import llvmlite.binding as llvm  # a tenth of a second: for those who call a kernel only

        kept = self._kept() or self._compile()
        machine = _machine(llvm)
        engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), machine)  # which takes the machine over
        for code in kept:
            engine.add_object_file(llvm.ObjectFileRef.from_data(code))
        engine.finalize_object()
        flat = [argument.kind for argument in self._arguments]
        self._engine = engine  # the code lives as long as this
        self.call = ctypes.CFUNCTYPE(ctypes.c_int32, _POINTER, _POINTER, *flat)(engine.get_function_address(ENTRY))
        return self.call

    @property
    def is_ready(self) -> bool:
        """Whether this machine has its code."""
        return self.call is not None or self._kept() is not None

    @cached_property
    def _file(self) -> str:
        """The name under which the machine code is kept: by all that it depends on."""
        source = b"".join(Path(file).read_bytes() for file in (inspect.getfile(self.function), *_HOW_COMPILED))
        said = (self._kind, self._count, [a.said for a in self._arguments], self._finite, machine_says())
        key = hashlib.blake2b(source + repr(said).encode(), digest_size=10).hexdigest()
        return f"{self.__module__.rpartition('.')[2]}.{self.__name__}-{key}"

    def _kept(self) -> tuple[bytes, bytes] | None:
        """The machine code of the function and of its entry, if they are kept and whole."""
        for folder in _folders():
            with suppress(OSError):
                kept = (folder / self._file).read_bytes()
                digest, content = kept[:_SUM_BYTES], kept[_SUM_BYTES:]
                if hashlib.blake2b(content, digest_size=_SUM_BYTES).digest() == digest:
                    size = int.from_bytes(content[:_SIZE_BYTES], "little")
                    return content[_SIZE_BYTES : _SIZE_BYTES + size], content[_SIZE_BYTES + size :]
        return None

    def _compile(self) -> tuple[bytes, bytes]:
        """Compile the function and keep the result where that can be written."""
        import llvmlite.binding as llvm
        from numba import njit

        from deep_tally.work.lanes_compiled import COMPILED

        options: dict[str, Any] = {
            "error_model": "numpy",
            "fastmath": _SUMS_IN_ANY_ORDER if self._finite else {"contract"},
        }
        scope = {**self.function.__globals__, **(extremes() if self._finite else {})}
        scope.update((name, made) for name, made in COMPILED.items() if name in scope)
        for helper in self._helpers:
            scope[helper.__name__] = njit(**options)(FunctionType(helper.__code__, scope, helper.__name__))
        function = FunctionType(self.function.__code__, scope, self.function.__name__)
        function.__module__ = "deep_tally"
        made = njit(tuple(a.numba() for a in self._arguments), nogil=True, **options)(function)
        overload: Any = next(iter(made.overloads.values()))
        code = overload.library._get_compiled_object()
        arguments = [(a.dtype, a.dimensions, a.is_contiguous) for a in self._arguments]
        entry = entry_code(overload.fndesc.llvm_func_name, arguments, _machine(llvm))
        content = len(code).to_bytes(_SIZE_BYTES, "little") + code + entry
        self._keep(hashlib.blake2b(content, digest_size=_SUM_BYTES).digest() + content)
        return code, entry

    def _keep(self, content: bytes) -> None:
        """Keep machine code in the first folder that takes it; where none does, it is made again the next time."""
        for folder in _folders():
            with suppress(OSError):
                folder.mkdir(parents=True, exist_ok=True, mode=0o700)
                unfinished = folder / f"{self._file}.{os.getpid()}"
                unfinished.write_bytes(content)
                unfinished.replace(folder / self._file)
                return


class _Argument:
    """How one argument is handed over: numba's own convention for scalars and arrays."""

    def __init__(self, said: str) -> None:
        self.said = said
        self._is_unaligned = said.startswith("unaligned ")
        kind, bracket, layout = said.removeprefix("unaligned ").partition("[")
        self.dimensions = layout.count(",") + 1 if bracket else 0
        self.is_contiguous = "::1" in layout
        self.dtype = np.dtype(kind)
        self.kind = _POINTER if self.dimensions else _SCALARS[kind]

    def numba(self) -> Any:
        """The type by which numba knows it."""
        from numba import from_dtype, types

        kind: Any = from_dtype(self.dtype)
        if not self.dimensions:
            return kind
        layout: Literal["C", "A"] = "C" if self.is_contiguous else "A"
        return types.Array(kind, self.dimensions, layout, aligned=not self._is_unaligned)


def _fits(value: Any, argument: _Argument) -> bool:
    if not argument.dimensions:
        return True
    return value.ndim == argument.dimensions and (value.flags.c_contiguous or not argument.is_contiguous)


def is_marked(key: str) -> bool:
    """Whether a mark of this name was left beside the machine code."""
    return any((folder / f"{_MARK}{key}").exists() for folder in _folders())


def mark(key: str) -> None:
    """Leave a mark beside the machine code, where that can be kept."""
    for folder in _folders():
        with suppress(OSError):
            (folder / f"{_MARK}{key}").touch()
            return


def _folders() -> tuple[Path, ...]:
    """Where machine code is kept: beside the program where that can be written, else in the XDG cache folder."""
    return Path(__file__).parent / "__pycache__", user_cache_path("deep-tally") / "kernels"


@cache
def machine_says() -> tuple[str, ...]:
    """What else the code depends on: compiler, how NumPy keeps arrays, what the processor can do (proc(5), cpuinfo)."""
    flags = ""
    with suppress(OSError):
        lines = Path("/proc/cpuinfo").read_text().splitlines()
        flags = next((line for line in lines if line.startswith(("flags", "Features"))), "")
    return *map(metadata.version, ("numba", "llvmlite", "numpy")), sys.version, os.uname().machine, flags


def _machine(llvm: Any) -> Any:
    """This machine, for which code is made or loaded."""
    _begin(llvm)
    return llvm.Target.from_default_triple().create_target_machine()


@cache
def _begin(llvm: Any) -> None:
    """Make LLVM's loader ready.

    Beside the function itself the code holds a way to call it from Python, which nobody takes: what it needs of numba
    stands in for by a function that does nothing.
    """
    llvm.initialize_native_target()
    llvm.initialize_native_asmprinter()
    for name in _NEVER_CALLED:
        llvm.add_symbol(name, ctypes.cast(_NOTHING, ctypes.c_void_p).value)


_NEVER_CALLED = (
    "NRT_MemInfo_call_dtor",
    "NRT_adapt_ndarray_from_python",
    "NRT_adapt_ndarray_to_python_acqref",
    "numba_gil_ensure",
    "numba_gil_release",
    "numba_unpickle",
)
_NOTHING = ctypes.CFUNCTYPE(None)(lambda: None)
