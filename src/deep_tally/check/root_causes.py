"""Which finding explains which? The explained one is shown under its root, neither counted nor asked."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace

from deep_tally.model.findings import Finding

_ABSORBS: dict[str, tuple[str, ...]] = {
    # A file that stops early is short for that reason, wherever its sound begins.
    "content.damaged": ("start.at-sound", "length.short", "length.tail-cut", "name.contradicts"),
    "content.empty": (
        "start.",
        "length.",
        "rate.",
        "depth.",
        "clipping.",
        "headroom.",
        "channels.",
        "name.contradicts",
    ),
    "content.nonfinite": ("content.empty",),
    "start.at-sound": ("length.short", "start.cut-in", "name.contradicts"),
    # Exported again to whole bars, the file has another length.
    "length.loop-not-bars": ("length.short", "length.long", "length.tail-room", "name.contradicts"),
    "length.short": ("name.contradicts",),
    "length.set-short-of-mix": ("length.set-cut",),
    "length.long": ("name.contradicts",),
    "length.ends-differ": ("name.contradicts",),
    "start.set-at-sound": ("name.contradicts",),
    "clipping.baked": (
        "clipping.earlier",
        "clipping.between-samples",
        "headroom.hot",
        "headroom.limited",
        "headroom.normalised",
        "headroom.shared-ceiling",
    ),
    "clipping.earlier": ("headroom.limited",),
    "clipping.over": ("headroom.hot", "clipping.between-samples"),
    "headroom.shared-ceiling": ("headroom.normalised", "headroom.limited", "headroom.same-peak"),
    "rate.wrong-speed": (
        "length.short",
        "length.long",
        "length.ends-differ",
        "rate.differs",
        "start.unplaced",
        "start.at-sound",
    ),
    "depth.low": ("depth.differs",),
    "depth.off-brief": ("depth.differs",),
    "start.unplaced": ("name.contradicts",),
    "channels.pair-same": ("channels.split-pair", "content.twin", "name.clash"),
    "channels.same": ("channels.one-side", "channels.panned-mono", "channels.near-mono"),
    "channels.opposed": ("channels.one-side", "channels.panned-mono", "channels.near-mono"),
    "channels.one-side": ("channels.panned-mono", "channels.near-mono"),
    "channels.panned-mono": ("channels.near-mono",),
    "content.twin": ("name.clash", "name.copy-mark", "content.holds-another"),
    "content.lossy": ("start.codec-delay",),
    "content.lossy-origin": ("rate.upsampled",),
}
"""Root -> codes it explains; a code that ends in a dot stands for its whole question."""


def _claims(root: Finding, other: Finding) -> bool:
    return any(other.code == c or (c.endswith(".") and other.code.startswith(c)) for c in _ABSORBS[root.code])


def under_root_causes(findings: Sequence[Finding]) -> list[Finding]:
    """Put each finding whose every file has a root for it under that root, or under what explains the root itself."""
    roots: defaultdict[str, list[int]] = defaultdict(list)
    for index, finding in enumerate(findings):
        for path in finding.files if finding.code in _ABSORBS else ():
            roots[path].append(index)
    parents: dict[int, int] = {}
    for index, finding in enumerate(findings):
        explaining = [
            next((i for i in roots[path] if i != index and _claims(findings[i], finding)), None)
            for path in finding.files
        ]
        if explaining and explaining[0] is not None and None not in explaining:
            parents[index] = explaining[0]
    under: defaultdict[int, list[Finding]] = defaultdict(list)
    for index in parents:
        top = parents[index]
        while top in parents:
            top = parents[top]
        under[top].append(findings[index])
    return [
        replace(finding, consequences=tuple(under[index])) if index in under else finding
        for index, finding in enumerate(findings)
        if index not in parents
    ]
