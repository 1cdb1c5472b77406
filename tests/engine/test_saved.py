"""A check is saved, and opened again without its audio: the same findings, and nothing taken that makes no sense."""

from __future__ import annotations

import json
import random
import shutil
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import jsonschema
import numpy as np
import pytest
import soundfile

from deep_tally.engine.check_run import CheckRun, Refused, needs_assessing
from deep_tally.engine.round_sides import side_of_saved
from deep_tally.engine.saving import PackedCheck, lasting, saved_check_of, write_packed
from deep_tally.model.brief import DEFAULT_BRIEF, with_value
from deep_tally.model.comparison import Comparison, Twin
from deep_tally.model.corrections import Corrections
from deep_tally.model.decisions import Decision
from deep_tally.model.errors import CannotWrite, SavedCheckRefused
from deep_tally.model.files import NO_CLIENT, ClientFiles, Entry, Role
from deep_tally.model.letter_edits import LetterEdits
from deep_tally.model.saved_check import ComparedFiles, SavedCheck
from deep_tally.reply.formats.json import to_json
from deep_tally.reply.saved_words import saved_words
from deep_tally.session.client_decisions import keep_of_client
from deep_tally.session.corrections import recall
from deep_tally.session.recent_checks import recent_checks
from deep_tally.session.saved_checks import (
    Base,
    free_place,
    is_in_delivery,
    is_saved_check,
    read_check,
    require_saved_check,
    revision_of,
    save_check,
)
from deep_tally.session.saved_schema import saved_check_schema

TWIN = Twin(
    path="01 Tambourine.wav", other="02 Cello.wav", kind="exact", gain_db=0.0, offset_frames=0, residual_db=-120.0
)
DOCS = Path(__file__).parents[2] / "docs"


def finished(run: CheckRun) -> CheckRun:
    for event in run:
        if isinstance(event, Refused):
            raise event.error
    return run


def write_song(folder: Path) -> Path:
    folder.mkdir(parents=True)
    rng = np.random.default_rng(7)
    for number, name in enumerate(("Tambourine", "Cello", "Voice")):
        samples = 0.1 * rng.standard_normal((48_000, 2))
        soundfile.write(folder / f"{number + 1:02d} {name}.wav", samples, 48_000, subtype="PCM_24")
    (folder / "Notes.txt").write_text("Thank you!")
    return folder


@pytest.fixture(scope="module")
def demo_run(demo_folder: Path) -> Iterator[CheckRun]:
    with CheckRun([demo_folder], DEFAULT_BRIEF, is_fresh=True) as run:
        yield finished(run)


