"""Finding the files of a delivery."""

from __future__ import annotations

import os
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from deep_tally.intake.reading import open_sound
from deep_tally.intake.walk import take_in
from deep_tally.model.errors import NothingToCheck, UnreadableSound
from deep_tally.model.files import Role
from deep_tally.names.words import natural_key


def sound(path: Path) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    soundfile.write(path, np.zeros(10), 48_000)
    return path


def roles(folder: Path) -> dict[str, Role]:
    return {e.path: e.role for e in take_in([folder]).entries}


def test_a_folder_is_walked_to_its_depths_and_hidden_and_system_files_are_left_out(tmp_path: Path) -> None:
    for name in ("2 Bass.wav", "10 Voice.wav", "drums/1 Kick.wav", ".hidden.wav", "__MACOSX/x.wav", ".git/y.wav"):
        sound(tmp_path / name)
    (tmp_path / "Thumbs.db").write_bytes(b"x")
    (tmp_path / "Notes.txt").write_text("hello")
    (tmp_path / "tempo.mid").write_bytes(b"MThd\0\0\0\6")
    (tmp_path / "cache.xyz").write_bytes(b"\1\2\3\4")
    assert roles(tmp_path) == {
        "2 Bass.wav": Role.TRACKOUT,
        "10 Voice.wav": Role.TRACKOUT,
        "cache.xyz": Role.STRAY,
        "drums/1 Kick.wav": Role.TRACKOUT,
        "Notes.txt": Role.DOCUMENT,
        "tempo.mid": Role.MIDI,
    }


def test_loose_files_take_their_names_from_the_folder_they_share(tmp_path: Path) -> None:
    files = [sound(tmp_path / "Song" / name) for name in ("a/Bass.wav", "b/Voice.wav")]
    intake = take_in(files)
    assert (intake.name, intake.source) == ("Song", tmp_path / "Song")
    assert [e.path for e in intake.entries] == ["a/Bass.wav", "b/Voice.wav"]


def test_a_given_rough_mix_settles_which_one_it_is(tmp_path: Path) -> None:
    sound(tmp_path / "Bass.wav")
    sound(tmp_path / "rough mix.wav")
    told = sound(tmp_path / "Kitchen take.wav")
    found = {e.path: e.role for e in take_in([tmp_path], rough_mix=told).entries}
    assert found["Kitchen take.wav"] is Role.ROUGH_MIX
    assert found["rough mix.wav"] is Role.REFERENCE


def test_a_given_rough_mix_may_lie_outside(tmp_path: Path) -> None:
    sound(tmp_path / "in/Bass.wav")
    told = sound(tmp_path / "out/x.wav")
    intake = take_in([tmp_path / "in"], rough_mix=told)
    assert {e.path: e.role for e in intake.entries} == {"in/Bass.wav": Role.TRACKOUT, "out/x.wav": Role.ROUGH_MIX}
    # The song's facts stand in the name of the folder that was given.
    assert intake.name == "in"


@pytest.mark.parametrize("path", [".", "drums/..", "../{name}"])
def test_however_a_folder_is_written_it_has_its_name(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, path: str
) -> None:
    sound(tmp_path / "drums" / "Kick.wav")
    monkeypatch.chdir(tmp_path)
    intake = take_in([Path(path.format(name=tmp_path.name))])
    assert (intake.name, [e.path for e in intake.entries]) == (tmp_path.name, ["drums/Kick.wav"])


def test_a_path_behind_a_closed_folder_is_one_sentence(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(self: Path) -> bool:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(Path, "exists", refuse)
    with pytest.raises(NothingToCheck, match=r"it cannot be read \(Permission denied\); change its permissions"):
        take_in([tmp_path])


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda p: p / "missing", "there is no such file or folder; check the path"),
        (lambda p: (p / "empty").mkdir() or p / "empty", "the folder is empty; choose"),
        (lambda p: (p / "n.txt").write_text("x") and p, "none of its 1 files is audio; choose"),
        (
            lambda p: (p / "a").write_bytes(b"Rar!\x1a\x07\x01\0") and p / "a",
            "is a RAR archive, which cannot be opened",
        ),
        (lambda p: (p / "a").write_bytes(b"7z\xbc\xaf\x27\x1c") and p / "a", "is a 7z archive, which cannot be"),
    ],
)
def test_nothing_to_check_is_one_sentence_with_the_path(tmp_path: Path, make: object, words: str) -> None:
    path = make(tmp_path)  # type: ignore[operator]
    with pytest.raises(NothingToCheck) as refused:
        take_in([path])
    assert str(refused.value).startswith(str(path))
    assert words in str(refused.value)


