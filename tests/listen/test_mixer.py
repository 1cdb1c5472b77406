"""The sum of files at their places, with trims, solo and mute."""

from __future__ import annotations

import math
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from deep_tally.listen.mixer import Mixer
from deep_tally.listen.plan import Begun, Controls, Ended, Heard, Plan, Voice
from deep_tally.listen.player_process import Player
from listen.playing import RATE, mixed, sum_by_hand, until_ended, write


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


def test_the_remainder_is_the_mix_without_its_files(files: list[Voice], tmp_path: Path) -> None:
    """The arithmetic by hand: what nobody sent is left, to the last step of a float mix."""
    gains = {"a.wav": (0.5, 0.25), "b.wav": (-0.7, -0.7)}
    known = [replace(voice, gains=gains.get(voice.path)) for voice in files[:3]]
    extra = np.random.default_rng(9).uniform(-0.1, 0.1, (20_000, 2))
    mix = extra + sum(sum_by_hand([v], 20_000) * gains[v.path] for v in known[:2])
    late = np.concatenate([np.zeros((100, 2)), mix])
    voice = Voice(path="mix.wav", source=write(tmp_path / "mix.wav", late, kind="DOUBLE"), start_frames=-100, bus="mix")
    voices = [*known, voice]
    heard = mixed(voices, 20_000, Controls(bus="remainder"))
    assert heard == pytest.approx(extra, abs=1e-7)  # c.wav is not in the mix: nothing of it is taken away
    # Of what is silent nothing is taken away; the mix itself is there whatever is heard alone.
    heard = mixed(voices, 20_000, Controls(bus="remainder", silent=frozenset({"b.wav", "mix.wav"})))
    assert heard == pytest.approx(extra - 0.7 * sum_by_hand([files[1]], 20_000), abs=1e-7)


def test_files_are_heard_as_loud_as_the_mix_has_them(files: list[Voice]) -> None:
    voices = [replace(files[0], gains=(0.5, -0.25)), files[1]]
    a, b = sum_by_hand(files[:1], 20_000), sum_by_hand(files[1:2], 20_000)
    assert mixed(voices, 20_000) == pytest.approx(a + b, abs=1e-7)
    heard = mixed(voices, 20_000, Controls(is_at_mix_levels=True))
    assert heard == pytest.approx(a * (0.5, -0.25) + b, abs=1e-7)
    heard = mixed(voices, 20_000, Controls(is_at_mix_levels=True, gains_db={"a.wav": 6.0}))
    assert heard == pytest.approx(a * (0.5, -0.25) * 10 ** (6 / 20) + b, abs=1e-6)


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
