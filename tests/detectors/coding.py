"""Sounds encoded and decoded again by FFmpeg's libraries (PyAV)."""

from __future__ import annotations

import io

import av
import numpy as np
from numpy.typing import NDArray

Sound = NDArray[np.float64]
CONTAINERS = {"libmp3lame": "mp3", "aac": "adts", "libopus": "ogg"}


def coded(sound: Sound, rate_hz: int, codec: str, kbit: int) -> Sound:
    """float64 [shape=(frames,) or (frames, 2)] as it comes back from an encoder, as long as it was."""
    sides = np.atleast_2d(np.asarray(sound, np.float32).T)
    layout = "mono" if len(sides) == 1 else "stereo"
    file = io.BytesIO()
    with av.open(file, "w", format=CONTAINERS[codec]) as out:
        stream = out.add_stream(codec, rate=rate_hz)
        stream.layout, stream.bit_rate = layout, kbit * 1000
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sides), format="fltp", layout=layout)
        frame.sample_rate = rate_hz
        size = stream.codec_context.frame_size or 1024
        fits = av.AudioResampler(stream.codec_context.format, layout, rate_hz, size)
        for piece in [*fits.resample(frame), *fits.resample(None)]:
            out.mux(stream.encode(piece))
        out.mux(stream.encode(None))
    file.seek(0)
    with av.open(file) as stored:
        plain = av.AudioResampler("fltp", layout, rate_hz)
        pieces = [p.to_ndarray().T for f in stored.decode(audio=0) for p in plain.resample(f)]
    decoded = np.concatenate(pieces).astype(np.float64)
    decoded = np.pad(decoded, ((0, max(0, len(sound) - len(decoded))), (0, 0)))[: len(sound)]
    return decoded[:, 0] if sound.ndim == 1 else decoded
