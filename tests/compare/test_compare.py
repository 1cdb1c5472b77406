"""Files held against each other, on constructed songs whose relations are known: NumPy made them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import oaconvolve

from deep_tally.compare import twins
from deep_tally.compare.job import compare_song
from deep_tally.compare.sampled import read_at
from deep_tally.intake.walk import take_in
from deep_tally.measure.job import measure_entry
from deep_tally.model.comparison import Comparison
from deep_tally.model.files import Intake
from searching import examples
from sounds import RATE

SECONDS = 12


def part(seed: int, *, channels: int = 1, rest: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
    """A part of noisy notes, its own by its seed; silent from rest[0] to rest[1] seconds."""
    noise = np.random.default_rng((3, seed))
    out = np.zeros((SECONDS * RATE, channels))
    for at in np.sort(noise.uniform(0, SECONDS - 1, 30)):
        time = np.arange(RATE // 2) / RATE
        hz = 110 * 2 ** (noise.integers(0, 36) / 12)
        note = np.sin(2 * np.pi * hz * time) + 0.3 * noise.standard_normal(len(time))
        note *= np.exp(-noise.uniform(4, 12) * time) * noise.uniform(0.3, 1)
        start = round(at * RATE)
        out[start : start + len(note)] += note[:, None] * noise.uniform(0.4, 1.0, channels)
    out[round(rest[0] * RATE) : round(rest[1] * RATE)] = 0
    return out / np.abs(out).max() * 0.3


def delivered(folder: Path, files: dict[str, np.ndarray]) -> Intake:
    folder.mkdir(exist_ok=True)
    for name, samples in files.items():
        kind = "FLAC" if name.endswith("flac") else "WAV"
        soundfile.write(folder / name, samples, RATE, subtype="PCM_24", format=kind)
    return take_in([folder])


def compared(folder: Path, files: dict[str, np.ndarray]) -> Comparison:
    intake = delivered(folder, files)
    tracks = [measure_entry(lambda done, total: None, e) for e in intake.sounds]
    return compare_song(lambda done, total: None, intake.sounds, tracks)


def stereo(x: np.ndarray, left: float = 1.0, right: float = 1.0) -> np.ndarray:
    return np.repeat(x, 2, axis=1) * [left, right] if x.shape[1] == 1 else x * [left, right]


OTHERS = {f"{n:02d} Part {chr(64 + n)}.wav": part(n, channels=1 + n % 2) for n in range(1, 7)}


@pytest.mark.parametrize(
    ("kind", "make", "gain_db", "offset"),
    [
        ("exact", lambda x: x, 0.0, 0),
        ("scaled", lambda x: 0.4 * x, -7.96, 0),
        ("inverted", lambda x: -x, 0.0, 0),
        ("inverted", lambda x: -0.5 * x, -6.02, 0),
        ("shifted", lambda x: np.concatenate([np.zeros((777, x.shape[1])), x[:-777]]), 0.0, 777),
        ("shifted", lambda x: 0.7 * np.concatenate([x[333:], np.zeros((333, x.shape[1]))]), -3.1, -333),
    ],
)
@pytest.mark.parametrize("of", ["02 Part B.wav", "03 Part C.wav"])
def test_a_twin_is_reported_with_its_kind_gain_and_shift(
    tmp_path: Path, kind, make, gain_db: float, offset: int, of: str
) -> None:
    found = compared(tmp_path / "x", {**OTHERS, "20 Other.wav": make(OTHERS[of])})
    assert [(t.path, t.other, t.kind, t.offset_frames) for t in found.twins] == [("20 Other.wav", of, kind, offset)]
    assert found.twins[0].gain_db == pytest.approx(gain_db, abs=0.05)
    assert (found.sums, found.contained) == ((), ())


def test_a_twin_in_another_container_and_a_doubled_mono_are_found(tmp_path: Path) -> None:
    files = {**OTHERS, "20 B.flac": OTHERS["02 Part B.wav"], "21 D.wav": stereo(OTHERS["04 Part D.wav"], 0.5, 0.5)}
    found = compared(tmp_path / "x", files)
    assert {(t.path, t.other) for t in found.twins} == {("20 B.flac", "02 Part B.wav"), ("21 D.wav", "04 Part D.wav")}


def test_of_three_copies_two_are_reported_as_twins_of_the_first(tmp_path: Path) -> None:
    files = {"a.wav": OTHERS["02 Part B.wav"], "b.wav": OTHERS["02 Part B.wav"], "c.wav": OTHERS["02 Part B.wav"]}
    found = compared(tmp_path / "x", {**OTHERS, **files})
    assert [(t.path, t.other) for t in found.twins] == [(f, "02 Part B.wav") for f in ("a.wav", "b.wav", "c.wav")]


def test_same_but_for_processing_is_left_alone(tmp_path: Path) -> None:
    processed = np.tanh(2 * OTHERS["02 Part B.wav"]) / 2
    found = compared(tmp_path / "x", {**OTHERS, "20 B pressed.wav": processed})
    assert replace(found, sum_peak=None) == Comparison()


def test_unrelated_parts_have_no_relations(tmp_path: Path) -> None:
    assert replace(compared(tmp_path / "x", OTHERS), sum_peak=None) == Comparison()


def test_a_group_is_the_sum_of_its_parts_with_their_gains(tmp_path: Path) -> None:
    a, b, c = (OTHERS[f"{n:02d} Part {chr(64 + n)}.wav"] for n in (2, 3, 4))
    group = stereo(a, 0.5, 0.2) + stereo(b, 0.3, 0.3) + stereo(c, 0.1, 0.6)
    found = compared(tmp_path / "x", {**OTHERS, "30 Group.wav": group})
    assert [s.path for s in found.sums] == ["30 Group.wav"]
    gains = {path[:2]: db for path, db in found.sums[0].parts}
    assert gains == {
        "02": pytest.approx(-6.02, abs=0.05),
        "03": pytest.approx(-10.46, abs=0.05),
        "04": pytest.approx(-4.44, abs=0.05),
    }
    assert found.sums[0].residual_db < -90
    assert (found.twins, found.contained) == ((), ())


def test_the_mix_beside_its_parts_is_the_mix_of_all_of_them(tmp_path: Path) -> None:
    total = sum(stereo(x) for x in OTHERS.values()) * 0.3
    found = compared(tmp_path / "x", {**OTHERS, "40 Everything.wav": total})
    assert [(m.path, m.members, m.files) for m in found.mixes] == [("40 Everything.wav", tuple(OTHERS), 6)]
    assert found.sums == ()


@settings(max_examples=examples(6), deadline=None)
@given(seed=st.integers(0, 1000), count=st.integers(2, 5), data=st.data())
def test_any_weights_come_out_as_they_went_in(tmp_path_factory, seed: int, count: int, data) -> None:
    weights = data.draw(st.lists(st.floats(0.1, 0.9), min_size=count, max_size=count))
    parts = {f"{n} p.wav": part(seed * 10 + n) for n in range(2 * count)}  # what holds most others is a mix
    total = sum(w * x for w, x in zip(weights, parts.values(), strict=False))
    found = compared(tmp_path_factory.mktemp("w"), {**parts, "sum.wav": total})
    told = dict(found.sums[0].parts)
    for weight, name in zip(weights, parts, strict=False):
        assert told[name] == pytest.approx(20 * np.log10(weight), abs=0.1)


def test_a_file_that_holds_another_at_a_constant_gain_is_reported(tmp_path: Path) -> None:
    files = {**OTHERS, "20 Lute.wav": part(20, rest=(0, 6)), "21 Harp.wav": part(21)}
    files["21 Harp.wav"] = 0.6 * files["21 Harp.wav"] + 0.5 * files["20 Lute.wav"]
    found = compared(tmp_path / "x", files)
    assert [(h.path, h.inner) for h in found.contained] == [("21 Harp.wav", "20 Lute.wav")]
    assert found.contained[0].gain_db == pytest.approx(-6.02, abs=0.5)


def bleed(x: np.ndarray, noise: np.random.Generator) -> np.ndarray:
    """What a microphone a metre away hears of a neighbour: late, coloured, with its room."""
    response = np.zeros(2400)
    response[140] = 0.2
    response[150:] += noise.standard_normal(2250) * 0.02 * np.exp(-np.arange(2250) / 500)
    response = np.convolve(response, [0.5, 0.3, 0.15, 0.05])
    return oaconvolve(x[:, 0], response)[: len(x), None]


def echo(x: np.ndarray) -> np.ndarray:
    """The dry sound with its reverberation of a second: a wet version of the part."""
    noise = np.random.default_rng(9)
    response = np.concatenate(
        [[1.0], np.zeros(900), noise.standard_normal(RATE) * 0.02 * np.exp(-np.arange(RATE) / 9000)]
    )
    return oaconvolve(x[:, 0], response)[: len(x), None]


def test_bleed_and_reverberation_stay_silent(tmp_path: Path) -> None:
    noise = np.random.default_rng(4)
    lute = part(20, rest=(0, 6))
    files = {
        **OTHERS,
        "20 Lute.wav": lute,
        "21 Drum.wav": part(21) * 0.6 + bleed(lute, noise),
        "22 Wet.wav": 0.7 * echo(lute),
    }
    assert compared(tmp_path / "x", files).contained == ()


def test_split_pairs_find_the_right_partner_among_several(tmp_path: Path) -> None:
    files = dict(OTHERS)
    for number in (1, 2):
        wide = part(50 + number, channels=2)
        files[f"1{number} Gtr {number} L.wav"], files[f"2{number} Gtr {number} R.wav"] = wide[:, :1], wide[:, 1:]
    files["30 Room left.wav"], files["31 Room right.wav"] = part(60), part(61)
    found = compared(tmp_path / "x", files)
    pairs = {(p.left, p.right): p for p in found.pairs}
    assert set(pairs) == {
        ("11 Gtr 1 L.wav", "21 Gtr 1 R.wav"),
        ("12 Gtr 2 L.wav", "22 Gtr 2 R.wav"),
        ("30 Room left.wav", "31 Room right.wav"),
    }
    together = pairs["11 Gtr 1 L.wav", "21 Gtr 1 R.wav"].level_correlation
    apart = pairs["30 Room left.wav", "31 Room right.wav"].level_correlation
    assert together is not None
    assert together > 0.9
    assert apart is not None
    assert apart < 0.5


def test_sides_of_different_length_are_no_pair(tmp_path: Path) -> None:
    wide = part(50, channels=2)
    found = compared(tmp_path / "x", {**OTHERS, "11 Gtr L.wav": wide[:, :1], "12 Gtr R.wav": wide[:-500, 1:]})
    assert found.pairs == ()


def test_odd_files_beside_good_ones_cost_nothing(tmp_path: Path) -> None:
    odd = {
        "90 One.wav": np.full((1, 1), 0.5),
        "91 Zero.wav": np.zeros((RATE, 2)),
        "92 Offset.wav": np.full((3 * RATE, 1), 0.25),
        "93 Square.wav": np.sign(np.sin(np.arange(3 * RATE) / 70 + 0.1))[:, None] * 0.999,
        "94 Three.wav": np.repeat(part(70), 3, axis=1) * [1.0, 0.5, 0.1],
        "95 Noise.wav": np.random.default_rng(1).uniform(-1, 1, (3 * RATE, 2)),
    }
    found = compared(tmp_path / "x", {**OTHERS, **odd, "20 Other.wav": OTHERS["02 Part B.wav"]})
    assert [(t.path, t.other) for t in found.twins] == [("20 Other.wav", "02 Part B.wav")]
    assert found.sums == ()


def test_a_file_that_vanished_since_it_was_measured_costs_only_itself(tmp_path: Path) -> None:
    folder = tmp_path / "x"
    folder.mkdir()
    for name, samples in {**OTHERS, "20 Other.wav": OTHERS["02 Part B.wav"]}.items():
        soundfile.write(folder / name, samples, RATE, subtype="PCM_24")
    intake = take_in([folder])
    tracks = [measure_entry(lambda done, total: None, e) for e in intake.sounds]
    (folder / "05 Part E.wav").unlink()
    found = compare_song(lambda done, total: None, intake.sounds, tracks)
    assert [(t.path, t.other) for t in found.twins] == [("20 Other.wav", "02 Part B.wav")]
    assert [(u.what, u.files, u.problem) for u in found.unread] == [
        ("comparing", ("05 Part E.wav",), "the file is gone")
    ]
    # What was found without a file is not what is known of all of them.
    assert found.among({t.path for t in tracks}) is None


def test_of_copies_and_a_shifted_copy_each_is_reported_once(tmp_path: Path) -> None:
    x = OTHERS["02 Part B.wav"]
    late = np.concatenate([np.zeros((500, 1)), x[:-500]])
    found = compared(
        tmp_path / "x", {**OTHERS, "20 Same.wav": x, "21 Late.wav": late, "22 Later.wav": np.roll(late, 300)}
    )
    told = [(t.path, t.other, t.kind) for t in found.twins]
    assert told == [
        ("20 Same.wav", "02 Part B.wav", "exact"),
        ("21 Late.wav", "02 Part B.wav", "shifted"),
        ("22 Later.wav", "02 Part B.wav", "shifted"),
    ]


def test_files_of_one_shape_are_read_once_each_and_not_pair_by_pair(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # A thousand programmed strokes with one envelope took minutes, and were given up.
    time_s = np.arange(RATE) / RATE
    strokes = {
        f"{n:02d} Stroke.wav": (0.5 * np.cos(2 * np.pi * (100 + 17 * n) * time_s) * np.exp(-3 * time_s))[:, None]
        for n in range(12)
    }
    late = np.concatenate([np.zeros((700, 1)), strokes["03 Stroke.wav"][:-700]])
    reads: list[str] = []

    def counting(path: Path, *rest: object) -> np.ndarray:
        reads.append(path.name)
        return read_at(path, *rest)  # type: ignore[arg-type]

    monkeypatch.setattr(twins, "read_at", counting)
    found = compared(tmp_path / "x", {**strokes, "20 Late.wav": late})
    assert [(t.path, t.other, t.kind, t.offset_frames) for t in found.twins] == [
        ("20 Late.wav", "03 Stroke.wav", "shifted", 700)
    ]
    assert len(reads) <= len(strokes) + 1 + 2


def test_files_that_hear_each_other_are_transformed_once_each_and_not_pair_by_pair(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    # 96 files with one bleed took 27 s; after 120 s without a word a comparison is given up.
    bleed = part(90)
    files = {f"{n:02d} Part.wav": part(n + 20) + 0.5 * bleed for n in range(8)}
    transformed: list[int] = []
    transform = np.fft.rfft

    def counting(samples: np.ndarray, *rest: object, **options: object) -> np.ndarray:
        transformed.append(1)
        return transform(samples, *rest, **options)  # type: ignore[call-overload, no-any-return]

    intake = delivered(tmp_path / "x", files)
    tracks = [measure_entry(lambda done, total: None, e) for e in intake.sounds]
    monkeypatch.setattr(np.fft, "rfft", counting)
    compare_song(lambda done, total: None, intake.sounds, tracks)
    assert len(transformed) == len(files)
