"""What a worker does for one file: measures, what a file has lost, its progress, and samples for drawing."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.measure import job
from deep_tally.measure.excerpt import read_excerpt, read_excerpts
from deep_tally.measure.job import damage_of, measure_entry
from deep_tally.measure.one_pass import ABSURD
from deep_tally.measure.run import Measuring
from deep_tally.model.errors import DeepTallyError
from deep_tally.model.files import Damage, Entry, Intake, Role, SampleFormat, SoundFormat
from deep_tally.work.crew import Failed, Returned
from inline import Inline
from measure.test_run import _Told, intake
from sounds import RATE, chunk, measured, pcm_fmt, riff, sine, wav_bytes
from tracks import MEASURES, track

FORMAT = SoundFormat(
    container="wav", sample_format="int", bits=24, rate_hz=RATE, channels=2, frames=0, claimed_frames=0
)


class Progress:
    """Notes what a job says of how far it is."""

    def __init__(self) -> None:
        self.calls: list[tuple[int, int]] = []

    def __call__(self, done: int, total: int) -> None:
        self.calls.append((done, total))


def entry(path: Path) -> Entry:
    return Entry(path=path.name, source=path, role=Role.GROUP, song="s", bytes=path.stat().st_size)


def lost(frames: int, claimed: int, losses: tuple[str, ...] = ()) -> Damage | None:
    return damage_of(replace(FORMAT, frames=frames, claimed_frames=claimed, losses=losses))


# -- what is lost -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("seconds", "claimed", "words"),
    [
        (59.96, 65.0, "it stops at 0:59.9 of the 1:05.0 its header claims"),
        (0.1, 600.0, "it stops at 0:00.1 of the 10:00.0 its header claims"),
        (0.3, 3601.5, "it stops at 0:00.3 of the 60:01.5 its header claims"),
        (754.39, 754.41, "it stops at 12:34.3 of the 12:34.4 its header claims"),
    ],
)
def test_a_file_that_stops_early_says_where(seconds: float, claimed: float, words: str) -> None:
    damage = lost(round(seconds * RATE), round(claimed * RATE))
    assert damage is not None
    assert damage.problem == words


def test_what_was_lost_on_the_way_is_said_and_a_whole_file_has_lost_nothing() -> None:
    assert lost(RATE, RATE) is None
    assert lost(RATE + 1, RATE) is None
    damage = lost(RATE, RATE, ("a piece is missing", "another is damaged"))
    assert damage is not None
    assert damage.problem == "a piece is missing; another is damaged"


# -- the job ----------------------------------------------------------------------------------


def test_a_plain_file_is_measured_and_says_how_far_it_is(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", np.zeros((300_000, 2)), RATE, "PCM_16")
    progress = Progress()
    done = measure_entry(progress, entry(tmp_path / "a.wav"))
    assert (done.path, done.role, done.damage, done.unchecked) == ("a.wav", Role.GROUP, None, None)
    assert done.measures is not None
    assert done.format is not None
    assert done.measures.frames == done.format.frames == 300_000
    assert [call for call in progress.calls if call[0] < 300_000] == [(131_072, 300_000), (262_144, 300_000)]
    assert set(progress.calls[2:]) == {(300_000, 300_000)}


def test_a_file_that_is_decoded_says_how_far_it_is(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.flac", np.zeros((300_000, 2)), RATE, "PCM_16")
    progress = Progress()
    done = measure_entry(progress, entry(tmp_path / "a.flac"))
    assert done.measures is not None
    shares = [a / b for a, b in progress.calls]
    assert shares == sorted(shares)
    assert 0 < shares[0] < 0.5
    assert shares[-1] == 1.0


def test_a_file_that_ends_early_is_measured_up_to_there(tmp_path: Path) -> None:
    samples = np.rint(sine(440, 2.0, peak=8000)).astype("<i2").tobytes()
    whole = riff(chunk(b"fmt ", pcm_fmt()), chunk(b"data", samples))
    (tmp_path / "a.wav").write_bytes(whole[: -RATE * 2])
    done = measure_entry(Progress(), entry(tmp_path / "a.wav"))
    assert done.format is not None
    assert done.measures is not None
    assert (done.format.frames, done.format.claimed_frames, done.measures.frames) == (RATE, 2 * RATE, RATE)
    assert done.damage is not None
    assert done.damage.problem == "it stops at 0:01.0 of the 0:02.0 its header claims"


def test_what_is_no_sound_is_damage_and_what_is_gone_is_not_checked(tmp_path: Path) -> None:
    (tmp_path / "a.wav").write_bytes(b"RIFF nothing of the kind")
    done = measure_entry(Progress(), entry(tmp_path / "a.wav"))
    assert done.damage is not None
    assert done.measures is None
    known = Damage(problem="its header is torn", remedy="ask for the file again")
    again = Entry(path="a.wav", source=tmp_path / "a.wav", role=Role.GROUP, song="s", bytes=24, damage=known)
    assert measure_entry(Progress(), again).damage == known
    gone = Entry(path="b.wav", source=tmp_path / "b.wav", role=Role.GROUP, song="s", bytes=1)
    done = measure_entry(Progress(), gone)
    assert done.unchecked is not None
    assert done.damage is None
    assert done.role is Role.GROUP


@pytest.mark.parametrize(("sample_format", "claimed", "is_hurt"), [("lossy", 900, False), ("int", 1000, True)])
def test_a_lossy_files_length_is_only_estimated(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, sample_format: SampleFormat, claimed: int, is_hurt: bool
) -> None:
    estimated = replace(FORMAT, sample_format=sample_format, frames=1000, claimed_frames=1000)
    monkeypatch.setattr(job, "_measure", lambda *_: (estimated, replace(MEASURES, frames=900)))
    (tmp_path / "a.wav").write_bytes(wav_bytes())
    done = measure_entry(Progress(), entry(tmp_path / "a.wav"))
    assert done.format is not None
    assert (done.format.frames, done.format.claimed_frames) == (900, claimed)
    assert (done.damage is not None) is is_hurt


def test_what_is_decoded_to_disk_first_is_half_of_the_work(tmp_path: Path) -> None:
    # An MP3 is decoded, then measured.
    soundfile.write(tmp_path / "a.mp3", 0.1 * sine(440, 5.0), RATE, format="MP3")
    progress = Progress()
    done = measure_entry(progress, entry(tmp_path / "a.mp3"))
    assert done.measures is not None
    shares = [a / b for a, b in progress.calls]
    assert shares == sorted(shares)
    assert shares[-1] == 1.0
    assert shares[0] < 0.6


# -- samples for drawing ----------------------------------------------------------------------


@pytest.mark.parametrize("name", ["a.wav", "a.flac"])
def test_an_excerpt_is_the_samples_from_a_frame_on(tmp_path: Path, name: str) -> None:
    samples = np.random.default_rng(1).integers(-(2**15), 2**15, (5000, 2)) / 2**15
    soundfile.write(tmp_path / name, samples, RATE, "PCM_16")
    progress = Progress()
    excerpt = read_excerpt(progress, tmp_path / name, 1000, 300)
    assert (excerpt.frame, excerpt.samples.dtype) == (1000, np.float32)
    assert excerpt.samples == pytest.approx(samples[1000:1300])
    assert progress.calls[-1] == (300, 300)
    assert read_excerpt(progress, tmp_path / name, 4990, 300).samples == pytest.approx(samples[4990:])


def test_what_is_no_number_is_drawn_as_zero(tmp_path: Path) -> None:
    samples = np.array([0.5, np.nan, np.inf, -np.inf, -0.5])
    soundfile.write(tmp_path / "a.wav", samples, RATE, "FLOAT")
    assert read_excerpt(Progress(), tmp_path / "a.wav", 0, 5).samples[:, 0].tolist() == [0.5, 0, 0, 0, -0.5]


def test_excerpts_of_several_files_leave_out_what_cannot_be_read(tmp_path: Path) -> None:
    soundfile.write(tmp_path / "a.wav", np.full(100, 0.5), RATE, "PCM_16")
    progress = Progress()
    wanted = [
        ("one", tmp_path / "a.wav", 10, 20),
        ("gone", tmp_path / "b.wav", 0, 5),
        ("two", tmp_path / "a.wav", 0, 5),
    ]
    read = read_excerpts(progress, wanted)
    assert {name: (e.frame, len(e.samples)) for name, e in read.items()} == {"one": (10, 20), "two": (0, 5)}
    assert progress.calls == [(1, 3), (2, 3), (3, 3)]


# -- the run ----------------------------------------------------------------------------------


def test_a_run_measures_all_and_says_which_could_not_be(tmp_path: Path) -> None:
    def job(progress: object, of: Entry) -> object:
        if of.path == "b.wav":
            raise DeepTallyError("b.wav", problem="the disk is gone", remedy="plug it in")
        return track(of.path)

    measuring = Measuring(intake({"a.wav": 0, "b.wav": 3, "c.wav": 1}), Inline(), job=job)  # type: ignore[arg-type]
    assert (measuring.counts, measuring.share, measuring.at_work) == ((0, 3), 0.0, "a.wav")
    assert [t.path for t in measuring.poll()] == ["b.wav"]
    assert (measuring.counts, measuring.share) == ((1, 3), pytest.approx(3 / 5))
    assert [t.path for t in measuring.poll() + measuring.poll()] == ["c.wav", "a.wav"]
    assert measuring.is_done
    bad = measuring.by_path["b.wav"].unchecked
    assert bad is not None
    assert (bad.problem, bad.remedy) == ("the disk is gone", "plug it in")


def test_a_run_of_nothing_is_done() -> None:
    measuring = Measuring(Intake(source=Path("/x"), name="s", entries=()), _Told())
    assert (measuring.is_done, measuring.share, measuring.at_work, measuring.counts) == (True, 1.0, None, (0, 0))


def test_a_report_of_something_else_changes_nothing() -> None:
    measuring = Measuring(intake({"a.wav": 1}), _Told())
    assert not measuring.is_about(Returned("b.wav", track("b.wav")))
    assert measuring.take(Returned("b.wav", track("b.wav"))) is None
    assert measuring.counts == (0, 1)
    assert measuring.take(Failed("a.wav", "no", "none")) is not None
    assert measuring.take(Returned("a.wav", track("a.wav"))) is None, "it is done: what comes later is not its own"


# -- one pass ---------------------------------------------------------------------------------


def test_a_value_beyond_193_decibels_is_no_sound() -> None:
    samples = np.array([0.1, ABSURD * 0.75, -ABSURD * 0.75, ABSURD * 1.5, 0.1] * 20)
    found = measured(samples)
    assert (found.nonfinite.count(), found.overs.count()) == (20, 20)
    assert found.sample_peak_dbfs == pytest.approx(20 * np.log10(0.75 * 2.0**32))


def test_a_file_of_hardly_any_rate_has_measures() -> None:
    found = measured(0.5 * np.sin(np.arange(2000) / 3), rate=400)
    assert found.rms_dbfs == pytest.approx(-6.02, abs=0.05)
    assert found.edges.first_sound_frame is not None


def test_sound_on_an_offset_begins_where_it_moves() -> None:
    random = np.random.default_rng(2)
    signal = np.concatenate([np.zeros(2 * RATE), 0.02 * random.standard_normal(2 * RATE), np.zeros(RATE)])
    edges = measured(signal + 0.1, bits=24).edges
    assert edges.first_sound_frame == pytest.approx(2 * RATE, abs=5)
    assert edges.last_sound_frame == pytest.approx(4 * RATE, abs=5)
    assert edges.lead_floor_dbfs < -100


@pytest.mark.parametrize(("run", "frames"), [(6, 246), (5000, 4096)])
def test_the_worst_place_is_kept_with_what_lies_around_it(run: int, frames: int) -> None:
    signal = 0.3 * sine(100, 1.0)
    signal[1000 : 1000 + run] = 1.0
    signal[200:203] = 1.0
    worst = measured(signal, bits=16).worst_clip
    assert worst is not None
    assert (worst.frame, len(worst.samples)) == (880, frames)
    assert worst.samples[120:126, 0] == pytest.approx(np.full(6, 1.0), abs=1e-4)
