"""Where plain samples lie in a file: what the parsers of containers find, and `pcm` reads by.

Apart from the reader, whose machine code takes half a second to load: whoever only looks at headers needs none.
"""

from __future__ import annotations

from dataclasses import dataclass

from deep_tally.model.files import SoundFormat


@dataclass(frozen=True, slots=True, kw_only=True)
class PcmLayout:
    """Where a file's samples lie and how they are stored.

    Attributes
    ----------
    format : SoundFormat
    sample_bytes : int
        Bytes of one sample of one channel as stored.
    data_offset : int
        Byte of the first sample.
    big_endian : bool
    unsigned : bool
        8-bit samples with their zero at 128 (WAV).
    """

    format: SoundFormat
    sample_bytes: int
    data_offset: int
    big_endian: bool = False
    unsigned: bool = False
