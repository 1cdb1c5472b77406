"""Small files of every container, and ways to hurt them: what the fuzz runs feed the readers."""

from __future__ import annotations

import io
import struct
import zipfile
from collections.abc import Mapping
from fractions import Fraction
from functools import lru_cache

import av
import numpy as np
import soundfile

from sounds import RATE, chunk, pcm_fmt, riff, sine

_KINDS = {
    "wav": ("WAV", "PCM_24"),
    "wav-float": ("WAV", "FLOAT"),
    "wav-ulaw": ("WAV", "ULAW"),
    "wav-adpcm": ("WAV", "IMA_ADPCM"),
    "wavex": ("WAVEX", "PCM_16"),
    "rf64": ("RF64", "PCM_16"),
    "w64": ("W64", "PCM_24"),
    "aiff": ("AIFF", "PCM_24"),
    "aiff-float": ("AIFF", "FLOAT"),
    "caf": ("CAF", "PCM_16"),
    "caf-alac": ("CAF", "ALAC_24"),
    "au": ("AU", "PCM_16"),
    "flac": ("FLAC", "PCM_24"),
    "ogg": ("OGG", "VORBIS"),
    "opus": ("OGG", "OPUS"),
    "mp3": ("MP3", "MPEG_LAYER_III"),
}
PLAIN = frozenset(k for k in _KINDS if k.startswith(("wav", "rf64", "w64", "aiff", "caf", "au"))) - {
    "caf-alac",
    "wav-ulaw",
    "wav-adpcm",
}
"""What is read without a decoder."""

_DECODED_BY_AV = {"alac": ("ipod", "alac", "s16p"), "aac": ("ipod", "aac", "fltp"), "adts": ("adts", "aac", "fltp")}


@lru_cache(maxsize=1)
def seeds() -> Mapping[str, bytes]:
    """A whole file of each kind: two channels, a fifth of a second of tones."""
    sound = np.stack([sine(440, 0.2, peak=0.5), sine(660, 0.2, peak=0.3)], axis=1)
    found = {}
    for name, (kind, subtype) in _KINDS.items():
        out = io.BytesIO()
        soundfile.write(out, sound, RATE, format=kind, subtype=subtype)
        found[name] = out.getvalue()
    for name, (container, codec, layout) in _DECODED_BY_AV.items():
        found[name] = encode_with_av(sound, container, codec, layout)
    bext = chunk(b"bext", b"Voice".ljust(602, b"\0") + b"A=PCM,F=48000\r\n")
    marks = chunk(b"cue ", struct.pack("<I", 1) + struct.pack("<II4sIII", 1, 9, b"data", 0, 0, 9))
    labels = chunk(b"LIST", b"adtl" + chunk(b"labl", struct.pack("<I", 1) + b"Verse\0"))
    samples = (sound[:500, 0] * 30_000).astype("<i2").tobytes()
    parts = (bext, chunk(b"iXML", b"<BWFXML/>"), chunk(b"fmt ", pcm_fmt()), chunk(b"data", samples), marks, labels)
    found["bwf"] = riff(*parts)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in ("wav", "mp3"):
            archive.writestr(f"Song/{name}", found[name][:5000])
    found["zip"] = out.getvalue()
    track = b"\x00\xff\x51\x03\x07\xa1\x20\x00\x90\x3c\x40\x83\x60\x80\x3c\x00\x00\xff\x2f\x00"
    found["midi"] = b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(track)) + track
    return found


def encode_with_av(sound: np.ndarray, container: str, codec: str, layout: str) -> bytes:
    """Encode float64 [shape=(frames, 2)] with one of PyAV's encoders."""
    out = io.BytesIO()
    with av.open(out, "w", format=container) as written:
        stream = written.add_stream(codec, rate=RATE)
        stream.format = layout
        stream.layout = "stereo"
        whole = sound.T if layout == "fltp" else np.rint(sound.T * 32767)
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(whole.astype(np.float32 if layout == "fltp" else np.int16)), layout, "stereo"
        )
        frame.rate = RATE
        frame.pts = 0  # then the encoder's delay lies before zero, and the container says so
        frame.time_base = Fraction(1, RATE)
        for packet in (*stream.encode(frame), *stream.encode(None)):
            written.mux(packet)
    return out.getvalue()


def mutated(content: bytes, random: np.random.Generator) -> bytes:
    """The content with a few bytes of its head changed, cut, doubled or put in."""
    raw = bytearray(content)
    for _ in range(int(random.integers(1, 8))):
        at = int(random.integers(0, max(1, min(len(raw), 700))))
        what = random.integers(0, 6)
        if what == 0:
            raw[at : at + 1] = bytes([int(random.integers(0, 256))])
        elif what == 1:
            raw[at : at + 4] = random.choice([b"\xff\xff\xff\xff", b"\0\0\0\0", b"\xff\xff\xff\x7f", b"\x80\0\0\0"])
        elif what == 2:
            del raw[at : at + int(random.integers(1, 20))]
        elif what == 3:
            raw[at:at] = raw[at : at + int(random.integers(1, 40))]
        elif what == 4:
            raw[at : at + 1] = bytes(b ^ 1 << int(random.integers(0, 8)) for b in raw[at : at + 1])
        else:
            raw = raw[: int(random.integers(0, len(raw) + 1))] or bytearray(b"\0")
    return bytes(raw)
