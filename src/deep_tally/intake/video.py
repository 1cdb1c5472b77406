"""Does a file hold moving pictures? A video among the parts is no trackout.

References
----------
ISO/IEC 14496-12, 8.4.3 (handler box). RFC 9559, 5.1.4.1.21 (Matroska codec names begin with V_ for video).
"""

from __future__ import annotations

import os
from pathlib import Path

from deep_tally.intake.codec_delay import find_box

_MATROSKA = b"\x1aE\xdf\xa3"
_SEARCHED = 1 << 20


def is_film(path: Path, head: bytes) -> bool:
    """Whether an MP4 or Matroska file holds a video track; False for every other format."""
    if head[4:8] != b"ftyp" and head[:4] != _MATROSKA:
        return False
    try:
        file = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
    except OSError:
        return False
    try:
        if head[:4] == _MATROSKA:
            begin = os.pread(file, _SEARCHED, 0)
            return b"V_MPEG" in begin or b"V_VP" in begin or b"V_AV1" in begin
        moov = find_box(file, (b"moov",), 0, os.fstat(file).st_size)
        if moov is None:
            return False
        tracks = os.pread(file, min(_SEARCHED, moov[1] - moov[0]), moov[0])
    except OSError:
        return False
    finally:
        os.close(file)
    # The handler's type stands eight bytes after its name.
    at = tracks.find(b"hdlr")
    while at >= 0:
        if tracks[at + 12 : at + 16] == b"vide":
            return True
        at = tracks.find(b"hdlr", at + 4)
    return False
