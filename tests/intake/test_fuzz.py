"""Hurt headers of every container: one sentence or a reading, never anything else, and no memory beyond the file's.

`tools/fuzz.py` does the same for as long as one likes.
"""

from __future__ import annotations

import tracemalloc
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from deep_tally.intake.midi import read_midi
from deep_tally.intake.reading import open_plain
from deep_tally.intake.walk import take_in
from deep_tally.measure.job import measure_entry
from deep_tally.model.errors import NothingToCheck, UnreadableSound
from deep_tally.model.files import Entry, Role
from mutations import PLAIN, mutated, seeds
from searching import examples

MEMORY_FACTOR, MEMORY_BASE = 16, 4 << 20
"""Samples as float64 are at most 8 times a file of 8 bits, and stand beside its bytes and texts."""

_many = settings(max_examples=examples(60), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
_some = settings(max_examples=examples(6), deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])


@pytest.mark.parametrize("kind", sorted({*PLAIN, "bwf"}))
@_many
@given(seed=st.integers(0, 2**32))
def test_plain_files_with_hurt_headers_are_read_or_refused_in_bounds(tmp_path: Path, kind: str, seed: int) -> None:
    path = tmp_path / "x"
    content = mutated(seeds()[kind], np.random.default_rng(seed))
    path.write_bytes(content)
    refused = "x: "
    tracemalloc.start()
    try:
        reader = open_plain(path)
        if reader is not None:
            with reader:
                assert 0 <= reader.format.frames <= len(content)
                assert len(reader.read(0, 1 << 40).samples) == reader.format.frames
    except UnreadableSound as error:
        refused = str(error)
    finally:
        _, peak = tracemalloc.get_traced_memory()
        tracemalloc.stop()
    assert refused.startswith("x: ")
    assert peak <= MEMORY_FACTOR * len(content) + MEMORY_BASE


@pytest.mark.parametrize("kind", sorted(set(seeds()) - {"zip", "midi"}))
@_some
@given(seed=st.integers(0, 2**32))
def test_any_file_with_a_hurt_header_comes_back_measured_or_damaged(tmp_path: Path, kind: str, seed: int) -> None:
    path = tmp_path / "x.wav"
    path.write_bytes(mutated(seeds()[kind], np.random.default_rng(seed)))
    entry = Entry(path="x.wav", source=path, role=Role.TRACKOUT, bytes=path.stat().st_size)
    track = measure_entry(lambda done, total: None, entry)
    assert track.measures is not None or track.damage is not None


@_many
@given(seed=st.integers(0, 2**32))
def test_hurt_zips_and_midi_files_are_taken_in_or_reported(tmp_path_factory: pytest.TempPathFactory, seed: int) -> None:
    folder = tmp_path_factory.mktemp("hurt")
    into = tmp_path_factory.mktemp("private")
    random = np.random.default_rng(seed)
    (folder / "a.zip").write_bytes(mutated(seeds()["zip"], random))
    (folder / "b.mid").write_bytes(mutated(seeds()["midi"], random))
    try:
        intake = take_in([folder], unpack_into=into)
    except NothingToCheck:
        return
    assert all(e.source.is_relative_to(folder) or e.source.is_relative_to(into) for e in intake.entries)
    read_midi(folder / "b.mid")