def test_links_in_a_circle_end(tmp_path: Path) -> None:
    sound(tmp_path / "Bass.wav")
    os.symlink(tmp_path, tmp_path / "again")
    assert [e.path for e in take_in([tmp_path]).sounds] == ["Bass.wav"]


def test_pipes_are_left_out_and_never_waited_for(tmp_path: Path) -> None:
    sound(tmp_path / "Bass.wav")
    os.mkfifo(tmp_path / "pipe.wav")
    assert [e.path for e in take_in([tmp_path]).entries] == ["Bass.wav"]
    with pytest.raises(UnreadableSound, match="it is no ordinary file"):
        open_sound(tmp_path / "pipe.wav")


def test_names_that_are_no_text_survive(tmp_path: Path) -> None:
    source = sound(tmp_path / "Bass.wav")
    os.rename(source, os.fsencode(tmp_path) + b"/B\xe4ss.wav")
    entry = take_in([tmp_path]).entries[0]
    assert os.fsencode(entry.path) == b"B\xe4ss.wav"
    assert entry.source.exists()


def test_figures_sort_by_their_value() -> None:
    assert sorted(["10 b", "2 a", "A", "b 3", "B 20"], key=natural_key) == ["2 a", "10 b", "A", "b 3", "B 20"]


def test_a_linked_folder_is_looked_into_once_and_a_loop_ends(tmp_path: Path) -> None:
    folder = tmp_path / "Song"
    sound(folder / "Bass.wav")
    sound(folder / "inside" / "Voice.wav")
    (folder / "linked").symlink_to(folder / "inside")
    (folder / "up").symlink_to(folder)
    assert sorted(Path(p).name for p in roles(folder)) == ["Bass.wav", "Voice.wav"]


def test_links_that_lead_out_of_the_delivery_are_not_followed_and_said_once(tmp_path: Path) -> None:
    elsewhere = tmp_path / "elsewhere"
    sound(elsewhere / "Voice.wav")
    (elsewhere / "private.txt").write_text("the user's own")
    folder = tmp_path / "Song"
    sound(folder / "Bass.wav")
    sound(folder / "in" / "Drum.wav")
    (folder / "proc").symlink_to("/proc")
    (folder / "in" / "Notes.txt").symlink_to(elsewhere / "private.txt")
    (folder / "voices").symlink_to(elsewhere)
    (folder / "nowhere.wav").symlink_to(tmp_path / "nowhere.wav")
    (folder / "Again.wav").symlink_to(folder / "Bass.wav")
    intake = take_in([folder])
    assert [e.path for e in intake.entries] == ["Again.wav", "Bass.wav", "in/Drum.wav"]
    assert intake.troubles == (
        "Song: it holds 4 links that lead out of it, not followed: in/Notes.txt, nowhere.wav, proc, voices;"
        " put the files themselves there if they belong to it.",
    )
    assert intake.incomplete == ()


def test_what_the_user_opens_may_be_a_link(tmp_path: Path) -> None:
    sound(tmp_path / "Song" / "Bass.wav")
    (tmp_path / "link").symlink_to(tmp_path / "Song")
    (tmp_path / "one.wav").symlink_to(tmp_path / "Song" / "Bass.wav")
    assert [e.path for e in take_in([tmp_path / "link"]).entries] == ["Bass.wav"]
    assert [e.path for e in take_in([tmp_path / "one.wav"]).entries] == ["one.wav"]


