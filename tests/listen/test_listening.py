"""What is heard, against arithmetic on the samples themselves; the player with its simulated output."""

from __future__ import annotations

import math
import os
import signal
import sys
import time
import types
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from deep_tally.listen.mixer import Mixer
from deep_tally.listen.outputs import DeviceOutput, NoDevice, open_output
from deep_tally.listen.peak_bound import Addend, attenuation_db, sum_bound_dbfs
from deep_tally.listen.plan import Begun, Change, Controls, Ended, Heard, Missing, Plan, Play, PlayerReport, Voice
from deep_tally.listen.player import PlayedPlan
from deep_tally.listen.player_process import Player
from deep_tally.listen.ring import Ring
from searching import examples
from sounds import measured

RATE = 48_000


def write(path: Path, samples: np.ndarray, *, rate: int = RATE, kind: str = "PCM_24") -> Path:
    soundfile.write(path, samples, rate, kind)
    return path


@pytest.fixture
def files(tmp_path: Path) -> list[Voice]:
    """Four files of other depths, channels and places."""
    random = np.random.default_rng(5)
    made = [
        ("a.wav", random.uniform(-0.2, 0.2, (30_000, 2)), "PCM_24", 0),
        ("b.wav", random.uniform(-0.2, 0.2, (20_011, 1)), "PCM_16", 3_333),
        ("c.wav", random.uniform(-0.2, 0.2, (25_000, 2)), "FLOAT", -1_001),
        ("d.wav", random.uniform(-0.2, 0.2, (9_999, 1)), "PCM_24", 12_345),
    ]
    return [
        Voice(path=name, source=write(tmp_path / name, samples, kind=kind), start_frames=start)
        for name, samples, kind, start in made
    ]


def sum_by_hand(voices: list[Voice], frames: int) -> np.ndarray:
    """float64, file after file in their order, read by another library."""
    total = np.zeros((frames, 2))
    for voice in voices:
        samples, _ = soundfile.read(voice.source, dtype="float64", always_2d=True)
        for side in range(2):
            line = np.zeros(frames)
            first = max(0, voice.start_frames)
            part = samples[first - voice.start_frames :, min(side, samples.shape[1] - 1)][: max(0, frames - first)]
            line[first : first + len(part)] = part
            total[:, side] += line
    return total


def mixed(voices: list[Voice], frames: int, controls: Controls | None = None, rate: int = RATE) -> np.ndarray:
    mixer = Mixer(voices, rate, tell=lambda missing: pytest.fail(missing.words))
    blocks = [mixer.mix(at, min(1_000, frames - at), controls or Controls())[0] for at in range(0, frames, 1_000)]
    mixer.close()
    return np.concatenate(blocks)


@pytest.fixture
def player() -> Iterator[Player]:
    made = Player(simulated=True)
    yield made
    made.close()


def until_ended(player: Player, seconds: float = 30.0) -> list[PlayerReport]:
    reports: list[PlayerReport] = []
    deadline = time.monotonic() + seconds
    while player.is_playing:
        assert time.monotonic() < deadline
        reports += player.poll()
        time.sleep(0.005)
    return reports


# -- the sum ----------------------------------------------------------------------------------


def test_what_the_simulated_output_wrote_is_the_float64_sum_rounded_once(
    files: list[Voice], player: Player, tmp_path: Path
) -> None:
    played = tmp_path / "played.wav"
    player.play(Plan(rate_hz=RATE, voices=tuple(files), end_s=0.7, record_to=played), Controls(), 0.0)
    reports = until_ended(player)
    frames = round(0.7 * RATE)
    written, rate = soundfile.read(played, dtype="float32", always_2d=True)
    assert (rate, soundfile.info(played).subtype) == (RATE, "FLOAT")
    expected = sum_by_hand(files, frames).astype(np.float32)
    assert written[:frames].tobytes() == expected.tobytes()
    assert not written[frames:].any()
    begun = next(r for r in reports if isinstance(r, Begun))
    assert (begun.is_simulated, begun.output) == (True, "simulated")
    assert reports[-1] == Ended()


