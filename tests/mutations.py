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


_LONG_SECONDS = 150
_LONG_KINDS = {
    "flac": ("FLAC", "PCM_16"),
    "ogg": ("OGG", "VORBIS"),
    "opus": ("OGG", "OPUS"),
    "mp3": ("MP3", "MPEG_LAYER_III"),
}


@lru_cache(maxsize=1)
def long_seeds() -> Mapping[str, bytes]:
    """Whole files of two and a half minutes, of noise that swells, so that no encoder gets away with little."""
    random = np.random.default_rng(2)
    level = 0.02 + 0.2 * np.abs(sine(0.3, _LONG_SECONDS))[:, None]
    sound = random.standard_normal((len(level), 2)) * level
    found = {}
    for name, (kind, subtype) in _LONG_KINDS.items():
        out = io.BytesIO()
        with soundfile.SoundFile(out, "w", RATE, 2, subtype, format=kind) as file:
            for start in range(0, len(sound), RATE):  # libsndfile's Vorbis encoder dies of minutes at one go
                file.write(sound[start : start + RATE])
        found[name] = out.getvalue()
    return found


def wide_seed(channels: int) -> bytes:
    """A WAV of many channels, half a second long."""
    samples = np.random.default_rng(channels).integers(-9000, 9000, (RATE // 2, channels)).astype("<i2").tobytes()
    return riff(chunk(b"fmt ", pcm_fmt(channels=channels)), chunk(b"data", samples))


def tagged_wav(text: str) -> bytes:
    """A WAV of a tone that says `text` of itself wherever it can."""
    raw = text.encode("utf-8", "surrogatepass")
    bext = chunk(b"bext", raw[:256].ljust(256, b"\0") + raw[:32].ljust(32, b"\0") + b"\0" * 314 + raw)
    info = chunk(b"LIST", b"INFO" + chunk(b"INAM", raw + b"\0") + chunk(b"ICMT", raw + b"\0"))
    marks = chunk(b"cue ", struct.pack("<I", 1) + struct.pack("<II4sIII", 1, 9, b"data", 0, 0, 9))
    labels = chunk(b"LIST", b"adtl" + chunk(b"labl", struct.pack("<I", 1) + raw + b"\0"))
    samples = np.rint(sine(440, 0.2, peak=9000.0)).astype("<i2").tobytes()
    return riff(bext, info, chunk(b"fmt ", pcm_fmt()), chunk(b"data", samples), marks, labels)


def hurt_anywhere(content: bytes, random: np.random.Generator) -> bytes:
    """The content with a stretch of it overwritten, taken out or doubled, up to a sixth of it, anywhere."""
    raw = bytearray(content)
    for _ in range(int(random.integers(1, 5))):
        length = int(random.integers(1, max(2, len(raw) // 6)))
        at = int(random.integers(0, len(raw)))
        what = random.integers(0, 4)
        if what == 0:
            del raw[at : at + length]
        elif what == 1:
            raw[at:at] = raw[at : at + length]
        elif what == 2:
            raw[at : at + length] = bytes(min(length, len(raw) - at))
        else:
            raw[at : at + length] = random.integers(0, 256, min(length, len(raw) - at), np.uint8).tobytes()
        raw = raw or bytearray(b"\0")
    return bytes(raw)
