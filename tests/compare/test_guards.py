"""Conditions of comparing, one by one: each test fails when that condition alone is gone."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy.signal import butter, filtfilt

from compare.test_compare import OTHERS, SECONDS, compared, part, stereo
from sounds import RATE


def test_a_file_holds_another_only_at_one_gain_in_all_bands(tmp_path: Path) -> None:
    inner, outer = part(40, rest=(4.0, 9.0)), 0.5 * part(41)
    found = compared(tmp_path / "same", {**OTHERS, "08 In.wav": inner, "09 Out.wav": outer + 0.5 * inner})
    assert [(h.path, h.inner) for h in found.contained] == [("09 Out.wav", "08 In.wav")]
    # The same, but darker, with no band delayed: a microphone that hears a neighbour, set right in time.
    darker = 0.2 * inner + 0.3 * filtfilt(*butter(1, 300, fs=RATE), inner, axis=0)
    found = compared(tmp_path / "darker", {**OTHERS, "08 In.wav": inner, "09 Out.wav": outer + darker})
    assert found.contained == ()


def test_a_mono_file_is_no_twin_of_a_stereo_one_with_a_silent_side(tmp_path: Path) -> None:
    mono = part(42)
    found = compared(tmp_path / "both", {**OTHERS, "08 Mono.wav": mono, "09 Wide.wav": stereo(mono, 1.0, 0.7)})
    assert [t.path for t in found.twins] == ["09 Wide.wav"]
    found = compared(tmp_path / "one", {**OTHERS, "08 Mono.wav": mono, "09 Wide.wav": stereo(mono, 1.0, 0.0)})
    assert found.twins == ()


@pytest.mark.parametrize("first", [0, 1])
def test_of_several_partners_the_ones_that_move_together_are_paired(tmp_path: Path, first: int) -> None:
    # Lefts and rights of one name: whichever is looked at first, the true partners belong together.
    wide = [part(70 + n, channels=2) for n in range(2)]
    true = {("Gtr L.wav", "Gtr r.wav"), ("Gtr l.wav", "Gtr R.wav")}
    files = {
        "Gtr L.wav": wide[0][:, :1],
        "Gtr l.wav": wide[1][:, :1],
        "Gtr R.wav": wide[1 - first][:, 1:],
        "Gtr r.wav": wide[first][:, 1:],
    }
    if first:
        true = {("Gtr L.wav", "Gtr R.wav"), ("Gtr l.wav", "Gtr r.wav")}
    found = compared(tmp_path / "x", files)
    assert {(p.left, p.right) for p in found.pairs} == true


def test_a_file_that_never_rests_is_not_found_inside_another(tmp_path: Path) -> None:
    # What sounds with it and after it may be its echo: only what sounds long after it is more than that.
    inner = part(43) + 0.05 * np.sin(np.arange(SECONDS * RATE) / 30)[:, None]
    found = compared(tmp_path / "x", {**OTHERS, "08 In.wav": inner, "09 Out.wav": 0.5 * part(44) + 0.5 * inner})
    assert found.contained == ()
