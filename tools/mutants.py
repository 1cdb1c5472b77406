"""Which conditions of the heart would no test miss? Small faults are put into a module one by one, and its tests run.

    python tools/mutants.py [--sample N] [--seed N] [MODULE ...]     as check/rules/length.py; without any, all

The faults are cosmic-ray's: another comparison, sum for difference, a number one off, a condition turned round, a loop
that does not run. Each is tried in a fork that has everything loaded but our own code. Prints what survived, and the
share that was found.
"""

from __future__ import annotations

import argparse
import importlib.util
import math
import os
import random
import re
import signal
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from importlib.abc import MetaPathFinder
from importlib.machinery import ModuleSpec
from pathlib import Path

import cosmic_ray.plugins
from cosmic_ray.ast import ast_nodes, get_ast
from cosmic_ray.mutating import mutate_code

ROOT = Path(__file__).resolve().parents[1]
SOURCE, TESTS = ROOT / "src" / "deep_tally", ROOT / "tests"
HEART = ("measure", "compare", "check")
_SECONDS_MORE, _TIMES_MOST = 10.0, 4.0
"""What a run with a fault may take longer than one without: after that it would never end, which is noticed, too."""
_IS_NO_CONDITION = re.compile(r"(^|[(,])\s*\*,|^@dataclass\(|^if TYPE_CHECKING:")
"""The star in a list of parameters is no product; how a class keeps its fields, and what only a type checker reads, is
no condition of the heart."""
_GUARDS_THE_WRITER = re.compile(r"strict=(True|False)")
"""Says of two sequences that they are equally long; nothing is decided by it."""
_SWAPS = ("Add_Sub", "Sub_Add", "Mul_Div", "Div_Mul", "FloorDiv_Mul", "Mod_Mul")
_KINDS = (
    "ReplaceComparisonOperator",
    "NumberReplacer",
    "ReplaceAndWithOr",
    "ReplaceOrWithAnd",
    "AddNot",
    "ReplaceTrueWithFalse",
    "ReplaceFalseWithTrue",
    "ReplaceUnaryOperator_USub_UAdd",
    "ReplaceBreakWithContinue",
    "ReplaceContinueWithBreak",
    "ZeroIterationForLoop",
)
_NEAREST = {
    **{"Gt": "GtE", "GtE": "Gt", "Lt": "LtE", "LtE": "Lt"},
    **{"Eq": "NotEq", "NotEq": "Eq", "Is": "IsNot", "IsNot": "Is"},
}
"""Of the comparisons another one could stand for, the one that is most easily overlooked."""


@dataclass(frozen=True, slots=True)
class Mutant:
    """One fault: where it is and how the module reads with it."""

    module: str
    line: int
    was: str
    text: str

    @property
    def now(self) -> str:
        """The line with the fault."""
        return self.text.splitlines()[self.line - 1].strip()


def operators() -> Iterator[str]:
    """The kinds of faults that are tried."""
    for name in cosmic_ray.plugins.operator_names():
        kind = name.partition("/")[2]
        if kind.startswith("ReplaceComparisonOperator_"):
            was, _, now = kind.removeprefix("ReplaceComparisonOperator_").partition("_")
            if _NEAREST.get(was) == now:
                yield name
        elif kind.removeprefix("ReplaceBinaryOperator_") in _SWAPS or kind in _KINDS:
            yield name


def mutants_of(module: str) -> Iterator[Mutant]:
    """All faults of one module."""
    path = SOURCE / module
    source = path.read_text("utf-8")
    lines = source.splitlines()
    for name in operators():
        operator = cosmic_ray.plugins.get_operator(name)()
        places = [place for node in ast_nodes(get_ast(source)) for place in operator.mutation_positions(node)]
        for occurrence, ((line, _), _) in enumerate(places):
            text = mutate_code(source, operator, occurrence)
            if text is not None and text != source:
                if _IS_NO_CONDITION.search(lines[line - 1]):
                    continue
                changed = next(n for n, (a, b) in enumerate(zip(lines, text.splitlines(), strict=False), 1) if a != b)
                if _GUARDS_THE_WRITER.sub("", text) == _GUARDS_THE_WRITER.sub("", source):
                    continue
                yield Mutant(module, changed, lines[changed - 1].strip(), text)