def test_playing_begins_at_the_very_frame_it_is_asked_for(files: list[Voice], player: Player, tmp_path: Path) -> None:
    played = tmp_path / "played.wav"
    player.play(Plan(rate_hz=RATE, voices=tuple(files), end_s=0.6, record_to=played), Controls(), 0.25)
    until_ended(player)
    written, _ = soundfile.read(played, dtype="float32", always_2d=True)
    expected = sum_by_hand(files, round(0.6 * RATE)).astype(np.float32)[round(0.25 * RATE) :]
    assert np.array_equal(written[: len(expected)], expected)


def test_a_loop_comes_round_without_a_seam(files: list[Voice], player: Player, tmp_path: Path) -> None:
    played = tmp_path / "played.wav"
    loop = (4_000, 9_000)
    plan = Plan(rate_hz=RATE, voices=tuple(files), end_s=0.6, record_to=played)
    player.play(plan, Controls(loop=loop), 2_000 / RATE)
    deadline = time.monotonic() + 20
    turns = 0
    last = 0.0
    while turns < 3:
        assert time.monotonic() < deadline
        for report in player.poll():
            if isinstance(report, Heard):
                turns += report.seconds < last
                last = report.seconds
        time.sleep(0.005)
    player.halt()
    until_ended(player)
    written, _ = soundfile.read(played, dtype="float32", always_2d=True)
    whole = sum_by_hand(files, 9_000).astype(np.float32)
    expected = np.concatenate([whole[2_000:], whole[4_000:], whole[4_000:]])
    assert np.array_equal(written[: len(expected)], expected)


@pytest.mark.parametrize(
    ("controls", "heard"),
    [
        (Controls(silent=frozenset({"b.wav", "c.wav", "d.wav"})), lambda a, rest: a),
        (
            Controls(ear="mono", silent=frozenset({"b.wav", "c.wav", "d.wav"})),
            lambda a, rest: (a[:, :1] + a[:, 1:]) / 2,
        ),
        (
            Controls(ear="side", silent=frozenset({"b.wav", "c.wav", "d.wav"})),
            lambda a, rest: (a[:, :1] - a[:, 1:]) / 2,
        ),
        (Controls(is_swapped=True), lambda a, rest: (a + rest)[:, ::-1]),
        (Controls(down_db=12.0), lambda a, rest: (a + rest) * 10 ** (-12 / 20)),
        (Controls(gains_db={"a.wav": -6.0}), lambda a, rest: a * 10 ** (-6 / 20) + rest),
    ],
)
def test_controls_do_what_they_say(files: list[Voice], controls: Controls, heard: Any) -> None:
    a, rest = sum_by_hand(files[:1], 20_000), sum_by_hand(files[1:], 20_000)
    expected = np.broadcast_to(heard(a, rest), (20_000, 2))
    assert mixed(files, 20_000, controls) == pytest.approx(expected, abs=1e-7)


def test_sum_and_rough_mix_are_heard_one_at_a_time(files: list[Voice]) -> None:
    mix = Voice(path="d.wav", source=files[3].source, start_frames=files[3].start_frames, bus="mix")
    voices = [*files[:3], mix]
    assert np.array_equal(mixed(voices, 20_000), sum_by_hand(files[:3], 20_000).astype(np.float32))
    heard = mixed(voices, 20_000, Controls(bus="mix"))
    assert np.array_equal(heard, sum_by_hand([files[3]], 20_000).astype(np.float32))


def test_nothing_leaves_over_full_scale_and_what_was_held_is_counted(tmp_path: Path) -> None:
    loud = np.full((1_000, 1), 0.8)
    voices = [Voice(path=n, source=write(tmp_path / n, loud, kind="FLOAT")) for n in ("a.wav", "b.wav")]
    mixer = Mixer(voices, RATE, tell=lambda missing: None)
    heard, over = mixer.mix(0, 1_200, Controls())
    assert (np.abs(heard).max(), over) == (1.0, 1_000)
    turned_down, over = mixer.mix(0, 1_200, Controls(down_db=4.1))
    assert over == 0
    assert np.abs(turned_down).max() == pytest.approx(1.6 * 10 ** (-4.1 / 20), abs=1e-6)


