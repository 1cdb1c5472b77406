"""Playing in a process of its own, and what goes wrong there."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

import numpy as np

from deep_tally.listen.mixer import Mixer
from deep_tally.listen.plan import Begun, Controls, Ended, Missing, Plan, Voice
from deep_tally.listen.player_process import Player
from listen.playing import RATE, sum_by_hand, until_ended


def test_a_file_that_is_gone_is_reported_and_the_others_play(files: list[Voice], player: Player) -> None:
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


def test_a_player_that_crashes_is_reported_and_plays_again(files: list[Voice], player: Player) -> None:
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


def test_playing_something_else_ends_what_played_and_nothing_is_reported_it(files: list[Voice], player: Player) -> None:
    player.play(Plan(rate_hz=RATE, voices=tuple(files), end_s=30.0), Controls(), 0.0)
    player.play(Plan(rate_hz=RATE, voices=tuple(files[:1]), end_s=0.05), Controls(), 0.0)
    player.change(Controls(is_swapped=True))
    reports = until_ended(player)
    assert [r for r in reports if isinstance(r, Ended)] == [Ended()]
