"""Every container against outside truth: libsndfile, PyAV, published layouts, and the MD5 that FLAC carries."""

from __future__ import annotations

import hashlib
import io
import struct
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile

from deep_tally.intake.aiff import read_layout
from deep_tally.intake.reading import open_plain, open_sound
from deep_tally.measure.job import measure_entry
from deep_tally.model.files import Entry, Marker, Role
from mutations import encode_with_av
from sounds import RATE, chunk, pcm_fmt, riff, sine

SOUND = np.stack([sine(440, 0.3, peak=0.5), sine(1000, 0.3, peak=0.4)], axis=1)
SAMPLES = (SOUND[:400, 0] * 30_000).astype("<i2").tobytes()


@pytest.mark.parametrize(
    ("kind", "subtype", "options", "container", "bits"),
    [
        ("W64", "PCM_16", {}, "w64", 16),
        ("W64", "PCM_24", {}, "w64", 24),
        ("W64", "FLOAT", {}, "w64", 32),
        ("AIFF", "PCM_S8", {}, "aiff", 8),
        ("AIFF", "PCM_16", {}, "aiff", 16),
        ("AIFF", "PCM_24", {}, "aiff", 24),
        ("AIFF", "PCM_32", {}, "aiff", 32),
        ("AIFF", "FLOAT", {}, "aiff", 32),
        ("AIFF", "DOUBLE", {}, "aiff", 64),
        ("AIFF", "PCM_16", {"endian": "LITTLE"}, "aiff", 16),  # AIFF-C, sowt
        ("CAF", "PCM_24", {}, "caf", 24),
        ("CAF", "PCM_16", {"endian": "LITTLE"}, "caf", 16),
        ("CAF", "DOUBLE", {}, "caf", 64),
        ("AU", "PCM_16", {}, "au", 16),
        ("AU", "PCM_24", {"endian": "BIG"}, "au", 24),
        ("AU", "FLOAT", {}, "au", 32),
        ("RF64", "PCM_24", {}, "wav", 24),
        ("WAV", "PCM_16", {"endian": "BIG"}, "wav", 16),  # RIFX
    ],
)
def test_plain_samples_are_libsndfiles_without_a_decoder(
    tmp_path: Path, kind: str, subtype: str, options: dict[str, str], container: str, bits: int
) -> None:
    path = tmp_path / "x"
    try:
        soundfile.write(path, SOUND, 44_100, format=kind, subtype=subtype, **options)
    except soundfile.LibsndfileError as error:
        pytest.skip(f"this libsndfile does not write it: {error}")
    theirs, rate = soundfile.read(path, always_2d=True)
    reader = open_plain(path)
    assert reader is not None
    with reader:
        assert np.array_equal(reader.read(0, len(SOUND) + 9).samples, theirs)
        sound = reader.format
    assert (sound.rate_hz, sound.channels, sound.frames, sound.bits) == (rate, 2, len(SOUND), bits)
    assert sound.container in (container, "rf64")
    assert sound.sample_format == ("float" if subtype in ("FLOAT", "DOUBLE") else "int")
    assert sound.contradictions == ()


@pytest.mark.parametrize(
    ("kind", "subtype", "container", "sample_format", "bits"),
    [
        ("WAV", "ULAW", "wav", "lossy", None),
        ("WAV", "ALAW", "wav", "lossy", None),
        ("WAV", "IMA_ADPCM", "wav", "lossy", None),
        ("WAV", "MS_ADPCM", "wav", "lossy", None),
        ("CAF", "ALAC_24", "caf", "int", 24),
        ("FLAC", "PCM_16", "flac", "int", 16),
        ("OGG", "VORBIS", "ogg", "lossy", None),
        ("OGG", "OPUS", "opus", "lossy", None),
        ("MP3", "MPEG_LAYER_III", "mp3", "lossy", None),
    ],
)
def test_what_needs_a_decoder_is_left_to_it_and_named(
    tmp_path: Path, kind: str, subtype: str, container: str, sample_format: str, bits: int | None
) -> None:
    path = tmp_path / "x"
    soundfile.write(path, SOUND, RATE, format=kind, subtype=subtype)
    assert open_plain(path) is None
    with open_sound(path) as reader:
        sound = reader.format
        samples = reader.read(0, sound.frames).samples
    assert (sound.container, sound.sample_format, sound.bits) == (container, sample_format, bits)
    theirs = soundfile.read(path)[0]
    # In one go: piece by piece, libsndfile loses its place in MPEG audio.
    assert samples == pytest.approx(theirs, abs=1e-4 if kind == "MP3" else 1e-6)


