"""The demo's second round: seven files sent again; three requests are met, one by half, and one new fault came."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from types import MappingProxyType

import numpy as np

from deep_tally.demo.delivery import write_export
from deep_tally.demo.exports import EXPORTS, Export, with_gaps
from deep_tally.demo.song import FRAMES, TITLE, Samples, compose, compose_unsent
from deep_tally.demo.synth import RATE_HZ
from deep_tally.model.errors import CannotWrite
from deep_tally.model.phrase import Phrase

FOLDER_NAME = f"{TITLE} corrected files"
_BY_FILE: Mapping[str, Export] = MappingProxyType({export.file: export for export in EXPORTS})


def _clipped_less(samples: Samples) -> Samples:
    """Turned down, but not far enough: only the loudest strokes are clipped still."""
    return np.clip(samples * 10 ** (1 / 20), -1.0, 1.0)


ROUND_TWO = (
    replace(_BY_FILE["01 Frame drum.wav"], shape=_clipped_less),
    _BY_FILE["03 Hand bells.wav"],
    replace(_BY_FILE["08 Fiddle.wav"], rate_hz=RATE_HZ),
    _BY_FILE["22 Brushes.wav"],
    replace(_BY_FILE["23 Rain stick.wav"], shape=lambda samples: samples),
    replace(_BY_FILE["24 Melodica.wav"], file="24 Melodica v2.wav", shape=lambda samples: samples),
)
BANDONEON = "40 Bandoneon.wav"

EXPECTED: Mapping[str, str] = MappingProxyType(
    {
        "clipping.baked": "partly",
        "rate.differs": "met",
        "content.lossy-origin": "met",
        "content.dropout": "met",
        "length.tail-cut": "not-met",
    }
)
"""What becomes of the first round's requests; the tail is cut as before, for that file came unchanged."""
NEW_FAULT = (BANDONEON, "content.dropout")


def write_round_two(folder: Path) -> Path:
    """Write the second round into `folder`; returns its own folder.

    Raises
    ------
    CannotWrite
        The folder cannot be made or written.
    """
    delivery = folder / FOLDER_NAME
    try:
        delivery.mkdir(parents=True, exist_ok=True)
        parts = compose()
        for export in ROUND_TWO:
            if export.part is not None:
                write_export(delivery / export.file, export, parts[export.part])
        unsent = np.zeros((FRAMES, 1))
        sound = compose_unsent()[:FRAMES]
        unsent[: len(sound)] = sound[:, :1]
        write_export(delivery / BANDONEON, Export(file=BANDONEON, part=None, peak_dbfs=-9.0, shape=with_gaps), unsent)
    except OSError as error:
        raise CannotWrite(str(folder), Phrase("write.demo", why=error.strerror), Phrase("do.other-folder")) from error
    return delivery
