"""Pictures of evidence as SVG, drawn from the data: where in the file, what the samples do there, and what turning the
file down does to them; where the spectrum ends; which bits change; the twin under its file."""

from __future__ import annotations

from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray

from deep_tally.model.delivery import Track
from deep_tally.model.findings import Finding
from deep_tally.model.measures import Excerpt, Measures, OverviewLevel, SpectralEdge, Spectrum
from deep_tally.reply.numbers import decibels

WIDTH, HEIGHT = 640, 72
_INK, _SOFT, _ASK, _RULE = "#22303C", "#59656F", "#A63E14", "#DED7C6"
_COLUMNS_LEAST = 200
_MARKS_MOST = 40
_MARGIN = 8
_BETWEEN = 24
_SPARE_DB = 3.0
_SPECTRUM_FLOOR_DB = -140.0


@dataclass(frozen=True, slots=True)
class Picture:
    """An SVG image of WIDTH by HEIGHT and the words that stand for it."""

    svg: str
    words: str


def picture_of(finding: Finding, track: Track, partner: Track | None = None) -> Picture | None:
    """The picture for one file of a finding; None when there is no sound to show.

    `partner` is another file the finding is about, such as a twin.
    """
    m = track.measures
    if m is None or track.format is None or not track.is_heard:
        return None
    name = track.path.rpartition("/")[2]
    clip = m.worst_flat_top if finding.code == "clipping.earlier" else m.worst_clip or m.worst_flat_top
    if finding.code in ("clipping.baked", "clipping.earlier", "clipping.over") and clip is not None:
        down = max(0.0, m.sample_peak_dbfs) + _SPARE_DB
        stays = "its tops come back whole" if finding.code == "clipping.over" else "its tops stay flat"
        words = f"{name}: its worst place as sent, and turned down {decibels(down)}, where {stays}"
        return Picture(_turned_down(clip, down), words)
    if finding.code in ("rate.upsampled", "content.lossy-origin") and m.spectrum is not None and m.spectrum.edge:
        how = "is mirrored above" if m.spectrum.edge.kind == "mirrored" else "ends at"
        at = f"{m.spectrum.edge.edge_hz / 1000:.1f} kHz"
        return Picture(_spectrum(m.spectrum, m.spectrum.edge), f"{name}: its spectrum {how} {at}")
    if finding.code == "depth.padded":
        bits = int(finding.number_of(track.path, "bits"))
        return Picture(_bits(bits, track.format.bits or bits), f"{name}: {bits} of {track.format.bits} bits in use")
    if finding.code == "content.twin" and partner is not None and partner.measures is not None:
        if finding.files[0] != track.path:
            return None  # one picture shows both
        other = partner.path.rpartition("/")[2]
        return Picture(_one_over_another(m, partner.measures), f"{name} above, {other} below")
    marks = [p.frame / max(1, track.format.frames) for p in finding.places if p.path == track.path]
    return Picture(_overview(m.overview, marks[:_MARKS_MOST]), f"{name}: the whole file as sent")


def _wave(values: NDArray[np.floating], *, left: float, width: float, scale: float) -> str:
    middle, reach = HEIGHT / 2, HEIGHT / 2 - _MARGIN
    x = np.linspace(left, left + width, len(values))
    points = " ".join(f"{a:.1f},{middle - reach * b * scale:.1f}" for a, b in zip(x, values, strict=True))
    return f'<polyline points="{points}" fill="none" stroke="{_INK}" stroke-width="1.4"/>'


def _turned_down(excerpt: Excerpt, down_db: float) -> str:
    """On the left the samples as they play, cut off at full scale; on the right the same, lower."""
    channel = int(np.abs(excerpt.samples).max(axis=0).argmax())
    values = excerpt.samples[:, channel].astype(np.float64)
    gain = 10 ** (-down_db / 20)
    middle, reach = HEIGHT / 2, HEIGHT / 2 - _MARGIN
    half = (WIDTH - _BETWEEN) / 2
    body = "".join(
        f'<line x1="0" y1="{middle + sign * reach}" x2="{WIDTH}" y2="{middle + sign * reach}" stroke="{_ASK}"/>'
        for sign in (-1, 1)
    )
    dashes = "".join(
        f'<line x1="{half + _BETWEEN:.0f}" y1="{middle + sign * reach * gain:.1f}" x2="{WIDTH}"'
        f' y2="{middle + sign * reach * gain:.1f}" stroke="{_ASK}" stroke-dasharray="4 3" stroke-width="0.8"/>'
        for sign in (-1, 1)
    )
    played = _wave(np.clip(values, -1, 1), left=0, width=half, scale=1.0)
    lower = _wave(values, left=half + _BETWEEN, width=half, scale=gain)
    rule = f'<line x1="{WIDTH / 2}" y1="2" x2="{WIDTH / 2}" y2="{HEIGHT - 2}" stroke="{_RULE}"/>'
    return _svg(body + dashes + rule + played + lower)