def test_thousands_of_files_are_counted_while_they_are_found(tmp_path: Path) -> None:
    for number in range(2000):
        folder = tmp_path / str(number // 500)
        folder.mkdir(exist_ok=True)
        (folder / f"{number}.wav").write_bytes(b"RIFF")
    steps: list[tuple[int, int]] = []
    intake = take_in([tmp_path], on_step=lambda done, total: steps.append((done, total)))
    assert len(intake.entries) == 2000
    assert steps[-1] == (2000, 0)


def test_a_name_no_encoding_reads_keeps_its_bytes(tmp_path: Path) -> None:
    name = os.fsdecode(b"V\xf6ice.wav")
    (tmp_path / name).write_bytes(b"RIFF")
    assert [os.fsencode(e.path) for e in take_in([tmp_path]).entries] == [b"V\xf6ice.wav"]


def test_a_stray_names_the_audio_it_stands_beside(tmp_path: Path) -> None:
    for name in ("Kick.wav", "Bass.flac"):
        sound(tmp_path / name)
    for name in ("Kick.wav.abc", "Bass.def", "odd.ghi"):
        (tmp_path / name).write_bytes(b"\1\2\0\3")
    found = {e.path: e.beside for e in take_in([tmp_path]).entries if e.role is Role.STRAY}
    assert found == {"Kick.wav.abc": "Kick.wav", "Bass.def": "Bass.flac", "odd.ghi": ""}


def test_text_a_person_wrote_is_a_document_and_a_programs_is_a_stray(tmp_path: Path) -> None:
    sound(tmp_path / "Bass.wav")
    (tmp_path / "README").write_text("Tempo: 96\nKey: D minor\n")
    (tmp_path / "session.abc").write_text('{"tracks": []}')
    (tmp_path / "session.def").write_text("<session/>")
    entries = {e.path: e for e in take_in([tmp_path]).entries}
    assert entries["README"].role is Role.DOCUMENT
    assert entries["README"].text == "Tempo: 96\nKey: D minor"
    assert {entries["session.abc"].role, entries["session.def"].role} == {Role.STRAY}


def test_a_film_is_a_reference_and_the_sound_of_an_mp4_is_not(tmp_path: Path) -> None:
    def box(name: bytes, content: bytes) -> bytes:
        return struct.pack(">I4s", 8 + len(content), name) + content

    def mp4(handler: bytes) -> bytes:
        # ISO/IEC 14496-12, 8.4.3: version and flags, pre_defined, handler_type.
        return box(b"ftyp", b"isom\0\0\2\0") + box(
            b"moov", box(b"trak", box(b"mdia", box(b"hdlr", bytes(8) + handler + bytes(13))))
        )

    (tmp_path / "Clip.mp4").write_bytes(mp4(b"vide"))
    (tmp_path / "Voice.m4a").write_bytes(mp4(b"soun"))
    assert roles(tmp_path) == {"Clip.mp4": Role.REFERENCE, "Voice.m4a": Role.TRACKOUT}


@pytest.mark.parametrize(
    ("files", "mixes"),
    [
        (["Night Bus.wav", "Night Bus_Kick.wav", "Night Bus_Bass.wav", "Night Bus_Voice.wav"], ["Night Bus.wav"]),
        (["Night Bus.wav", "parts/Kick.wav", "parts/Bass.wav", "parts/Voice.wav"], ["Night Bus.wav"]),
        (["N.wav", "N.mp3", "parts/Kick.wav", "parts/Bass.wav", "parts/Voice.wav"], ["N.mp3", "N.wav"]),
        (["Kick.wav", "Kick 2.wav", "Bass.wav", "Voice.wav"], []),
        (["Kick.wav", "more/Bass.wav", "more/Voice.wav"], []),
        (["rough mix.wav", "Night.wav", "Night Kick.wav", "Night Bass.wav", "Night Voice.wav"], ["rough mix.wav"]),
    ],
)
def test_a_mix_is_known_by_its_name_or_its_place(tmp_path: Path, files: list[str], mixes: list[str]) -> None:
    for name in files:
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(b"RIFF\0\0\0\0WAVE" if name.endswith("wav") else b"ID3")
    assert [path for path, role in roles(tmp_path).items() if role is Role.ROUGH_MIX] == mixes