def test_what_is_no_number_is_silent(tmp_path: Path) -> None:
    samples = np.array([[0.5], [math.nan], [math.inf], [0.25]])
    voice = Voice(path="a.wav", source=write(tmp_path / "a.wav", samples, kind="FLOAT"))
    assert mixed([voice], 4)[:, 0].tolist() == [0.5, 0.0, 0.0, 0.25]


# -- other rates ------------------------------------------------------------------------------


@pytest.mark.parametrize("own", [44_100, 96_000, 22_050])
def test_a_file_of_another_rate_keeps_its_place_and_its_sound(tmp_path: Path, own: int) -> None:
    seconds, hz = 1.0, 997.0
    sine = 0.5 * np.sin(2 * np.pi * hz * np.arange(round(seconds * own)) / own)
    start = own // 10
    voice = Voice(path="a.wav", source=write(tmp_path / "a.wav", sine, rate=own, kind="FLOAT"), start_frames=start)
    heard = mixed([voice], RATE)[:, 0]
    # The same sine by its formula, a tenth of a second later; the filter's ringing at its ends left out.
    when = np.arange(RATE) / RATE - 0.1
    expected = 0.5 * np.sin(2 * np.pi * hz * when)
    inside = (when > 0.05) & (when < seconds - 0.05)
    assert heard[inside] == pytest.approx(expected[inside], abs=0.5 * 10 ** (-100 / 20))
    assert np.abs(heard[when < -0.01]).max() < 1e-6


def test_a_converted_file_sounds_the_same_wherever_playing_begins(tmp_path: Path) -> None:
    random = np.random.default_rng(2).uniform(-0.3, 0.3, 44_100)
    voice = Voice(path="a.wav", source=write(tmp_path / "a.wav", random, rate=44_100, kind="FLOAT"))
    whole = mixed([voice], 40_000)
    mixer = Mixer([voice], RATE, tell=lambda missing: None)
    for start in (0, 1, 12_347, 30_001):
        part, _ = mixer.mix(start, 700, Controls())
        assert part == pytest.approx(whole[start : start + 700], abs=1e-6)


# -- how loud it can get ----------------------------------------------------------------------


@settings(max_examples=examples(40), deadline=None)
@given(st.integers(0, 2**31), st.lists(st.tuples(st.floats(-2.0, 2.0), st.floats(-12.0, 12.0)), min_size=1, max_size=4))
def test_no_sum_is_louder_than_its_bound(seed: int, placed: list[tuple[float, float]]) -> None:
    random = np.random.default_rng(seed)
    total, addends = np.zeros(RATE * 8), []
    for start_s, gain_db in placed:
        samples = random.uniform(-1, 1, int(random.integers(100, RATE * 2))) * random.uniform(0.01, 1)
        first = round(start_s * RATE)
        addends.append(Addend(measures=measured(samples), rate_hz=RATE, start_s=first / RATE, gain_db=gain_db))
        total[first + 3 * RATE :][: len(samples)] += samples * 10 ** (gain_db / 20)
    peak = 20 * math.log10(np.abs(total).max())
    bound = sum_bound_dbfs(addends)
    assert bound >= peak
    # and it is the sum of the peaks at most
    peaks = sum(10 ** ((a.measures.sample_peak_dbfs + a.gain_db) / 20) for a in addends)
    assert bound <= 20 * math.log10(peaks) + 0.02


def test_files_that_never_meet_are_not_turned_down() -> None:
    loud = measured(np.full(RATE, 0.9))
    apart = [Addend(measures=loud, rate_hz=RATE, start_s=start) for start in (0.0, 1.5)]
    assert attenuation_db(sum_bound_dbfs(apart)) == 0.0
    together = [Addend(measures=loud, rate_hz=RATE, start_s=start) for start in (0.0, 0.5)]
    assert attenuation_db(sum_bound_dbfs(together)) == pytest.approx(20 * math.log10(1.8), abs=0.11)
    assert sum_bound_dbfs([]) == -math.inf
    assert attenuation_db(-math.inf) == 0.0