@pytest.mark.parametrize(("codec", "container", "layout"), [("alac", "ipod", "s16p"), ("aac", "ipod", "fltp")])
def test_m4a_is_decoded_to_the_sample(tmp_path: Path, codec: str, container: str, layout: str) -> None:
    path = tmp_path / "x.wav"  # the name lies: the bytes count
    path.write_bytes(encode_with_av(SOUND, container, codec, layout))
    entry = Entry(path="x.wav", source=path, role=Role.TRACKOUT, bytes=1)
    track = measure_entry(lambda done, total: None, entry)
    assert track.format is not None
    assert track.measures is not None
    assert track.format.container == "m4a"
    # AES17: a sine's RMS reads as its peak.
    assert track.measures.rms_by_channel_dbfs == pytest.approx((20 * np.log10(0.5), 20 * np.log10(0.4)), abs=0.6)
    if codec == "alac":
        assert (track.format.sample_format, track.format.bits, track.format.frames) == ("int", 16, len(SOUND))
        with open_sound(path) as reader:
            assert np.array_equal(reader.read(0, len(SOUND)).samples, np.rint(SOUND * 32767) / 32768)
    else:
        # An AAC encoder primes with 1024 frames (ISO/IEC 14496-3, common practice); the edit list says so.
        assert (track.format.sample_format, track.format.codec_delay_frames) == ("lossy", 1024)
        with open_sound(path) as reader:
            middle = reader.read(5000, 4000).samples
        assert middle == pytest.approx(SOUND[5000:9000], abs=0.08), "the delay is cut off: sound stands where it stood"


@pytest.mark.parametrize(
    ("field", "rate"),
    [  # 80-bit extended, from the AIFF specification and IEEE 754: sign and exponent 16 bits, mantissa 64 bits
        ("400eac44000000000000", 44_100),
        ("400ebb80000000000000", 48_000),
        ("400fac44000000000000", 88_200),
        ("400fbb80000000000000", 96_000),
        ("4010bb80000000000000", 192_000),
        ("400bfa00000000000000", 8_000),
    ],
)
def test_aiffs_rate_is_an_80_bit_number(tmp_path: Path, field: str, rate: int) -> None:
    comm = b"COMM" + struct.pack(">IhIh", 18, 1, 3, 16) + bytes.fromhex(field)
    ssnd = b"SSND" + struct.pack(">III", 8 + 6, 0, 0) + b"\0\1\0\2\0\3"
    body = b"AIFF" + comm + ssnd
    path = tmp_path / "x.aif"
    path.write_bytes(b"FORM" + struct.pack(">I", len(body)) + body)
    with path.open("rb") as file:
        layout = read_layout(file.fileno())
    assert layout is not None
    assert (layout.format.rate_hz, layout.format.frames) == (rate, 3)


