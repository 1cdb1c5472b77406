"""A ready copy from a delivery to its proof."""

from __future__ import annotations

import hashlib
import json
import math
import os
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from conftest import check_folder
from deep_tally.engine.check_run import CheckRun
from deep_tally.engine.ready_run import MANIFEST, TABLE, CopyWritten, Finished, ReadyRun, Stopped, holds_the_same
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.delivery import Delivery, Track
from deep_tally.model.errors import CannotWrite, NotCheckedHere
from deep_tally.model.findings import Action
from deep_tally.model.ready import AS_PLANNED, ReadyChoices, ReadyPlan
from deep_tally.ready.plan import plan_ready
from deep_tally.ready.target import JOURNAL
from deep_tally.ready.write import CopyJob, write_copy
from deep_tally.reply.ready_folder import hand_overs
from ready.written import MADE
from tracks import track

RATE, SECONDS = 48_000, 6


def part(seed: int, *, peak: float = 0.3, begin_s: float = 1.0, end_s: float = 4.0) -> NDArray[np.float64]:
    """Bursts of coloured noise between two silences, on the grid of 24 bits."""
    random = np.random.default_rng(seed)
    samples = np.convolve(random.standard_normal(SECONDS * RATE), np.ones(3 + seed % 9), "same")
    samples *= np.repeat(random.random(SECONDS * 20) ** 2, RATE // 20)
    samples[: round(begin_s * RATE)] = samples[round(end_s * RATE) :] = 0.0
    samples *= peak / np.abs(samples).max()
    return np.rint(samples * 2.0**23) / 2.0**23


PARTS = ("Kick", "Bass", "Voice", "Organ")


def written(folder: Path, **more: tuple[NDArray[np.float64], str]) -> Path:
    """Four clean parts, and more: samples and subtype by name."""
    folder.mkdir(parents=True)
    for number, name in enumerate(PARTS):
        soundfile.write(folder / f"{number + 1:02d} {name}.wav", part(number, peak=0.3 - 0.03 * number), RATE, "PCM_24")
    for name, (samples, subtype) in more.items():
        soundfile.write(folder / f"{name.replace('_', ' ').strip()}.wav", samples, RATE, subtype)
    return folder


def opened(folder: Path) -> CheckRun:
    run = CheckRun([folder], DEFAULT_BRIEF, is_cached=False, is_fresh=True)
    for _ in run:
        pass
    return run


def ready(
    run: CheckRun,
    to: Path,
    choices: ReadyChoices = AS_PLANNED,
    **options: Any,
) -> ReadyRun:
    assert run.delivery is not None
    assert run.intake is not None
    plan = plan_ready(run.delivery, run.brief, choices=choices)
    return ReadyRun(
        plan,
        to,
        entries={entry.path: entry for entry in run.intake.entries},
        delivery=run.delivery,
        contents=run.contents,
        client=run.client,
        brief=run.brief,
        hand_overs=tuple(hand_overs(run.delivery, plan, {e.path: e.source for e in run.intake.entries})),
        **options,
    )


def hashes(folder: Path) -> dict[str, str]:
    return {str(p): hashlib.sha256(p.read_bytes()).hexdigest() for p in sorted(folder.rglob("*")) if p.is_file()}


@pytest.fixture
def faulty(tmp_path: Path) -> Iterator[CheckRun]:
    """Same sides, one side, an offset, float overs, a trimmed end, and two sides in two files."""
    left, right = part(21), part(21) * 0.7 + part(22) * 0.5
    folder = written(
        tmp_path / "Tide 96 BPM",
        _05_Pad=(np.stack([part(5)] * 2, axis=1), "PCM_24"),
        _06_Horn=(np.stack([part(6), np.zeros(SECONDS * RATE)], axis=1), "PCM_24"),
        _07_Drone=(part(7) + 0.02, "PCM_24"),
        _08_Lead=(part(8, peak=1.4), "FLOAT"),
        _09_Flute=(part(9)[: 5 * RATE], "PCM_24"),
        _10_Room_L=(left, "PCM_24"),
        _11_Room_R=(right, "PCM_24"),
    )
    run = opened(folder)
    yield run
    run.close()


def test_the_copy_has_nothing_left_to_fix_is_proved_and_no_original_is_touched(
    faulty: CheckRun, tmp_path: Path
) -> None:
    before = hashes(tmp_path / "Tide 96 BPM")
    assert faulty.delivery is not None
    fixes = {f.code for f in faulty.delivery.findings if f.action is Action.FIX}
    assert {"channels.same", "channels.one-side", "headroom.dc", "clipping.over", "channels.split-pair"} <= fixes
    with ready(faulty, tmp_path / "out") as run:
        events = list(run)
        assert run.worst_error_dbfs < -140
    finished = events[-1]
    assert isinstance(finished, Finished)
    assert finished.left == ()
    assert hashes(tmp_path / "Tide 96 BPM") == before
    again = check_folder(tmp_path / "out")
    assert [f.code for f in again.findings if f.action is Action.FIX] == []
    manifest = json.loads((tmp_path / "out" / MANIFEST).read_text("utf-8"))
    assert not (tmp_path / "out" / JOURNAL).exists()
    assert (tmp_path / "out" / TABLE).exists()
    on_disk = hashes(tmp_path / "out")
    for copy in manifest["copies"]:
        assert copy["sha256_copy"] == on_disk[str(tmp_path / "out" / copy["copy"])]
        source = copy.get("source", copy.get("sources", [None])[0])
        digest = copy["sha256_source"] if isinstance(copy["sha256_source"], str) else copy["sha256_source"][0]
        assert digest == before[str(tmp_path / "Tide 96 BPM" / source)]
    assert sum(isinstance(event, CopyWritten) for event in events) == len(manifest["copies"])
    assert {soundfile.info(tmp_path / "out" / c["copy"]).frames for c in manifest["copies"]} == {SECONDS * RATE}
    beside = {p.name: p for p in (tmp_path / "out" / "Session").iterdir()}
    assert sorted(beside) == ["Click 96 BPM.wav", "Edit list.otio", "Session sheet.html", "Tempo map.mid"]
    assert "05 Pad.wav" in beside["Session sheet.html"].read_text("utf-8")
    assert soundfile.info(beside["Click 96 BPM.wav"]).frames == SECONDS * RATE


def test_the_sum_of_the_copies_is_the_sum_of_the_sources(faulty: CheckRun, tmp_path: Path) -> None:
    """At their places and gains, each on the sides it had: the copies' own figures put back what a fold took."""
    with ready(faulty, tmp_path / "out") as run:
        list(run)
    manifest = json.loads((tmp_path / "out" / MANIFEST).read_text("utf-8"))
    of_copies = np.zeros((SECONDS * RATE, 2))
    of_sources = np.zeros((SECONDS * RATE, 2))
    for copy in manifest["copies"]:
        gain = 10 ** (copy["gain_db"] / 20)
        samples = soundfile.read(tmp_path / "out" / copy["copy"], always_2d=True)[0] / gain
        if "left_db" in copy:
            factors = [10 ** (copy[side] / 20) if copy[side] is not None else 0.0 for side in ("left_db", "right_db")]
            samples = samples * factors
        of_copies += samples
        for number, source in enumerate(copy.get("sources", [copy.get("source")])):
            sent = soundfile.read(tmp_path / "Tide 96 BPM" / source, always_2d=True)[0]
            if copy["steps"] and copy["steps"][0]["step"] == "join":
                sent = sent * [1.0 - number, float(number)]
            of_sources[: len(sent)] += sent - next((s["share"] for s in copy["steps"] if s["step"] == "dc"), 0.0)
    error = of_copies - of_sources
    assert 20 * math.log10(np.sqrt(np.mean(error**2))) < -120


def test_files_that_changed_since_stop_it_before_anything_is_written(faulty: CheckRun, tmp_path: Path) -> None:
    """One sample in the middle, where no fingerprint looks, with the same size and time."""
    file = tmp_path / "Tide 96 BPM" / "03 Voice.wav"
    status, data = file.stat(), bytearray(file.read_bytes())
    data[len(data) // 3 // 3 * 3 + 44] ^= 1
    file.write_bytes(data)
    os.utime(file, ns=(status.st_atime_ns, status.st_mtime_ns))
    with ready(faulty, tmp_path / "out") as run:
        events = list(run)
    stopped = events[-1]
    assert isinstance(stopped, Stopped)
    assert str(stopped.error) == "03 Voice.wav: it has changed since it was checked; check the delivery again."
    assert not (tmp_path / "out").exists()


@pytest.mark.parametrize(
    ("now", "is_same"),
    [
        (track("1 Horn.wav"), True),
        (track("1 Horn.wav", frames=7), False),
        (track("1 Horn.wav", rate_hz=44_100), False),
        (track("1 Horn.wav", bits=16), False),
        (track("1 Horn.wav", dc_offset=(1e-12,)), False),
        (track("1 Horn.wav", rms_by_channel_dbfs=(-20.1,)), False),
        (track("1 Horn.wav", sample_peak_by_channel_dbfs=(-8.1,)), False),
        (track("1 Horn.wav", last_sound_frame=7), False),
        (replace(track("1 Horn.wav"), format=None, measures=None), False),
    ],
)
def test_whether_a_file_holds_the_same_is_seen_by_what_was_measured(now: Track, is_same: bool) -> None:
    assert holds_the_same(track("1 Horn.wav"), now) is is_same


def test_what_was_just_measured_is_not_measured_again(faulty: CheckRun, tmp_path: Path) -> None:
    with ready(faulty, tmp_path / "out", is_just_measured=True) as run:
        assert {event.stage for event in run if hasattr(event, "stage")} == {"writing", "checking", "handing-over"}


def test_what_this_machine_cannot_read_has_not_changed(faulty: CheckRun, tmp_path: Path) -> None:
    (tmp_path / "Tide 96 BPM" / "03 Voice.wav").unlink()
    with ready(faulty, tmp_path / "out") as run:
        stopped = list(run)[-1]
    assert isinstance(stopped, Stopped)
    assert isinstance(stopped.error, NotCheckedHere)
    assert "the file is gone" in str(stopped.error)
    assert not (tmp_path / "out").exists()


def test_an_interrupted_run_goes_on_where_it_stopped(faulty: CheckRun, tmp_path: Path) -> None:
    with ready(faulty, tmp_path / "out", is_just_measured=True) as run:
        for event in run:
            if isinstance(event, CopyWritten):
                break
        run.cancel()
        assert run.poll() == []
    assert (tmp_path / "out" / JOURNAL).exists()
    assert not (tmp_path / "out" / MANIFEST).exists()
    whole = {p.name: p.stat().st_ino for p in (tmp_path / "out").glob("*.wav")}
    assert whole
    with pytest.raises(CannotWrite, match="another plan"):
        ready(faulty, tmp_path / "out", choices=ReadyChoices(depth="16"))
    with ready(faulty, tmp_path / "out", is_just_measured=True) as run:
        assert isinstance(list(run)[-1], Finished)
    assert {name: (tmp_path / "out" / name).stat().st_ino for name in whole} == whole
    assert not list((tmp_path / "out").glob("*.part"))


def test_what_the_client_answered_or_the_user_decided_is_not_left_to_fix(tmp_path: Path) -> None:
    folder = written(tmp_path / "Tide 96 BPM", _05_Pad=(np.stack([part(5)] * 2, axis=1), "PCM_24"))
    run = opened(folder)
    assert run.delivery is not None
    meant = tuple(f for f in run.delivery.findings if f.code == "channels.same")
    assert meant
    noted = tuple(replace(f, action=Action.NOTE, mends={}) for f in meant)
    run.delivery = replace(run.delivery, findings=noted)
    with ready(run, tmp_path / "out", is_just_measured=True) as writing:
        finished = list(writing)[-1]
    run.close()
    assert isinstance(finished, Finished)
    assert [f.code for f in finished.delivery.findings if f.action is Action.FIX] == ["channels.same"]
    assert finished.left == ()


def put_down(run: CheckRun, plan: ReadyPlan, folder: Path) -> None:
    """All copies of a plan, without processes."""
    assert run.intake is not None
    places = {entry.path: entry.source for entry in run.intake.entries}
    for copy in plan.copies:
        job = CopyJob(
            copy=copy,
            sources={path: places[path] for path in copy.sources},
            contents={path: run.contents[path] for path in copy.sources},
            folder=folder,
            made=MADE,
        )
        proved = write_copy(lambda done, total: None, job)
        assert not isinstance(proved, Exception), proved


FAULTS = ("same", "one-side", "panned", "offset", "over", "short", "long", "pair")


def faulted(seed: int, fault: str) -> dict[str, tuple[NDArray[np.float64], str]]:
    sound = part(seed + 30, peak=0.05 + (seed * 37 % 50) / 100)
    silent, stem = np.zeros_like(sound), f"_{seed + 10}_"
    panned = np.rint(sound * 10 ** (-7 / 20) * 2.0**23) / 2.0**23
    return {
        "same": {f"{stem}Pad": (np.stack([sound, sound], axis=1), "PCM_24")},
        "one-side": {f"{stem}Horn": (np.stack([silent, sound], axis=1), "PCM_24")},
        "panned": {f"{stem}Tuba": (np.stack([panned, sound], axis=1), "PCM_24")},
        "offset": {f"{stem}Drone": (sound - 0.03, "PCM_24")},
        "over": {f"{stem}Lead": (sound / np.abs(sound).max() * (1.1 + seed / 10), "FLOAT")},
        "short": {f"{stem}Flute": (sound[: round(4.6 * RATE)], "PCM_24")},
        "long": {f"{stem}Harp": (np.concatenate([sound, np.zeros(RATE)]), "PCM_24")},
        "pair": {f"{stem}Room_L": (sound, "PCM_24"), f"{stem}Room_R": (sound * 0.6 + part(seed + 60) * 0.4, "PCM_24")},
    }[fault]


@settings(max_examples=4, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    faults=st.lists(st.sampled_from(FAULTS), min_size=1, max_size=4, unique=True),
    depth=st.sampled_from([None, "16", "32f"]),
)
def test_whatever_is_faulty_no_fix_is_left_and_no_bit_changes_that_no_step_names(
    faults: list[str], depth: Any, tmp_path_factory: pytest.TempPathFactory
) -> None:
    home = tmp_path_factory.mktemp("random")
    more = {name: made for seed, fault in enumerate(faults) for name, made in faulted(seed, fault).items()}
    folder = written(home / "Tide 96 BPM", **more)
    run = opened(folder)
    delivery = run.delivery
    assert isinstance(delivery, Delivery)
    plan = plan_ready(delivery, run.brief, choices=ReadyChoices(depth=depth))
    assert plan.conflicts == ()
    put_down(run, plan, home / "out")
    run.close()
    again = check_folder(home / "out")
    left = {f.code for f in again.findings if f.action is Action.FIX}
    assert left == set()
    changing = {"headroom", "balance", "dc", "rate", "depth", "submix", "join-clips"}
    for copy in plan.copies:
        if not {step.name for step in copy.steps} & changing:
            back = soundfile.read(home / "out" / copy.name, always_2d=True)[0]
            for piece in copy.pieces:
                sent = soundfile.read(folder / piece.path, always_2d=True)[0]
                for side, of_source in enumerate(piece.sides):
                    if of_source is not None:
                        stretch = back[piece.at : piece.at + piece.frames, side]
                        assert np.array_equal(stretch, sent[piece.skip : piece.skip + piece.frames, of_source])
