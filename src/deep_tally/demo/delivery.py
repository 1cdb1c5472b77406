"""Write the demo song's delivery as a client would send it, and the list of what is planted in it."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import soundfile

from deep_tally.demo.exports import EXPORTS, Export
from deep_tally.demo.song import ARTIST, FRAMES, KEY, TEMPO_BPM, TITLE, TRIGGER, Samples, compose, compose_unsent
from deep_tally.demo.synth import RATE_HZ
from deep_tally.model.errors import CannotWrite
from deep_tally.model.phrase import Phrase

FOLDER_NAME = f"{TITLE} {TEMPO_BPM} BPM {KEY}"


def _resampled(samples: Samples, rate_hz: int) -> Samples:
    from scipy.signal import resample_poly  # heavy, and only the demo's maker needs it

    divisor = np.gcd(rate_hz, RATE_HZ)
    return np.asarray(resample_poly(samples, rate_hz // divisor, RATE_HZ // divisor, axis=0))


ROUGH_MIX, MASTER = f"{TITLE} rough mix.wav", f"{TITLE} master.wav"
NOTES, _PLANTED = "Notes.txt", "planted.json"
_MIX_PEAK_DBFS = -3.0
_DRIVE = 2.5
_UNSENT_GAIN = 2.0
_WORDS = f"""{TITLE} by {ARTIST}. The rough mix is what we listen to.
The bandoneon will follow on Friday.
At 0:22 a long delay on the lead voice, please.
"""


def write_demo(folder: Path) -> Path:
    """Write the demo delivery into `folder` and the list of its faults beside it.

    Returns
    -------
    Path
        The delivery's folder. `planted.json` lies in `folder`, next to it.

    Raises
    ------
    CannotWrite
        The folder cannot be made or written.
    """
    delivery = folder / FOLDER_NAME
    try:
        delivery.mkdir(parents=True, exist_ok=True)
        parts = compose()
        gains = {e.part: _gain(parts[e.part], e.peak_dbfs) for e in EXPORTS if e.part is not None}
        plain = {
            e.file: 10 ** (e.faded_db / 20) * gains[e.part] * parts[e.part][:FRAMES]
            for e in EXPORTS
            if e.part is not None
        }

        def write_part(export: Export) -> None:
            own = plain.get(export.file, np.zeros((FRAMES, 1)))
            _write(delivery / export.file, export, sum((gain * plain[file] for file, gain in export.inside), own))

        # NumPy and the encoders let the interpreter go: threads are enough to use all cores.
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            mix = pool.submit(_write_mixes, delivery, parts, gains)
            list(pool.map(write_part, EXPORTS))
            mix.result()
        (delivery / NOTES).write_text(_WORDS, encoding="utf-8")
        (folder / _PLANTED).write_text(json.dumps(planted(), indent=2) + "\n", encoding="utf-8")
    except OSError as error:
        raise CannotWrite(str(folder), Phrase("write.demo", why=error.strerror), Phrase("do.other-folder")) from error
    return delivery


def is_current(folder: Path) -> bool:
    """Whether a folder holds the demo as it is written now, and not an earlier one."""
    try:
        return bool(json.loads((folder / _PLANTED).read_text("utf-8")) == json.loads(json.dumps(planted())))
    except (OSError, ValueError):
        return False


def planted() -> dict[str, object]:
    """What is planted where: faults, near misses and clean files."""
    return {
        "song": TITLE,
        "artist": ARTIST,
        "delivery": FOLDER_NAME,
        "faults": [
            {"file": e.file, "code": code, "action": action, "why": why}
            for e in EXPORTS
            for code, action, why in e.faults
        ],
        "near_misses": [{"file": e.file, "code": code, "why": why} for e in EXPORTS for code, why in e.near_misses],
        "clean": [e.file for e in EXPORTS if not e.faults],
    }


def write_export(path: Path, export: Export, samples: Samples) -> None:
    """Write one part as an export of it: at its fader, shaped, at its rate and depth."""
    _write(path, export, 10 ** (export.faded_db / 20) * _gain(samples, export.peak_dbfs) * samples[:FRAMES])


def _gain(samples: Samples, peak_dbfs: float | None) -> float:
    peak = float(np.abs(samples[:FRAMES]).max())
    return 10 ** (peak_dbfs / 20) / peak if peak_dbfs is not None and peak else 1.0


def _write(path: Path, export: Export, samples: Samples) -> None:
    if export.rate_hz != RATE_HZ:
        samples = _resampled(samples, export.rate_hz)
    samples = export.shape(samples)
    if export.bits == 32:
        soundfile.write(path, samples.astype(np.float32), export.rate_hz, subtype="FLOAT")
        return
    used = export.used_bits
    codes = np.clip(np.rint(samples * 2.0 ** (used - 1)), -(2 ** (used - 1)), 2 ** (used - 1) - 1).astype(np.int64)
    soundfile.write(path, (codes << (32 - used)).astype(np.int32), export.rate_hz, subtype="PCM_24")


def _write_mixes(folder: Path, parts: Mapping[str, Samples], gains: Mapping[str, float]) -> None:
    """The sum of all parts that are heard, tails included, at one gain; and once more, driven into a ceiling.

    A passage of the bandoneon, which is still to come, is in it.
    """
    total = np.zeros((max(map(len, parts.values())), 2))
    for part, samples in parts.items():
        if part == TRIGGER:
            continue
        total += (gains[part] * (1.0 if samples.shape[1] == 2 else np.sqrt(0.5))) * samples
    unsent = compose_unsent()
    total[: len(unsent)] += _UNSENT_GAIN * unsent
    total *= _gain(total, _MIX_PEAK_DBFS)
    soundfile.write(folder / ROUGH_MIX, total, RATE_HZ, subtype="PCM_24")
    loud = np.tanh(_DRIVE * total)
    soundfile.write(folder / MASTER, 0.98 * loud / np.abs(loud).max(), RATE_HZ, subtype="PCM_24")
