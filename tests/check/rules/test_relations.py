"""What comparing found: twins, files that hold another, sums."""

from __future__ import annotations

from check.found import of, related
from deep_tally.model.comparison import Comparison, Contained, SumOf
from deep_tally.model.files import Role
from deep_tally.model.findings import Action
from tracks import (
    others,
    track,
)


def test_groups_and_wet_parts_hold_others_by_their_nature() -> None:
    dry, wet = track("1 Voice dry.wav"), track("2 Voice wet.wav")
    drums, group = track("3 Snare.wav"), track("4 Drums group.wav", role=Role.GROUP)
    odd, inner = track("5 Keys.wav"), track("6 Harp.wav")
    inside = tuple(
        Contained(path=a.path, inner=b.path, gain_db=-6.0) for a, b in ((wet, dry), (group, drums), (odd, inner))
    )
    found = related(Comparison(contained=inside), dry, wet, drums, group, odd, inner, *others())
    assert [f.files for f in of("content.holds-another", found)] == [(odd.path,)]


def test_a_sum_names_its_parts() -> None:
    total = track("9 All.wav")
    rest = others()
    parts = tuple((t.path, -6.0) for t in rest)
    (finding,) = of(
        "content.sum-of",
        related(Comparison(sums=(SumOf(path=total.path, parts=parts, residual_db=-110.0),)), total, *rest),
    )
    assert finding.action is Action.NOTE
    assert finding.evidence["parts"] == tuple(t.path for t in rest)