@pytest.fixture(scope="module")
def demo_saved(demo_run: CheckRun, tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("saved") / "demo.deeptally"
    save_check(saved_check_of(demo_run), path)
    return path


@pytest.fixture
def song(tmp_path: Path) -> Path:
    return write_song(tmp_path / "Slow Ferry 90 BPM")


def opened(path: Path, **options: Any) -> CheckRun:
    with CheckRun([path], None, is_cached=False, **options) as run:
        return finished(run)


def saved(folder: Path, path: Path, **said: Any) -> SavedCheck:
    with CheckRun([folder], DEFAULT_BRIEF, is_cached=False) as run:
        finished(run)
        run.correct(Corrections(**said))
        finished(run)
        check = saved_check_of(run)
    save_check(check, path)
    return check


def test_a_saved_check_gives_the_same_answer_as_the_audio(demo_run: CheckRun, demo_saved: Path) -> None:
    again = opened(demo_saved)
    assert demo_run.delivery is not None
    assert again.delivery is not None
    assert to_json(again.delivery) == to_json(demo_run.delivery)
    assert again.opened is not None
    assert (again.opened.changed, again.opened.missing) == ((), ())
    assert again.paths == demo_run.paths


def test_every_document_fulfils_the_published_schema(demo_saved: Path) -> None:
    published = json.loads((DOCS / "saved-check.schema.json").read_text("utf-8"))
    assert published == saved_check_schema()
    validator = jsonschema.Draft202012Validator(published)
    document = json.loads(demo_saved.read_text("utf-8"))
    validator.validate(document)
    del document["rounds"][0]["found"]["entries"][0]["path"]
    assert not validator.is_valid(document)


def test_nothing_is_measured_or_read_where_the_audio_is_gone(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    check = saved(song, path, roles={"02 Cello.wav": Role.GROUP})
    shutil.rmtree(song)
    run = opened(path)
    assert run.delivery is not None
    assert run.corrections.roles == {"02 Cello.wav": Role.GROUP}
    assert [t.measures is not None for t in run.tracks] == [True] * 3
    assert run.opened is not None
    assert len(run.opened.missing) == 4
    assert run.delivery.incomplete == ()
    assert run.saved is not None
    assert run.saved.checked_at == check.rounds[0].checked_at


def test_files_that_changed_are_named_and_shown_as_they_were(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    saved(song, path)
    soundfile.write(song / "02 Cello.wav", np.zeros(100), 48_000)
    (song / "03 Voice.wav").unlink()
    run = opened(path)
    assert run.opened is not None
    assert run.opened.changed == ("02 Cello.wav",)
    assert run.opened.missing == ("03 Voice.wav",)
    assert all(t.is_heard for t in run.tracks)
    words = list(saved_words(changed=run.opened.changed, missing=run.opened.missing, files=4))
    assert words[0].startswith("Changed since this check was saved: “02 Cello.wav”")
    assert words[1] == "1 file of this check cannot be found any more: “03 Voice.wav”."
    assert list(saved_words(changed=(), missing=("a", "b"), files=2)) == [
        "The files of this check are not where they were, so nothing can be played."
    ]


def test_files_that_were_moved_are_found_at_their_new_place(song: Path, tmp_path: Path) -> None:
    path, place = tmp_path / "x.deeptally", tmp_path / "elsewhere" / "Ferry"
    saved(song, path)
    place.parent.mkdir()
    song.rename(place)
    run = opened(path, moved_to=place)
    assert run.opened is not None
    assert run.opened.missing == ()
    assert run.paths == (place,)
    assert run.client.folders == (place,)
    assert {e.source.parent for e in run.opened.found.entries} == {place}


def test_the_files_of_a_zip_are_unpacked_again(song: Path, tmp_path: Path) -> None:
    packed = tmp_path / "sent" / "Slow Ferry 90 BPM.zip"
    packed.parent.mkdir()
    with zipfile.ZipFile(packed, "w") as archive:
        for file in song.iterdir():
            archive.write(file, f"Slow Ferry/{file.name}")
    path = tmp_path / "x.deeptally"
    saved(packed, path)
    with CheckRun([path], None, is_cached=False) as run:
        finished(run)
        assert run.opened is not None
        assert run.opened.missing == ()
        assert all(e.source.is_file() for e in run.opened.found.entries)
    packed.unlink()
    with CheckRun([path], None, is_cached=False) as run:
        finished(run)
        assert run.opened is not None
        assert len(run.opened.missing) == 4
        assert all(t.is_heard for t in run.tracks)


def test_the_brief_of_a_saved_check_counts_unless_another_is_given(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    with CheckRun([song], with_value(DEFAULT_BRIEF, "bits_min", 32), is_cached=False) as run:
        save_check(saved_check_of(finished(run)), path)
    assert opened(path).brief.bits_min == 32
    with CheckRun([path], DEFAULT_BRIEF, is_cached=False) as run:
        assert finished(run).brief.bits_min == 24


def test_what_was_said_after_the_last_save_is_found_in_the_record(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    saved(song, path, roles={"02 Cello.wav": Role.GROUP})
    run = opened(path)
    run.correct(Corrections(roles={"02 Cello.wav": Role.REFERENCE}))
    run.keep_corrections()
    assert recall(song, run.contents).saved_in == path
    assert opened(path).corrections.roles == {"02 Cello.wav": Role.REFERENCE}
    assert opened(path, is_fresh=True).corrections == Corrections()
    other = tmp_path / "y.deeptally"  # what was said of the check saved here is none of that one's
    shutil.copy(path, other)
    assert opened(other).corrections.roles == {"02 Cello.wav": Role.GROUP}
    path.touch()
    assert opened(path).corrections.roles == {"02 Cello.wav": Role.GROUP}


def test_a_folder_finds_the_check_of_its_files_and_one_that_it_only_resembles(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    saved(song, path)
    run = opened(path)
    run.keep_corrections()
    here = opened(song)
    assert here.saved is not None
    assert (here.saved.path, here.saved.revision) == (path, revision_of(path))
    soundfile.write(song / "02 Cello.wav", np.zeros(100), 48_000)
    there = opened(song)
    assert there.saved is None
    assert there.opened is not None
    assert there.opened.resembles == path
    path.unlink()
    gone = opened(song)
    assert gone.opened is not None
    assert (gone.saved, gone.opened.resembles) == (None, None)


def test_reading_again_goes_on_in_the_check_only_while_the_files_are_the_same(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    saved(song, path)
    with CheckRun([path], None, is_cached=False) as run:
        finished(run)
        with CheckRun(run.paths, None, is_cached=False, again=run) as again:
            assert finished(again).saved is run.saved
        soundfile.write(song / "02 Cello.wav", np.zeros(100), 48_000)
        with CheckRun(run.paths, None, is_cached=False, again=run) as again:
            assert finished(again).saved is None


def test_of_what_was_compared_that_counts_which_is_about_most_of_the_files(song: Path, tmp_path: Path) -> None:
    check = saved(song, tmp_path / "x.deeptally")
    whole = check.rounds[0]
    (kept,) = whole.compared
    fewer = ComparedFiles(paths=kept.paths[:2], comparison=Comparison())
    more = replace(kept, comparison=replace(kept.comparison, twins=(TWIN,)))
    other = ComparedFiles(paths=(*kept.paths, "gone.wav"), comparison=Comparison())
    for order in ((fewer, more, other), (other, more, fewer)):
        side = side_of_saved(replace(whole, compared=order), DEFAULT_BRIEF, None)
        assert side.delivery.sets[0].comparison.twins == (TWIN,)


def test_a_clients_name_is_assessed_only_where_something_holds_for_them_for_good() -> None:
    before, now = (Corrections(letter=LetterEdits(client=name)) for name in ("Mari", "Marit"))
    assert not needs_assessing(before, now)
    assert not needs_assessing(before, replace(before, letter=LetterEdits(client="Mari", deadline="Friday")))
    assert needs_assessing(before, replace(before, tempos={"x": 90.0}))
    keep_of_client("Marit", (Decision(code="headroom.hot", kind="here", scope="code"),))
    assert needs_assessing(before, now)


# -- bad documents ----------------------------------------------------------------------------


def refusal(path: Path) -> str:
    with CheckRun([path], None, is_cached=False) as run, pytest.raises(SavedCheckRefused) as refused:
        finished(run)
    said = str(refused.value)
    assert said.startswith(f"{path}: ")
    assert said.count("; ") == 1
    return said


def test_one_that_is_cut_short_anywhere_is_refused_in_a_sentence(demo_saved: Path, tmp_path: Path) -> None:
    whole = demo_saved.read_bytes()
    cut = tmp_path / "cut.deeptally"
    chance = random.Random(3)
    for length in [40, 70, *(chance.randrange(100, len(whole) - 3) for _ in range(12))]:
        cut.write_bytes(whole[:length])
        assert "it is damaged, perhaps cut short" in refusal(cut)


def nonsense(document: dict[str, Any], chance: random.Random) -> None:
    """Put something where something else stood, anywhere."""
    at: Any = document["rounds"][0]
    while True:
        key = chance.choice(list(at) if isinstance(at, dict) else range(len(at)))
        inner = at[key]
        if not isinstance(inner, dict | list) or not inner or chance.random() < 0.1:
            at[key] = chance.choice([None, -1, 0, 1e300, "x", [], {}, True, "inf", [[]], {"say": "x"}, 2**70])
            return
        at = inner


def test_one_that_was_edited_into_nonsense_is_refused_or_makes_sense_still(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    saved(song, path)
    whole = path.read_text("utf-8")
    refused = 0
    for seed in range(150):
        document = json.loads(whole)
        nonsense(document, random.Random(seed))
        path.write_text(json.dumps(document))
        try:
            read_check(path)
        except SavedCheckRefused:
            refused += 1  # and no other error
    assert refused > 75


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ('"schema": 1', '"schema": 2', "saved by a newer version of Deep Tally; update"),
        ('"schema": 1', '"schema": true', "not a saved check"),
        ('"schema": 1', '"schema": 0', "not a saved check"),
        ('"rate_hz":48000', '"rate_hz":0', "a value in it cannot be used (its figures)"),
        ('"rate_hz":48000', '"rate_hz":"48k"', "a value in it cannot be used (rounds, tracks, format, rate_hz)"),
        ('"path":"01 ', '"path":"../01 ', "it names a file outside the delivery (../01 Tambourine.wav)"),
        ('"path":"01 ', '"path":"/etc/01 ', "it names a file outside the delivery (/etc/01 Tambourine.wav)"),
        (
            '01 Tambourine.wav","role"',
            '../../etc/passwd","role"',
            "it names a file outside the delivery (01 Tambourine.wav)",
        ),
    ],
)
def test_one_that_makes_no_sense_is_refused_in_a_sentence(
    song: Path, tmp_path: Path, old: str, new: str, words: str
) -> None:
    path = tmp_path / "x.deeptally"
    saved(song, path)
    text = path.read_text("utf-8")
    assert old in text
    path.write_text(text.replace(old, new, 1), "utf-8")
    assert words in refusal(path)


@pytest.mark.parametrize("name", ["../x.wav", "/etc/x.wav", "a/../../x.wav", ""])
def test_no_file_leads_out_of_the_delivery_whatever_its_place_says(name: str) -> None:
    entry = Entry(path=name, source=Path(f"/sent/{name}"), role=Role.TRACKOUT, bytes=1)
    assert not is_in_delivery(entry)
    assert not is_in_delivery(replace(entry, archived="a.zip/x.wav"))
    assert is_in_delivery(replace(entry, path="a/x.wav", source=Path("/sent/a/x.wav")))
    assert not is_in_delivery(replace(entry, path="a/x.wav", source=Path("/other/x.wav")))
    assert is_in_delivery(replace(entry, path="a/x.wav", source=Path("/tmp/1"), archived="a.zip/x.wav"))


def test_one_without_rounds_or_that_is_no_object_is_refused(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    saved(song, path)
    document = json.loads(path.read_text("utf-8"))
    path.write_text(json.dumps({**document, "rounds": []}))
    assert "(rounds)" in refusal(path)
    path.write_text('["deep-tally check"]')
    assert "not a saved check" in refusal(path)
    path.write_bytes(b'{"kind": "deep-tally check", "\xff": 1}')
    assert "not a saved check" in refusal(path)
    with pytest.raises(SavedCheckRefused, match="it cannot be read"):
        read_check(tmp_path / "gone.deeptally")


# -- saving -----------------------------------------------------------------------------------


def test_nothing_but_a_saved_check_is_ever_written_over(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    check = saved(song, path)
    save_check(check, path)  # over itself
    path.write_text("dear diary")
    assert not is_saved_check(path)
    for refuse in (lambda: save_check(check, path), lambda: require_saved_check(path)):
        with pytest.raises(CannotWrite, match="something that is not a saved check lies there"):
            refuse()
    assert path.read_text() == "dear diary"
    require_saved_check(tmp_path / "free")
    with pytest.raises(CannotWrite):
        save_check(check, song / "02 Cello.wav", client=ClientFiles(files=(song / "02 Cello.wav",)))


def test_a_revision_that_somebody_else_wrote_is_not_written_over(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    check = saved(song, path)
    first = save_check(check, path, rests_on=revision_of(path))
    assert (first.path, first.is_beside, first.revision) == (path, False, revision_of(path))
    beside = save_check(check, path, rests_on="another")
    assert (beside.path, beside.is_beside) == (tmp_path / "x 2.deeptally", True)
    assert revision_of(path) == first.revision
    assert free_place(path) == tmp_path / "x 3.deeptally"
    path.write_bytes(path.read_bytes()[:200])  # what is damaged can be replaced
    assert not save_check(check, path, rests_on="another").is_beside


def test_what_was_measured_is_taken_over_from_the_document(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "x.deeptally"
    check = saved(song, path)
    this = check.rounds[0]
    light = replace(check, rounds=(replace(this, tracks=(), corrections=Corrections(tempos={"x": 90.0})),))
    base = Base(path=path, rounds=0, with_tracks=True)
    save_check(light, path, base=base)
    back = read_check(path).rounds[0]
    assert back.tracks == this.tracks
    assert back.corrections.tempos == {"x": 90.0}
    save_check(light, path, base=Base(path=path, rounds=1, with_tracks=False))
    assert [len(r.tracks) for r in read_check(path).rounds] == [3, 0]
    other = replace(light, rounds=(replace(light.rounds[0], contents={"a": "b"}),))
    with pytest.raises(SavedCheckRefused):
        save_check(other, path, base=base)
    with pytest.raises(SavedCheckRefused):
        save_check(light, path, base=Base(path=path, rounds=2, with_tracks=True))
    with pytest.raises(SavedCheckRefused):
        save_check(light, path, base=Base(path=tmp_path / "gone", rounds=1, with_tracks=False))


def test_a_worker_writes_a_check_and_lists_it_or_says_why_not(song: Path, tmp_path: Path) -> None:
    path = tmp_path / "deep" / "x.deeptally"
    check = saved(song, tmp_path / "first.deeptally")
    packed = PackedCheck(check=check, tracks=(), path=path, rests_on=None, base=None)
    assert not isinstance(write_packed(lambda *_: None, packed, NO_CLIENT), str)
    (recent,) = recent_checks()
    assert (recent.path, recent.name, recent.files, recent.rounds) == (str(path), "Slow Ferry 90 BPM", 3, 1)
    assert (recent.ask, recent.fix, recent.note) == (check.tally.ask, check.tally.fix, check.tally.note)
    (tmp_path / "blocked").write_text("")
    at = replace(packed, path=tmp_path / "blocked" / "x.deeptally")
    assert str(write_packed(lambda *_: None, at, NO_CLIENT)).startswith("The check cannot be saved in ")


def test_overviews_are_kept_as_fine_as_a_screen_shows_them(demo_run: CheckRun) -> None:
    for track in demo_run.tracks:
        kept = lasting(track)
        if track.measures is not None and kept.measures is not None:
            assert 0 < len(kept.measures.overview[0].low) <= 4096
            assert kept.measures.overview[-1] == track.measures.overview[-1]


def test_five_thousand_files_are_saved_and_read(demo_run: CheckRun, tmp_path: Path) -> None:
    check = saved_check_of(demo_run)
    this = check.rounds[0]
    entry, track = this.found.entries[0], next(t for t in this.tracks if t.path.startswith("02 "))
    many = [f"{n} x.wav" for n in range(5000)]
    entries = tuple(replace(entry, path=p, source=entry.source.with_name(p)) for p in many)
    slim = replace(track.measures, overview=track.measures.overview[-1:]) if track.measures is not None else None
    tracks = tuple(replace(track, path=p, measures=slim) for p in many)
    this = replace(this, found=replace(this.found, entries=entries), tracks=tracks, compared=(), matched=())
    save_check(replace(check, rounds=(this,)), tmp_path / "x.deeptally")
    assert len(read_check(tmp_path / "x.deeptally").rounds[0].tracks) == 5000
