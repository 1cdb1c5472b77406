"""Compiled functions: made once, kept, loaded without the compiler; a damaged or missing copy costs time alone."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

import deep_tally
from deep_tally.engine import preparing
from deep_tally.engine.preparing import all_kernels, is_prepared, prepare
from deep_tally.work import compiled
from deep_tally.work.compiled import Kernel
from work import kernels_to_compile as kernels

X = np.array([1.0, 2.5, -3.0])


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """Where nothing is kept yet; and nothing is loaded, before and after."""
    monkeypatch.setattr(compiled, "_folders", lambda: (tmp_path / "first", tmp_path / "second"))
    for kernel in (kernels.doubled_sum, kernels.strided, kernels.largest):
        forget(kernel)
    yield tmp_path / "first"
    for kernel in (kernels.doubled_sum, kernels.strided, kernels.largest):
        forget(kernel)


def forget(kernel: object) -> Kernel:
    assert isinstance(kernel, Kernel)
    kernel.call = None
    return kernel


def test_a_function_gives_what_it_gives_uncompiled(folder: Path) -> None:
    assert kernels.doubled_sum(X) == 1.0
    assert isinstance(kernels.doubled_sum, Kernel)
    assert kernels.doubled_sum.__doc__ == "Twice the sum."
    wide = np.arange(12, dtype=np.float32)
    out = np.zeros((4, 2))
    assert kernels.strided(wide[::3], 10, out) == (4, 2)
    assert out.tolist() == [[0, 0], [30, 0], [60, 0], [90, 0]]
    raw = np.frombuffer(b"\x00" + np.array([3, 99, 7], "<i4").tobytes(), np.uint8)
    codes = np.ndarray((3,), "<i4", buffer=raw.data, offset=1)
    assert kernels.largest(codes) == 99
    assert kernels.largest(np.ndarray((2,), "<i4", buffer=raw.data, offset=1, strides=(8,))) == 7


def test_it_is_compiled_once_and_found_again(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    kernel = forget(kernels.doubled_sum)
    assert not kernel.is_ready
    assert kernels.doubled_sum(X) == 1.0
    assert kernel.is_ready
    assert len(list(folder.iterdir())) == 1
    forget(kernel)
    assert kernel.is_ready
    monkeypatch.setattr(Kernel, "_compile", None)  # it would fail
    assert kernels.doubled_sum(X) == 1.0


def test_code_that_was_compiled_in_another_way_is_not_taken(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def same_again() -> Kernel:
        again = compiled.compiled("i4", "unaligned i4[:]")(forget(kernels.largest).function)
        assert isinstance(again, Kernel)
        return again

    assert kernels.largest(np.array([3, 99], np.int32)) == 99
    assert same_again().is_ready
    (folder / "how.py").write_text("another way")
    monkeypatch.setattr(compiled, "_HOW_COMPILED", (folder / "how.py",))
    assert not same_again().is_ready


@pytest.mark.parametrize("hurt", ["empty", "short", "one bit", "another's"])
def test_a_damaged_copy_is_made_again(folder: Path, hurt: str) -> None:
    assert kernels.doubled_sum(X) == 1.0
    (kept,) = folder.iterdir()
    content = bytearray(kept.read_bytes())
    if hurt == "one bit":
        content[len(content) // 2] ^= 1
    kept.write_bytes({"empty": b"", "short": content[:-100], "one bit": content}.get(hurt, b"x" * 5000))
    kernel = forget(kernels.doubled_sum)
    assert not kernel.is_ready
    assert kernels.doubled_sum(X) == 1.0
    assert forget(kernel).is_ready


def test_what_cannot_be_kept_in_the_first_folder_is_kept_in_the_second(folder: Path) -> None:
    folder.write_text("in the way")
    assert kernels.doubled_sum(X) == 1.0
    assert len(list(folder.with_name("second").iterdir())) == 1
    assert forget(kernels.doubled_sum).is_ready


def test_what_can_be_kept_nowhere_works_all_the_same(folder: Path) -> None:
    for name in ("first", "second"):
        folder.with_name(name).write_text("in the way")
    assert kernels.doubled_sum(X) == 1.0
    assert not forget(kernels.doubled_sum).is_ready


@pytest.mark.parametrize(
    "value",
    [X.astype(np.float32), X[::2], X[:, None], np.array(1.0), X.astype(np.int64), X.astype(">f8")],
    ids=["single precision", "strided", "two dimensions", "none", "integers", "big-endian"],
)
def test_an_array_of_another_kind_is_refused(folder: Path, value: np.ndarray) -> None:
    with pytest.raises(TypeError, match=r"is none of f8\[::1\] of doubled_sum"):
        kernels.doubled_sum(value)


def test_rows_that_do_not_follow_each_other_are_refused(folder: Path) -> None:
    wide = np.arange(4, dtype=np.float32)
    for out in (np.zeros((4, 4))[:, :2], np.zeros((2, 4)).T, np.zeros((8, 2))[::2]):
        with pytest.raises(TypeError, match=r"is none of .* of strided"):
            kernels.strided(wide, 1, out)


def test_the_wrong_number_of_arguments_is_refused(folder: Path) -> None:
    with pytest.raises(ValueError, match="argument"):
        kernels.doubled_sum(X, X)  # type: ignore[call-arg]


def test_none_is_left_out_of_what_is_prepared() -> None:
    source = Path(deep_tally.__file__).parent
    said = sum(path.read_text("utf-8").count("\n@compiled(") for path in source.rglob("*.py"))
    assert len(all_kernels()) == said >= 9


def test_preparing_says_how_far_it_is_and_leaves_a_mark(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    ours = [kernels.doubled_sum, kernels.largest]
    monkeypatch.setattr(preparing, "all_kernels", lambda: ours)
    assert not is_prepared()
    said: list[tuple[int, int]] = []
    prepare(lambda done, total: said.append((done, total)))
    assert said == [(0, 2), (1, 2)]
    assert is_prepared()
    assert len(list(folder.iterdir())) == 3
    monkeypatch.setattr(preparing, "machine_says", lambda: ("another machine",))
    assert not is_prepared()


def test_what_is_prepared_is_loaded_without_the_compiler() -> None:
    code = (
        "import sys; from deep_tally.engine.preparing import all_kernels\n"
        "for kernel in all_kernels(): kernel.make_ready()\n"
        "print([m for m in sys.modules if m.split('.')[0] == 'numba'])"
    )
    for kernel in all_kernels():
        kernel.make_ready()
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