def tests_of(module: str) -> list[str]:
    """The tests that a module's faults should be found by."""
    room, _, file = module.partition("/")
    if room == "check":
        slow = {"test_demo.py", "test_from_sound.py"}
        tests = [p for p in sorted((TESTS / "check").rglob("test_*.py")) if p.name not in slow]
        own = f"test_{Path(module).name.lstrip('_')}"
        return [str(p) for p in sorted(tests, key=lambda p: p.name != own)]  # its own first: they find most
    if room == "compare":
        return [str(TESTS / "compare")]
    slow = {"test_wide_files.py", "test_pulse.py", "test_run.py"}
    own = TESTS / "measure" / f"test_{file}"
    others = [p for p in sorted((TESTS / "measure").glob("test_*.py")) if p != own and p.name not in slow]
    return [str(p) for p in (own, *others) if p.exists()]  # its own first: they find most


class _Instead(MetaPathFinder):
    """Loads one module from another file."""

    def __init__(self, name: str, path: Path) -> None:
        self._name, self._path = name, path

    def find_spec(self, fullname: str, path: object = None, target: object = None) -> ModuleSpec | None:
        return importlib.util.spec_from_file_location(fullname, self._path) if fullname == self._name else None


def survives(mutant: Mutant) -> bool:
    """In a process of its own: whether all tests pass with the fault."""
    import pytest

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / Path(mutant.module).name
        path.write_text(mutant.text, "utf-8")
        name = "deep_tally." + mutant.module.removesuffix(".py").replace("/", ".")
        sys.meta_path.insert(0, _Instead(name, path))
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        os.dup2(1, 2)
        options = ["-q", "-x", "-p", "no:cacheprovider", "-p", "no:faulthandler", "--rootdir", str(ROOT)]
        options += ["-W", "ignore::pytest.PytestAssertRewriteWarning"]  # it is loaded already, on purpose
        return pytest.main([*options, *tests_of(mutant.module)]) == 0


def try_all(mutants: Sequence[Mutant], workers: int, *, seconds_most: float = math.inf) -> list[Mutant]:
    """Those that no test finds."""
    at_work: dict[int, tuple[Mutant, float]] = {}
    waiting, alive = list(mutants), []
    while waiting or at_work:
        while waiting and len(at_work) < workers:
            mutant = waiting.pop()
            child = os.fork()
            if not child:
                os.setpgid(0, 0)
                os._exit(0 if survives(mutant) else 1)
            at_work[child] = mutant, time.monotonic()
        ended, status = os.waitpid(-1, os.WNOHANG)
        if ended:
            mutant, _ = at_work.pop(ended)
            if status == 0:
                alive.append(mutant)
                if mutant.was:
                    print(f"{mutant.module}:{mutant.line}: {mutant.was}\n    -> {mutant.now}", flush=True)
            continue
        for process, (_, begun) in at_work.items():
            if time.monotonic() - begun > seconds_most:
                os.killpg(process, signal.SIGKILL)
        time.sleep(0.02)
    return alive


def main() -> None:
    """Try the faults of the modules that are named."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("modules", nargs="*", metavar="MODULE")
    parser.add_argument("--sample", type=int, default=0, help="Try so many of each module's faults, drawn by --seed.")
    parser.add_argument("--seed", type=int, default=1)
    asked = parser.parse_args()
    heart = [p for room in HEART for p in sorted((SOURCE / room).rglob("[!_]*.py"))]
    modules = asked.modules or [str(p.relative_to(SOURCE)) for p in heart]
    for name in ("hypothesis", "numpy", "pytest", "scipy.signal", "scipy.optimize", "soundfile", "pydantic", "av"):
        __import__(name)
    tried = found = 0
    seconds: dict[frozenset[str], float] = {}  # what tests take without a fault
    for module in modules:
        mutants = list(mutants_of(module))
        random.Random(asked.seed).shuffle(mutants)
        mutants = mutants[: asked.sample] if asked.sample else mutants
        tests = frozenset(tests_of(module))
        if tests not in seconds:
            begun = time.monotonic()
            if not try_all([Mutant(module, 1, "", (SOURCE / module).read_text("utf-8"))], 1):
                sys.exit(f"{module}: its tests fail without any fault")
            seconds[tests] = time.monotonic() - begun
        most = _SECONDS_MORE + _TIMES_MOST * seconds[tests]
        alive = try_all(mutants, len(os.sched_getaffinity(0)), seconds_most=most)
        tried, found = tried + len(mutants), found + len(mutants) - len(alive)
        if mutants:
            print(f"{module}: {len(mutants) - len(alive)} of {len(mutants)} found", flush=True)
    print(f"{found} of {tried} found, {found / max(1, tried):.0%}")


if __name__ == "__main__":
    main()