@pytest.mark.parametrize("bits", [16, 24])
def test_flacs_own_md5_is_that_of_what_was_decoded(tmp_path: Path, bits: int) -> None:
    path = tmp_path / "x.flac"
    soundfile.write(path, SOUND, RATE, subtype=f"PCM_{bits}")
    # RFC 9639, 8.2: STREAMINFO follows "fLaC" and a header of 4 bytes; its last 16 bytes are the MD5 of the samples.
    told = path.read_bytes()[8 + 18 : 8 + 34]
    with open_sound(path) as reader:
        codes = np.rint(reader.read(0, len(SOUND)).samples * 2 ** (bits - 1)).astype("<i4")
    raw = np.ascontiguousarray(codes).view(np.uint8).reshape(-1, 4)[:, : bits // 8]
    assert hashlib.md5(raw.tobytes()).digest() == told


def test_every_field_of_bext_stands_where_the_standard_puts_it(tmp_path: Path) -> None:
    # EBU Tech 3285 v2, 2.3: the published layout, filled byte by byte.
    bext = bytearray(602)
    for at, text in (
        (0, b"Voice, second take"),
        (256, b"Night Bus studio"),
        (288, b"NB0001"),
        (320, b"2026-11-25"),
        (330, b"12:34:56"),
    ):
        bext[at : at + len(text)] = text
    struct.pack_into("<II", bext, 338, 0x00345678, 0x0001)
    struct.pack_into("<H", bext, 346, 2)
    history = b"A=PCM,F=48000,W=24,M=stereo\r\nA=PCM,F=48000,W=16\r\n"
    ixml = b"<?xml version='1.0'?><BWFXML><PROJECT>Night Bus</PROJECT><TAKE>2</TAKE></BWFXML>"
    parts = (chunk(b"bext", bytes(bext) + history), chunk(b"iXML", ixml), chunk(b"fmt ", pcm_fmt()))
    path = tmp_path / "x.wav"
    path.write_bytes(riff(*parts, chunk(b"data", SAMPLES)))
    with open_sound(path) as reader:
        sound = reader.format
    assert sound.time_reference == 0x1_00345678
    assert sound.comments == ("Voice, second take",)
    assert dict(sound.said) == {
        "Description": "Voice, second take",
        "Originator": "Night Bus studio",
        "Reference": "NB0001",
        "Written": "2026-11-25 12:34:56",
        "Broadcast-wave version": "2",
        "Coding history": "A=PCM,F=48000,W=24,M=stereo; A=PCM,F=48000,W=16",
        "iXML project": "Night Bus",
        "iXML take": "2",
    }


def test_cue_points_and_their_labels_are_markers(tmp_path: Path) -> None:
    # RIFF "cue " and "adtl"/"labl" (Multimedia Programming Interface and Data Specifications 1.0).
    cue = struct.pack("<I", 2)
    cue += struct.pack("<II4sIII", 1, 0, b"data", 0, 0, 300) + struct.pack("<II4sIII", 2, 0, b"data", 0, 0, 100)
    labels = b"adtl" + chunk(b"labl", struct.pack("<I", 1) + b"Chorus\0")
    path = tmp_path / "x.wav"
    parts = (chunk(b"fmt ", pcm_fmt()), chunk(b"data", SAMPLES), chunk(b"cue ", cue), chunk(b"LIST", labels))
    path.write_bytes(riff(*parts))
    with open_sound(path) as reader:
        assert reader.format.markers == (Marker(frame=100, text=""), Marker(frame=300, text="Chorus"))


def test_opus_tells_its_pre_skip(tmp_path: Path) -> None:
    # RFC 7845, 5.1: 16 bits at byte 10 of the identification header.
    out = io.BytesIO()
    soundfile.write(out, SOUND, RATE, format="OGG", subtype="OPUS")
    raw = out.getvalue()
    path = tmp_path / "x.opus"
    path.write_bytes(raw)
    at = raw.index(b"OpusHead") + 10
    with open_sound(path) as reader:
        assert reader.format.codec_delay_frames == struct.unpack_from("<H", raw, at)[0] > 0


def test_a_second_implementation_decodes_flac_alike(tmp_path: Path) -> None:
    path = tmp_path / "x.flac"
    soundfile.write(path, SOUND, RATE, subtype="PCM_16")
    with av.open(str(path)) as container:
        theirs = np.concatenate([f.to_ndarray().reshape(-1, 2) for f in container.decode(audio=0)])
    with open_sound(path) as reader:
        assert np.array_equal(np.rint(reader.read(0, len(SOUND)).samples * 32768), theirs)
