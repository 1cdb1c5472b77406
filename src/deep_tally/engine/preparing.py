"""Machine code for this machine: made once, ahead of the first check, and said to be made: it takes half a minute."""

from __future__ import annotations

import hashlib
import importlib
from collections.abc import Callable
from pathlib import Path

import deep_tally
from deep_tally.work.compiled import Kernel, is_marked, machine_says, mark

_MODULES = (
    "intake.pcm",
    "measure.windows",
    "measure.flat_tops",
    "measure.edit_jumps",
    "measure.gaps",
    "measure.loudness",
    "measure.sides",
    "measure.truepeak",
)
"""Where the compiled functions are; a test finds any other."""


def is_prepared() -> bool:
    """Whether all machine code is there. Looks at no code itself: it costs a few milliseconds."""
    return is_marked(_key())


def prepare(progress: Callable[[int, int], None]) -> None:
    """Compile what this machine has no code of yet; `progress` is called with (functions that are ready, all)."""
    kernels = all_kernels()
    for number, kernel in enumerate(kernels):
        progress(number, len(kernels))
        kernel.make_ready()
    mark(_key())


def all_kernels() -> list[Kernel]:
    """All compiled functions."""
    modules = [importlib.import_module(f"deep_tally.{name}") for name in _MODULES]
    return [value for module in modules for value in vars(module).values() if isinstance(value, Kernel)]


def _key() -> str:
    """What all machine code depends on."""
    home = Path(deep_tally.__file__).parent
    digest = hashlib.blake2b(repr(machine_says()).encode(), digest_size=10)
    for name in (*_MODULES, "work.compiled"):
        digest.update(home.joinpath(*name.split(".")).with_suffix(".py").read_bytes())
    return digest.hexdigest()
