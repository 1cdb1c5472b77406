"""Sound of kinds that cannot be read here is asked for as WAV, and never called damaged."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.model.findings import Action
from inline import check_inline

RATE = 48_000
HEADS = {
    # The formats' published signatures (from memory).
    "WavPack": b"wvpk" + bytes(28),
    "DSD": b"DSD " + struct.pack("<Q", 28) + bytes(84),
    "TTA": b"TTA1" + bytes(18),
    "AMR": b"#!AMR\n" + bytes(64),
}


def wav_head(*, tag: int, channels: int = 2, rate_hz: int = RATE) -> bytes:
    """A WAV whose samples have the coding `tag` (RIFF: a format tag that is not 1 or 3)."""
    fmt = struct.pack("<HHIIHH", tag, channels, rate_hz, 192_000, 4, 16)
    body = b"WAVEfmt " + struct.pack("<I", len(fmt)) + fmt + b"data" + struct.pack("<I", 4000) + bytes(range(250)) * 16
    return b"RIFF" + struct.pack("<I", len(body)) + body


def found(folder: Path, name: str, content: bytes) -> list[tuple[str, Action, object]]:
    folder = folder / "Silver Meadow"  # the test's own name has words that a file's name may have
    folder.mkdir()
    rng = np.random.default_rng(7)
    for part in ("Kick", "Bass", "Piano"):
        soundfile.write(folder / f"{part}.wav", rng.normal(0, 0.05, 2 * RATE), RATE, subtype="PCM_24")
    (folder / name).write_bytes(content)
    findings = check_inline(folder).findings
    return [(f.code, f.action, f.evidence.get("sound_kind")) for f in findings if name in f.files]


@pytest.mark.parametrize("kind", HEADS)
def test_a_kind_that_is_not_read_is_asked_for_as_wav(tmp_path: Path, kind: str) -> None:
    assert found(tmp_path, "Viola.snd", HEADS[kind]) == [("content.unreadable-kind", Action.ASK, kind)]


def test_a_reference_of_such_a_kind_is_only_noted(tmp_path: Path) -> None:
    name = "Reference.snd"
    assert found(tmp_path, name, HEADS["DSD"]) == [("content.unreadable-kind", Action.NOTE, "DSD")]


def test_a_wav_of_another_coding_is_not_called_damaged(tmp_path: Path) -> None:
    given = found(tmp_path, "Viola.wav", wav_head(tag=0x0270))
    assert given == [("content.unreadable-kind", Action.ASK, "WAV, coding 0x0270")]


@pytest.mark.parametrize("wrong", [{"channels": 0}, {"channels": 33}, {"rate_hz": 7_999}, {"rate_hz": 384_001}])
def test_a_header_that_makes_no_sense_is_damage(tmp_path: Path, wrong: dict[str, int]) -> None:
    assert [code for code, _, _ in found(tmp_path, "Viola.wav", wav_head(tag=0x0270, **wrong))] == ["content.damaged"]
