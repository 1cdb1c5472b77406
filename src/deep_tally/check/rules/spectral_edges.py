"""Where content ends in the spectrum, and what that speaks of: a lower sample rate, or a lossy encoder."""

from __future__ import annotations

from deep_tally.model.brief import Brief
from deep_tally.model.delivery import SongSet, Track
from deep_tally.model.measures import SpectralEdge

SOURCE_RATES_HZ = (22_050, 32_000, 44_100, 48_000, 88_200, 96_000)
_FILTER_SHARE = (0.9, 1.0)
"""A converter's filter ends the content at 0.90 to 1.00 of half the rate it came from (measured: 0.95 to 0.98)."""
LOSSY_EDGES_HZ = ((15_700.0, 17_600.0), (18_300.0, 20_700.0))
"""Where common encoders end the content (measured: docs/measures.md)."""
SHARED_WITHIN_HZ = 300.0


def is_lossy_edge(edge: SpectralEdge) -> bool:
    """Whether common encoders end their content there."""
    return any(low <= edge.edge_hz <= high for low, high in LOSSY_EDGES_HZ)


def source_rate(edge: SpectralEdge, rate_hz: int) -> int | None:
    """The lower rate that a file's content speaks of; None where the edge fits none, or an encoder may have left it."""
    if edge.kind == "mirrored":
        return round(2 * edge.edge_hz)
    if edge.kind == "coded" or is_lossy_edge(edge):
        return None
    low, high = _FILTER_SHARE
    fits = [r for r in SOURCE_RATES_HZ if r < rate_hz and low <= edge.edge_hz / (r / 2) <= high]
    return min(fits, default=None)


def spectral_edge_of(track: Track) -> SpectralEdge | None:
    """The edge of a lossless file with sound."""
    if (known := track.heard) is None:
        return None
    sound, measures = known
    return measures.spectrum.edge if measures.spectrum is not None and sound.sample_format != "lossy" else None


def is_clear(edge: SpectralEdge, brief: Brief) -> bool:
    """Whether the edge is sharp enough to be asked about."""
    return edge.drop_db > brief.threshold("rate.edge_drop_db")


def sharing(song: SongSet, edge: SpectralEdge) -> int:
    """How many files of the set end at the same place, this one among them."""
    edges = [other.edge_hz for t in song.assessed if (other := spectral_edge_of(t)) is not None]
    return sum(abs(hz - edge.edge_hz) <= SHARED_WITHIN_HZ for hz in edges)
