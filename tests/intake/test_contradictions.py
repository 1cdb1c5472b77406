"""Headers that contradict their data: read what is there, say what is wrong. Every file is written by bytes."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest

from deep_tally.check.assess import assess
from deep_tally.measure.job import measure_entry
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Track
from deep_tally.model.files import Entry, Intake, Role
from deep_tally.model.findings import Action, Finding
from deep_tally.reply.wording.speaker import Speaker
from sounds import RATE, chunk, pcm_fmt, riff, sine

FRAMES = 4800
SAMPLES = np.rint(sine(440, 0.1, peak=8000)).astype("<i2").tobytes()
FMT = chunk(b"fmt ", pcm_fmt())
NOTE, ASK = Action.NOTE, Action.ASK


def data(size: int, content: bytes = SAMPLES) -> bytes:
    return b"data" + struct.pack("<I", size & 0xFFFFFFFF) + content


def sized(content: bytes, size: int) -> bytes:
    return content[:4] + struct.pack("<I", size) + content[8:]


def aiff(*chunks: bytes) -> bytes:
    body = b"AIFF" + b"".join(chunks)
    return b"FORM" + struct.pack(">I", len(body)) + body


BIG = np.frombuffer(SAMPLES, "<i2").astype(">i2").tobytes()
COMM = b"COMM" + struct.pack(">IhIh", 18, 1, FRAMES, 16) + bytes.fromhex("400ebb80000000000000")


def ssnd(size: int, content: bytes = BIG) -> bytes:
    return b"SSND" + struct.pack(">III", size & 0xFFFFFFFF, 0, 0) + content


def au(size: int) -> bytes:
    return b".snd" + struct.pack(">IIIII", 24, size & 0xFFFFFFFF, 3, RATE, 1) + BIG


HALF = len(SAMPLES) // 2
FAULTS = {
    # name: (bytes, frames that can be read, action or None for a clean file, words)
    "whole": (riff(FMT, data(len(SAMPLES))), FRAMES, None, ""),
    "data size 0": (riff(FMT, data(0)), FRAMES, NOTE, "claims no audio"),
    "data size unknown": (riff(FMT, data(-1)), FRAMES, NOTE, "claims no length"),
    "data size too large": (riff(FMT, data(2 * len(SAMPLES))), FRAMES, ASK, "stops at 0:00.1 of the 0:00.2"),
    "data cut off": (riff(FMT, data(len(SAMPLES)))[:-HALF], FRAMES // 2, ASK, "stops at 0:00.0 of the 0:00.1"),
    "data size too small": (riff(FMT, data(HALF)), FRAMES, NOTE, "9600 bytes follow"),
    "RIFF size 0": (sized(riff(FMT, data(len(SAMPLES))), 0), FRAMES, NOTE, "claims no size"),
    "RIFF size unknown": (sized(riff(FMT, data(len(SAMPLES))), 0xFFFFFFFF), FRAMES, NOTE, "claims no size"),
    "RIFF size too large": (sized(riff(FMT, data(len(SAMPLES))), 90_000), FRAMES, NOTE, "claims 0.1 MB, the file has"),
    "RIFF size too small": (sized(riff(FMT, data(len(SAMPLES))), 5_000), FRAMES, NOTE, "claims 5000 bytes, the file"),
    "a tag behind the RIFF": (riff(FMT, data(len(SAMPLES))) + b"TAG" + bytes(125), FRAMES, None, ""),
    "no pad byte": (
        riff(b"note" + struct.pack("<I", 3) + b"abc", FMT, data(len(SAMPLES))),
        FRAMES,
        NOTE,
        "pad byte is missing",
    ),
    "chunks before fmt": (
        riff(chunk(b"junk", b"x" * 30), chunk(b"odd ", b"y"), FMT, data(len(SAMPLES))),
        FRAMES,
        None,
        "",
    ),
    "fmt after data": (riff(chunk(b"data", SAMPLES), FMT), FRAMES, None, ""),
    "BOM before RIFF": (b"\xef\xbb\xbf" + riff(FMT, data(len(SAMPLES))), FRAMES, NOTE, "before its header"),
    "junk before RIFF": (bytes(100) + riff(FMT, data(len(SAMPLES))), FRAMES, NOTE, "before its header"),
    "block align lies": (
        riff(chunk(b"fmt ", struct.pack("<HHIIHH", 1, 1, RATE, RATE * 2, 4, 16)), data(len(SAMPLES))),
        FRAMES,
        NOTE,
        "its header claims 4 bytes a frame, 1 channel of 16 bits take 2",
    ),
    "second data chunk": (riff(FMT, chunk(b"data", SAMPLES), chunk(b"data", SAMPLES)), FRAMES, NOTE, "second stretch"),
    "0 channels": (riff(chunk(b"fmt ", pcm_fmt(channels=0)), data(len(SAMPLES))), None, ASK, "header is damaged"),
    "9000 channels": (riff(chunk(b"fmt ", pcm_fmt(channels=9000)), data(len(SAMPLES))), None, ASK, "9000 channels"),
    "a rate of 3 Hz": (riff(chunk(b"fmt ", pcm_fmt(rate=3)), data(len(SAMPLES))), None, ASK, "rate of 3 Hz"),
    "no fmt": (riff(data(len(SAMPLES))), None, ASK, "header is damaged"),
    "no data": (riff(FMT), None, ASK, "header is damaged"),
    "only its first bytes": (b"RIFF", None, ASK, ""),
    "nothing": (b"", None, ASK, "the file is empty (0 bytes)"),
    "zeros": (bytes(5000), None, ASK, "nothing but zeros"),
    "AIFF": (aiff(COMM, ssnd(8 + len(BIG))), FRAMES, NOTE, "it is AIFF, though its name ends in .wav"),
    "AIFF cut off": (aiff(COMM, ssnd(8 + len(BIG)))[:-HALF], FRAMES // 2, ASK, "stops at 0:00.0 of the 0:00.1"),
    "AIFF without a size": (aiff(COMM, ssnd(0)), FRAMES, NOTE, "it is AIFF"),
    "AU without a size": (au(-1), FRAMES, NOTE, "it is AU"),
    "AU cut off": (au(len(BIG))[:-HALF], FRAMES // 2, ASK, "stops at 0:00.0"),
}


def measured(tmp_path: Path, content: bytes) -> tuple[Track, list[Finding], Speaker]:
    path = tmp_path / "x.wav"
    path.write_bytes(content)
    entry = Entry(path="x.wav", source=path, role=Role.TRACKOUT, bytes=len(content), song="s")
    track = measure_entry(lambda done, total: None, entry)
    delivery = assess(Intake(source=tmp_path, name="s", entries=(entry,)), [track], DEFAULT_BRIEF)
    return track, [f for f in delivery.findings if f.code == "content.damaged"], Speaker(delivery)


@pytest.mark.parametrize("name", FAULTS)
def test_what_can_be_read_is_read_and_the_contradiction_is_reported(tmp_path: Path, name: str) -> None:
    content, frames, action, words = FAULTS[name]
    track, found, speaker = measured(tmp_path, content)
    assert (track.format.frames if track.format is not None else None) == frames
    assert [f.action for f in found] == ([action] if action else [])
    if action:
        assert words in speaker.summary(found[0])
    if frames is not None:
        assert track.measures is not None
        assert track.measures.sample_peak_dbfs == pytest.approx(20 * np.log10(8000 / 32768), abs=0.01)
