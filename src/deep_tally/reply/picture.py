"""Pictures of evidence as SVG, drawn from the data: where in the file, and what the samples do there."""

from __future__ import annotations

from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np

from deep_tally.model.delivery import Track
from deep_tally.model.findings import Finding
from deep_tally.model.measures import Excerpt, OverviewLevel

WIDTH, HEIGHT = 640, 72
_INK, _SOFT, _ASK, _RULE = "#22303C", "#59656F", "#A63E14", "#DED7C6"
_COLUMNS_LEAST = 200
_MARKS_MOST = 40
_MARGIN = 8


@dataclass(frozen=True, slots=True)
class Picture:
    """An SVG image of WIDTH by HEIGHT and the words that stand for it."""

    svg: str
    words: str


def picture_of(finding: Finding, track: Track) -> Picture | None:
    """The picture for one file of a finding; None when there is no sound to show."""
    if track.measures is None or track.format is None or not track.is_heard:
        return None
    name = track.path.rpartition("/")[2]
    clip = track.measures.worst_clip
    if finding.code == "clipping.baked" and clip is not None:
        return Picture(_samples(clip), f"{name}: the waveform at its worst place, flat at full scale")
    marks = [p.frame / max(1, track.format.frames) for p in finding.places if p.path == track.path]
    return Picture(_overview(track.measures.overview, marks[:_MARKS_MOST]), f"{name}: the whole file as sent")


def _overview(levels: tuple[OverviewLevel, ...], marks: list[float]) -> str:
    level = next((lv for lv in reversed(levels) if len(lv.low) >= _COLUMNS_LEAST), levels[0])
    low, high = level.low.min(axis=1).astype(np.float32), level.high.max(axis=1).astype(np.float32)
    scale = max(1e-9, float(np.abs(low).max(initial=0.0)), float(high.max(initial=0.0)))
    middle, reach = HEIGHT / 2, HEIGHT / 2 - _MARGIN
    x = np.linspace(0, WIDTH, len(low))
    upper = [f"{a:.1f},{middle - reach * b:.1f}" for a, b in zip(x, high / scale, strict=True)]
    lower = [f"{a:.1f},{middle - reach * b:.1f}" for a, b in zip(x[::-1], (low / scale)[::-1], strict=True)]
    body = f'<line x1="0" y1="{middle}" x2="{WIDTH}" y2="{middle}" stroke="{_RULE}"/>'
    body += f'<polygon points="{" ".join(upper + lower)}" fill="{_SOFT}" stroke="{_SOFT}" stroke-width="0.6"/>'
    for mark in marks:
        at = min(WIDTH - 1.5, max(1.5, mark * WIDTH))
        body += f'<line x1="{at:.1f}" y1="2" x2="{at:.1f}" y2="{HEIGHT - 2}" stroke="{_ASK}" stroke-width="2"/>'
    return _svg(body)


def _samples(excerpt: Excerpt) -> str:
    channel = int(np.abs(excerpt.samples).max(axis=0).argmax())
    values = excerpt.samples[:, channel]
    scale = max(1.0, float(np.abs(values).max()))
    middle, reach = HEIGHT / 2, HEIGHT / 2 - _MARGIN
    x = np.linspace(0, WIDTH, len(values))
    points = " ".join(f"{a:.1f},{middle - reach * b / scale:.1f}" for a, b in zip(x, values, strict=True))
    ceilings = [round(middle + sign * reach / scale, 1) for sign in (-1, 1)]
    body = "".join(f'<line x1="0" y1="{y}" x2="{WIDTH}" y2="{y}" stroke="{_ASK}"/>' for y in ceilings)
    return _svg(body + f'<polyline points="{points}" fill="none" stroke="{_INK}" stroke-width="1.4"/>')


def _svg(body: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" width="{WIDTH}" height="{HEIGHT}">'
        f"{body}</svg>"
    )


def with_title(picture: Picture) -> str:
    """The SVG with its words inside, for pages that are read aloud."""
    return picture.svg.replace(">", f' role="img"><title>{escape(picture.words)}</title>', 1)