# -- the ring ---------------------------------------------------------------------------------


def test_a_gap_is_silence_and_counted_once() -> None:
    ring = Ring(RATE, 0)
    ring.take(100)  # nothing was there yet: no gap before it begins
    ring.put(0, np.full((150, 2), 0.5, np.float32), 0)
    assert ring.take(100).min() == 0.5
    late = ring.take(100)
    assert (late[:50].min(), late[50:].max()) == (0.5, 0.0)
    ring.take(100)
    ring.put(150, np.full((100, 2), 0.25, np.float32), 7)
    ring.take(100)
    frame, peaks, _, gaps, over = ring.heard()
    assert (frame, peaks, gaps, over) == (250, (pytest.approx(-6.0206, abs=1e-3),) * 2, 1, 7)


def test_the_end_is_no_gap() -> None:
    ring = Ring(RATE, 0)
    ring.put(0, np.ones((50, 2), np.float32), 0)
    ring.end()
    ring.take(100)
    assert (ring.is_drained, ring.heard()[3]) == (True, 0)


def test_meters_read_a_full_scale_sine_as_zero() -> None:
    # AES17: RMS of a full-scale 997 Hz sine is 0 dBFS
    sine = np.sin(2 * np.pi * 997 * np.arange(RATE) / RATE).astype(np.float32)
    ring = Ring(RATE, 0)
    ring.put(0, np.stack([sine, sine / 2], axis=1), 0)
    for _ in range(100):
        ring.take(480)
    _, peaks, rms, _, _ = ring.heard()
    assert peaks == (pytest.approx(0, abs=0.01), pytest.approx(-6.02, abs=0.01))
    assert rms == (pytest.approx(0, abs=0.05), pytest.approx(-6.02, abs=0.05))


def test_what_lies_far_ahead_is_mixed_anew_when_something_changes() -> None:
    ring = Ring(RATE, 0)
    for start in range(0, 5_000, 1_000):
        ring.put(start, np.zeros((1_000, 2), np.float32), 0)
    ring.take(500)
    assert ring.drop_after(1_200) == 2_000
    assert ring.ready_frames == 1_500
    assert ring.drop_after(5_000) is None


# -- what goes wrong --------------------------------------------------------------------------


def test_a_file_that_is_gone_is_told_and_the_others_play(files: list[Voice], player: Player) -> None:
    files[1].source.unlink()
    player.play(Plan(rate_hz=RATE, voices=tuple(files), end_s=0.1), Controls(), 0.0)
    reports = until_ended(player)
    (missing,) = [r for r in reports if isinstance(r, Missing)]
    assert missing.path == "b.wav"
    assert missing.words == "b.wav: the file is gone; put it back and read the delivery again."
    assert any(isinstance(r, Begun) for r in reports)


def test_a_file_that_shrinks_while_it_plays_is_left_out_from_there(files: list[Voice]) -> None:
    told: list[Missing] = []
    mixer = Mixer(files, RATE, told.append)
    mixer.mix(0, 2_000, Controls())
    os.truncate(files[0].source, 20_000)
    heard, _ = mixer.mix(10_000, 2_000, Controls())
    assert [m.path for m in told] == ["a.wav"]
    assert np.array_equal(heard, sum_by_hand(files[1:], 12_000).astype(np.float32)[10_000:])


def test_nothing_to_play_is_said(player: Player, tmp_path: Path) -> None:
    voice = Voice(path="a.wav", source=tmp_path / "a.wav")
    player.play(Plan(rate_hz=RATE, voices=(voice,), end_s=1.0), Controls(), 0.0)
    assert until_ended(player)[-1] == Ended(trouble="None of these files can be read.")


