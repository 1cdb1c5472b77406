"""What a file shows by itself is found as soon as it is measured, before any other is known."""

from __future__ import annotations

from dataclasses import replace

import pytest

from deep_tally.check.assess import assess_so_far
from deep_tally.check.registry import CHECKS
from deep_tally.model.brief import Brief
from deep_tally.model.delivery import Track
from deep_tally.model.files import Damage
from deep_tally.model.measures import EditJump, EditJumps, Gap, Gaps, Hum
from deep_tally.model.phrase import Phrase
from tracks import DEFAULT_BRIEF, brief, intake_of, others, runs, stereo, track

OVER = {"sample_format": "float", "bits": 32, "bits_in_use": 32, "overs": runs(3)}
GAP = Gap(frame=48_000, frames=480, kind="zeros", before_dbfs=-20.0, after_dbfs=-20.0)
CUT_OFF = Damage(problem=Phrase("sound.ends-early"), remedy=Phrase("ask.again"))
OF_ANOTHER_KIND = Damage(problem=Phrase("sound.kind", kind="DSD"), remedy=Phrase("ask.as-wav"))
SILENT = {"first_sound_frame": None, "last_sound_frame": None}
INTEGERS, MONOS, FLAC = brief(sample_formats=["int"]), brief(stereo="two-monos"), brief(containers=["flac"])

FILES: list[tuple[str, Track, Brief]] = [
    ("start.codec-delay", track(codec_delay_frames=1105), DEFAULT_BRIEF),
    ("depth.off-brief", track(**OVER), INTEGERS),
    ("clipping.baked", track(clip_runs=runs(9)), DEFAULT_BRIEF),
    ("clipping.over", track(**OVER), DEFAULT_BRIEF),
    ("clipping.between-samples", track(true_peak_dbtp=0.5), DEFAULT_BRIEF),
    ("headroom.hot", track(sample_peak_by_channel_dbfs=(-1.0,)), DEFAULT_BRIEF),
    ("headroom.quiet", track(sample_peak_by_channel_dbfs=(-40.0,)), DEFAULT_BRIEF),
    ("headroom.dc", track(dc_offset=(0.1,)), DEFAULT_BRIEF),
    ("channels.same", stereo(greatest_difference=0.0, correlation=1.0, residual_db=-150.0), DEFAULT_BRIEF),
    ("channels.panned-mono", stereo(correlation=1.0, residual_db=-90.0), DEFAULT_BRIEF),
    ("channels.opposed", stereo(mono_loss_db=-20.0, correlation=-0.9), DEFAULT_BRIEF),
    ("channels.near-mono", stereo(correlation=0.999, residual_db=-40.0), DEFAULT_BRIEF),
    ("channels.unrelated", stereo(correlation=0.0, level_correlation=0.0), DEFAULT_BRIEF),
    ("channels.many", track(channels=6), DEFAULT_BRIEF),
    ("channels.to-split", stereo(), MONOS),
    ("content.damaged", replace(track(), damage=CUT_OFF), DEFAULT_BRIEF),
    ("content.unreadable-kind", replace(track(), damage=OF_ANOTHER_KIND), DEFAULT_BRIEF),
    ("content.empty", track(**SILENT), DEFAULT_BRIEF),
    ("content.nonfinite", track(nonfinite=runs(2)), DEFAULT_BRIEF),
    ("content.dropout", track(gaps=Gaps(count=1, places=(GAP,))), DEFAULT_BRIEF),
    ("content.container", track(), FLAC),
    ("content.edit-jump", track(edit_jumps=EditJumps(count=1, places=(EditJump(frame=9, channel=0),))), DEFAULT_BRIEF),
    ("content.import-tags", track(import_tags=(Phrase("tag.loops", count=1),)), DEFAULT_BRIEF),
    ("content.hum", track(hum=Hum(mains_hz=50, dbfs=-50.0, tones=4)), DEFAULT_BRIEF),
]


@pytest.mark.parametrize(("code", "file", "asked"), FILES, ids=[code for code, _, _ in FILES])
def test_what_a_file_shows_by_itself_is_found_at_once(code: str, file: Track, asked: Brief) -> None:
    intake = intake_of([file, *others()])
    found = assess_so_far(intake, [file], asked).findings
    assert code in {g.code for f in found for g in (f, *f.consequences)}


def test_what_rests_on_other_files_waits_for_them() -> None:
    # One file of another rate, length and depth, with a name that says nothing, says nothing of that by itself.
    odd = track("Audio 1.wav", rate_hz=44_100, frames=44_100, bits=16, bits_in_use=16)
    found = assess_so_far(intake_of([odd, *others()]), [odd], DEFAULT_BRIEF)
    assert found.findings == ()
    assert {code for code, _, _ in FILES} == {check.code for check in CHECKS if check.alone}
