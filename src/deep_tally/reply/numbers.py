"""How numbers read in the language that is spoken: with units, a true minus sign, no more digits than they carry."""

from __future__ import annotations

import math
from collections.abc import Sequence

from deep_tally.model.language import gettext as _
from deep_tally.model.language import marked, ngettext, pgettext

MINUS = "\N{MINUS SIGN}"


def decimal(text: str) -> str:
    """A number that Python has formatted, with the decimal sign of the language."""
    return text.replace(".", pgettext("decimal sign", "."))


def decibels(value: float, unit: str = "dB", *, digits: int = 1) -> str:
    """ "−6.0 dBFS"; a value that rounds to zero has no sign; silence reads "−∞ dBFS"."""
    return f"{signed(value, digits=digits)} {unit}"


def level(value: float, unit: str = "dBFS") -> str:
    """A level with its sign: "+2.3 dBFS" is over full scale."""
    text = decibels(value, unit)
    return text if text.startswith(MINUS) or signed(value) == signed(0.0) else f"+{text}"


def signed(value: float, *, digits: int = 1) -> str:
    """A number with a true minus sign."""
    if math.isinf(value):
        return f"{MINUS if value < 0 else ''}∞"
    text = f"{abs(value):.{digits}f}"
    return decimal(MINUS + text if value < 0 and float(text) else text)


def clock(seconds: float, *, digits: int = 1) -> str:
    """ "0:04.1", "3:58.0", "1:02:03.5"; cut, not rounded, so that a time never lies past its event."""
    scale = 10**digits
    ticks = math.floor(seconds * scale + 1e-6)
    whole, part = divmod(ticks, scale)
    hours, rest = divmod(whole, 3600)
    minutes, second = divmod(rest, 60)
    fraction = decimal(f".{part:0{digits}d}") if digits else ""
    if hours:
        return f"{hours}:{minutes:02d}:{second:02d}{fraction}"
    return f"{minutes}:{second:02d}{fraction}"


def kilohertz(rate_hz: float) -> str:
    """ "48 kHz", "44.1 kHz"."""
    return f"{decimal(f'{rate_hz / 1000:.4g}')} kHz"


def hertz(hz: float) -> str:
    """ "200 Hz", "3 kHz"."""
    return f"{hz:.0f} Hz" if hz < 1000 else kilohertz(round(hz))


def depth(bits: int | None, sample_format: str) -> str:
    """ "24 bit", "32 bit float", "lossy"."""
    if bits is None:
        return _("lossy")
    return (_("{bits} bit float") if sample_format == "float" else _("{bits} bit")).format(bits=bits)


def duration(ms: float) -> str:
    """ "3 ms", "0.9 s", "10 s", "2:05 min"."""
    if abs(ms) < 100:
        return f"{decimal(f'{ms:.2g}')} ms" if abs(ms) < 10 else f"{ms:.0f} ms"
    seconds = ms / 1000
    if seconds < 60:
        return f"{decimal(f'{seconds:.3g}')} s"
    return f"{clock(seconds, digits=0)} min"


def count(number: int, one: str, many: str | None = None) -> str:
    """ "1 file", "3 files"."""
    return f"{number} {ngettext(one, many or f'{one}s', number)}"


def listed(words: Sequence[str], *, most: int = 6, word: str = marked("and")) -> str:
    """ "A, B and C"; past `most`, "A, B and 5 more"; `word` stands before the last one."""
    if len(words) > most:
        return _("{names} and {number} more").format(names=", ".join(words[: most - 1]), number=len(words) - most + 1)
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} {_(word)} {words[-1]}"


def megabytes(done: int, total: int) -> str:
    """ "12 of 812 MB"; "3.2 of 8.4 MB" where whole ones tell too little. A megabyte is a million bytes."""
    digits = 0 if total >= 100_000_000 else 1
    return _("{done} of {total} MB").format(
        done=decimal(f"{done / 1e6:.{digits}f}"), total=decimal(f"{total / 1e6:.{digits}f}")
    )


def size(bytes_: int) -> str:
    """ "812 bytes", "3.2 kB", "12 MB" (powers of a thousand)."""
    if bytes_ < 1000:
        return count(bytes_, "byte", "bytes")
    scale, unit = (1e3, "kB") if bytes_ < 1e6 else (1e6, "MB")
    return f"{decimal(f'{bytes_ / scale:.{1 if bytes_ < 10 * scale else 0}f}')} {unit}"