def _spectrum(spectrum: Spectrum, edge: SpectralEdge) -> str:
    levels = spectrum.levels_db.astype(np.float64)
    columns = min(len(levels), WIDTH // 2)
    highest = np.maximum.reduceat(levels, np.arange(columns) * len(levels) // columns)
    top = float(highest.max())
    y = _MARGIN + (HEIGHT - _MARGIN) * np.clip((top - highest) / (top - _SPECTRUM_FLOOR_DB), 0, 1)
    x = np.arange(columns) / columns * WIDTH
    points = " ".join(f"{a:.1f},{b:.1f}" for a, b in zip(x, y, strict=True))
    at = edge.edge_hz / (spectrum.bin_hz * (len(levels) - 1)) * WIDTH
    return _svg(
        f'<polygon points="0,{HEIGHT} {points} {WIDTH},{HEIGHT}" fill="{_RULE}"/>'
        f'<polyline points="{points}" fill="none" stroke="{_SOFT}"/>'
        f'<line x1="{at:.1f}" y1="2" x2="{at:.1f}" y2="{HEIGHT}" stroke="{_ASK}" stroke-width="2"/>'
    )


def _bits(used: int, held: int) -> str:
    step = min(24.0, WIDTH / max(1, held))
    boxes = "".join(
        f'<rect x="{bit * step + 1:.1f}" y="{HEIGHT / 2 - 10}" width="{step - 3:.1f}" height="20"'
        f' fill="{_SOFT if bit < used else "none"}" stroke="{_SOFT if bit < used else _RULE}"/>'
        for bit in range(held)
    )
    return _svg(boxes)


def _one_over_another(upper: Measures, lower: Measures) -> str:
    """Two files on one time axis."""
    longest = max(upper.frames, lower.frames, 1)
    body = "".join(
        _shape(m.overview, middle=HEIGHT * place, reach=HEIGHT / 4 - 3, width=WIDTH * m.frames / longest)
        for m, place in ((upper, 0.25), (lower, 0.75))
    )
    return _svg(body)


def _shape(levels: tuple[OverviewLevel, ...], *, middle: float, reach: float, width: float = WIDTH) -> str:
    level = next((lv for lv in reversed(levels) if len(lv.low) >= _COLUMNS_LEAST), levels[0])
    low, high = level.low.min(axis=1).astype(np.float32), level.high.max(axis=1).astype(np.float32)
    scale = max(1e-9, float(np.abs(low).max(initial=0.0)), float(high.max(initial=0.0)))
    x = np.linspace(0, width, len(low))
    upper = [f"{a:.1f},{middle - reach * b:.1f}" for a, b in zip(x, high / scale, strict=True)]
    lower = [f"{a:.1f},{middle - reach * b:.1f}" for a, b in zip(x[::-1], (low / scale)[::-1], strict=True)]
    body = f'<line x1="0" y1="{middle}" x2="{WIDTH}" y2="{middle}" stroke="{_RULE}"/>'
    return body + f'<polygon points="{" ".join(upper + lower)}" fill="{_SOFT}" stroke="{_SOFT}" stroke-width="0.6"/>'


def _overview(levels: tuple[OverviewLevel, ...], marks: list[float]) -> str:
    body = _shape(levels, middle=HEIGHT / 2, reach=HEIGHT / 2 - _MARGIN)
    for mark in marks:
        at = min(WIDTH - 1.5, max(1.5, mark * WIDTH))
        body += f'<line x1="{at:.1f}" y1="2" x2="{at:.1f}" y2="{HEIGHT - 2}" stroke="{_ASK}" stroke-width="2"/>'
    return _svg(body)


def _svg(body: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" width="{WIDTH}" height="{HEIGHT}">'
        f"{body}</svg>"
    )


def with_title(picture: Picture) -> str:
    """The SVG with its words inside, for pages that are read aloud."""
    return picture.svg.replace(">", f' role="img"><title>{escape(picture.words)}</title>', 1)
