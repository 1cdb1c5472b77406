"""Every detector on the table of cases, on real recordings, and on clean deliveries: the false-alarm budget."""

from __future__ import annotations

import os
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import pytest
import soundfile

from detectors.cases import BASES, CASES, Case, Kept, deliver, run
from detectors.clean import FILES, write_clean
from detectors.recordings import recordings, spoken
from inline import check_inline

DELIVERIES = 20
FALSE_ASKS_ALLOWED = 1
"""Over twenty clean deliveries of twenty files (our catalogue)."""

ON = [(case, base) for case in CASES for base in BASES if base == "synthetic" or case.on_real]


def outcome(number: int, base: str) -> set[tuple[str, str]] | None:
    samples = BASES[base]()
    return run(CASES[number], samples) if samples is not None else None


@pytest.fixture(scope="session")
def outcomes() -> dict[tuple[int, str], set[tuple[str, str]] | None]:
    """What every case gives: on all cores at once, for there are many."""
    todo = [(CASES.index(case), base) for case, base in ON]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        return dict(zip(todo, pool.map(outcome, *zip(*todo, strict=True)), strict=True))


@pytest.mark.parametrize(("case", "base"), ON, ids=[f"{c.code}, {c.variant}, {b}" for c, b in ON])
def test_every_case_is_found_or_stays_silent(
    case: Case, base: str, outcomes: dict[tuple[int, str], set[tuple[str, str]] | None]
) -> None:
    found = outcomes[CASES.index(case), base]
    if found is None:
        pytest.skip("no real recording of speech is installed")
    if case.action is None:
        assert case.code not in {code for code, _ in found}
    else:
        assert (case.code, case.action) in found


def test_every_code_that_listens_has_a_positive_and_most_a_near_miss() -> None:
    positive = {c.code for c in CASES if c.action is not None}
    silent = {c.code for c in CASES if c.action is None}
    assert len(positive) >= 38
    assert len(positive & silent) >= 27
    assert {c.variant for c in CASES if c.code == "content.twin" and c.action} == {
        "exact",
        "scaled",
        "inverted",
        "shifted",
    }


def asks_of_clean(folder: Path, seed: int, seconds: float) -> list[str]:
    """What a clean delivery is asked in vain."""
    delivery = write_clean(folder / str(seed), seed, seconds=seconds)
    assessed = check_inline(delivery)
    assert len(assessed.sets[0].assessed) == FILES
    return [f"{f.code}: {', '.join(f.files)}" for f in assessed.findings if f.action.value == "ask"]


def test_twenty_clean_deliveries_are_asked_next_to_nothing(tmp_path: Path) -> None:
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        asked = list(pool.map(asks_of_clean, [tmp_path] * DELIVERIES, range(DELIVERIES), [8.0] * DELIVERIES))
    assert len(asked) == DELIVERIES
    assert sum(map(len, asked)) <= FALSE_ASKS_ALLOWED, asked


EXPECTED_ASKS = {
    "depth.low": "these recordings are 16 bit, or 8",
    "depth.padded": "these recordings are 16 bit in 24 or 32",
    "rate.differs": "single sounds of other rates stand beside a song at 48 kHz",
    "length.tail-cut": "short sounds cut close behind their end",
    "start.at-sound": "short sounds cut close before their start",
    "content.lossy": "Ogg Vorbis files",
    "content.lossy-origin": "Ogg Vorbis files, stored as WAV for this test",
    "length.short": "short sounds cut close behind their end",
    "start.cut-in": "a telephone's tone that begins at its full level",
    "start.codec-delay": "coded files",
    "clipping.baked": "some were clipped at their source",
    "content.empty": "an empty test file",
    "content.twin": "the plucked string comes in several containers",
    "name.generic": "a plain number",
    "headroom.quiet": "a quiet recording in 16 bits",
    "start.unplaced": "short sounds, which could begin anywhere in a song",
}
"""Why a real recording may be asked about; any other ask is a false alarm."""


@pytest.mark.skipif(os.environ.get("DEEP_TALLY_RECORDINGS") != "required", reason="only where they are required")
def test_the_real_recordings_are_installed() -> None:
    found = recordings()
    assert sum("alsa" in p.parts for p in found) >= 8
    assert sum("freedesktop" in p.parts for p in found) >= 30
    assert spoken(10.0) is not None


@pytest.mark.skipif(not recordings(), reason="no real recordings are installed")
@pytest.mark.parametrize("path", recordings(), ids=lambda p: p.name)
def test_no_real_recording_is_asked_about_without_a_reason(path: Path) -> None:
    try:
        samples, rate = soundfile.read(path, always_2d=True)
    except soundfile.LibsndfileError:
        pytest.skip("libsndfile does not read it")
    subtype = soundfile.info(path).subtype
    kept = Kept(samples, subtype=subtype if subtype in ("PCM_16", "PCM_24", "PCM_32") else "PCM_16", rate=rate)
    asked = {
        f.code for f in deliver({"20 Viol.wav": kept}).findings if f.action.value == "ask" and "20 Viol.wav" in f.files
    }
    assert asked <= set(EXPECTED_ASKS)