def test_a_player_that_crashes_is_told_of_and_plays_again(files: list[Voice], player: Player) -> None:
    plan = Plan(rate_hz=RATE, voices=tuple(files), end_s=30.0)
    player.play(plan, Controls(), 0.0)
    deadline = time.monotonic() + 20
    while not any(isinstance(r, Begun) for r in player.poll()):
        assert time.monotonic() < deadline
        time.sleep(0.01)
    assert player.process is not None
    assert player.process.pid is not None
    os.kill(player.process.pid, signal.SIGKILL)
    ended = until_ended(player)[-1]
    assert isinstance(ended, Ended)
    assert ended.trouble.startswith("Playing stopped")
    player.play(Plan(rate_hz=RATE, voices=tuple(files), end_s=0.05), Controls(), 0.0)
    assert until_ended(player)[-1] == Ended()


def test_playing_something_else_ends_what_played_and_nothing_is_told_of_it(files: list[Voice], player: Player) -> None:
    player.play(Plan(rate_hz=RATE, voices=tuple(files), end_s=30.0), Controls(), 0.0)
    player.play(Plan(rate_hz=RATE, voices=tuple(files[:1]), end_s=0.05), Controls(), 0.0)
    player.change(Controls(is_swapped=True))
    reports = until_ended(player)
    assert [r for r in reports if isinstance(r, Ended)] == [Ended()]


# -- the device -------------------------------------------------------------------------------


class FakeLibrary(types.ModuleType):
    """PortAudio as its Python library shows it, without any device or with one."""

    class PortAudioError(Exception):
        pass

    def __init__(self, *, rates: tuple[int, ...] = (), opens: bool = True) -> None:
        super().__init__("sounddevice")
        self.rates, self.opens = rates, opens
        self.streams: list[Any] = []

    def _terminate(self) -> None: ...

    def _initialize(self) -> None: ...

    def query_devices(self, kind: str) -> dict[str, object]:
        if not self.rates:
            raise self.PortAudioError("Error querying device -1")
        return {"name": "Desk speakers", "default_samplerate": float(self.rates[0])}

    def check_output_settings(self, *, channels: int, dtype: str, samplerate: float) -> None:
        if samplerate not in self.rates:
            raise self.PortAudioError("Invalid sample rate")

    def OutputStream(self, **options: Any) -> Any:  # noqa: N802 - the library's own name
        if not self.opens:
            raise self.PortAudioError("Device unavailable")
        stream = types.SimpleNamespace(options=options, active=True, latency=0.02, done=[])
        for name in ("start", "stop", "abort", "close"):
            setattr(stream, name, lambda name=name: stream.done.append(name))
        self.streams.append(stream)
        return stream


def test_without_a_device_the_output_is_simulated_and_says_why(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "sounddevice", FakeLibrary())
    output, why = open_output(RATE)
    assert (output.is_simulated, why) == (True, "no sound device was found")


def test_a_device_is_used_at_the_songs_rate_or_at_its_own(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "sounddevice", FakeLibrary(rates=(44_100, RATE)))
    output, why = open_output(RATE)
    assert (output.name, output.is_simulated, output.rate_hz, why) == ("Desk speakers", False, RATE, "")
    monkeypatch.setitem(sys.modules, "sounddevice", FakeLibrary(rates=(44_100,)))
    assert open_output(RATE)[0].rate_hz == 44_100


class Pipe(list[PlayerReport]):
    """What the player would send."""

    def send(self, report: PlayerReport) -> None:
        self.append(report)


def test_a_device_that_was_unplugged_ends_playing_with_a_sentence(
    files: list[Voice], monkeypatch: pytest.MonkeyPatch
) -> None:
    library = FakeLibrary(rates=(RATE,))
    monkeypatch.setitem(sys.modules, "sounddevice", library)
    pipe = Pipe()
    plan = Plan(rate_hz=RATE, voices=tuple(files), end_s=0.5)
    playing = PlayedPlan(pipe, Play(plan, Controls(), 0.0))  # type: ignore[arg-type]
    assert playing.step()
    out = np.zeros((480, 2), np.float32)
    library.streams[0].options["callback"](out, 480, None, None)
    assert np.array_equal(out, sum_by_hand(files, 480).astype(np.float32))
    library.streams[0].active = False
    assert not playing.step()
    assert isinstance(pipe[-1], Ended)
    assert pipe[-1].trouble.startswith("The sound device is gone.")


def test_the_last_sound_is_heard_to_its_end_and_stopping_is_silent_at_once(
    files: list[Voice], monkeypatch: pytest.MonkeyPatch
) -> None:
    library = FakeLibrary(rates=(RATE,))
    monkeypatch.setitem(sys.modules, "sounddevice", library)
    for told_to_stop, last in ((False, "stop"), (True, "abort")):
        plan = Plan(rate_hz=RATE, voices=tuple(files), end_s=0.05)
        playing = PlayedPlan(Pipe(), Play(plan, Controls(), 0.0))  # type: ignore[arg-type]
        playing.step()
        if told_to_stop:
            playing.stop()
        else:
            library.streams[-1].options["callback"](np.zeros((4_800, 2), np.float32), 4_800, None, None)
            assert not playing.step()
        assert library.streams[-1].done == ["start", last, "close"]


def test_a_device_that_does_not_open_gives_way_to_the_simulated_output(
    files: list[Voice], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(sys.modules, "sounddevice", FakeLibrary(rates=(RATE,), opens=False))
    with pytest.raises(NoDevice, match="cannot be opened"):
        DeviceOutput(RATE).start(lambda frames: np.zeros((frames, 2), np.float32))
    pipe = Pipe()
    playing = PlayedPlan(pipe, Play(Plan(rate_hz=RATE, voices=tuple(files), end_s=0.5), Controls(), 0.0))  # type: ignore[arg-type]
    playing.stop()
    begun = next(r for r in pipe if isinstance(r, Begun))
    assert (begun.is_simulated, begun.why) == (True, "Desk speakers cannot be opened (Device unavailable)")


def test_a_change_is_heard_after_what_is_under_way(files: list[Voice], monkeypatch: pytest.MonkeyPatch) -> None:
    library = FakeLibrary(rates=(RATE,))
    monkeypatch.setitem(sys.modules, "sounddevice", library)
    pipe = Pipe()
    playing = PlayedPlan(pipe, Play(Plan(rate_hz=RATE, voices=tuple(files), end_s=0.6), Controls(), 0.0))  # type: ignore[arg-type]
    for _ in range(20):
        playing.step()
    playing.change(Change(Controls(is_swapped=True)).controls)
    for _ in range(20):
        playing.step()
    out = np.zeros((24_000, 2), np.float32)
    library.streams[0].options["callback"](out, 24_000, None, None)
    straight = sum_by_hand(files, 24_000).astype(np.float32)
    swapped = (out == straight[:, ::-1]).all(axis=1)
    at = int(np.flatnonzero(~(out == straight).all(axis=1))[0])
    assert 0.06 * RATE <= at < 0.11 * RATE
    assert swapped[at:].all()
    playing.stop()


# -- conditions, one by one -------------------------------------------------------------------


def test_a_converted_file_counts_with_what_lies_between_its_samples() -> None:
    # A sine at a quarter of the rate, sampled at 45 degrees: its samples peak 3.01 dB under its wave.
    samples = 0.5 * np.sin(np.arange(RATE) * np.pi / 2 + np.pi / 4)
    measures = measured(samples, bits=24)
    peak = measures.sample_peak_dbfs
    assert sum_bound_dbfs([Addend(measures=measures, rate_hz=RATE, start_s=0.0)]) == pytest.approx(peak, abs=0.02)
    converted = Addend(measures=measures, rate_hz=RATE, start_s=0.0, is_converted=True)
    assert sum_bound_dbfs([converted]) == pytest.approx(peak + 3.01, abs=0.1)


def test_the_last_block_may_be_short_and_is_no_gap() -> None:
    for is_last, gaps in ((True, 0), (False, 1)):
        ring = Ring(RATE, 0)
        ring.put(0, np.full((100, 2), 0.5, np.float32), over=3)
        if is_last:
            ring.end()
        taken = ring.take(256)
        assert (taken[:100] == 0.5).all()
        assert not taken[100:].any()
        assert ring.heard()[3] == gaps
        assert ring.heard()[4] == 3
        assert ring.is_drained is is_last
