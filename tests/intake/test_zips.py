"""Zips: opened into a private folder, within limits, under safe names. Archives are made with Python's zipfile."""

from __future__ import annotations

import stat
import struct
import zipfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.intake import zips
from deep_tally.intake.walk import take_in
from deep_tally.intake.zips import Budget, member_name, safe_path, unpack
from deep_tally.model.errors import NothingToCheck
from deep_tally.model.files import Intake, Role
from sounds import wav_bytes

SOUND = wav_bytes()


@pytest.fixture
def into(tmp_path: Path) -> Path:
    folder = tmp_path / "private"
    folder.mkdir()
    return folder


def pack(path: Path, members: dict[str, bytes], *, method: int = zipfile.ZIP_DEFLATED) -> Path:
    with zipfile.ZipFile(path, "w", method) as archive:
        for name, content in members.items():
            archive.writestr(name, content)
    return path


def paths(intake: Intake) -> list[str]:
    return [e.path for e in intake.entries]


def test_a_zip_is_opened_as_the_folder_that_was_packed(tmp_path: Path, into: Path) -> None:
    members = {"Night Bus 96 BPM/Kick.wav": SOUND, "Night Bus 96 BPM/Bass.wav": SOUND, "Night Bus 96 BPM/a.txt": b"hi"}
    packed = pack(tmp_path / "upload.zip", members | {"__MACOSX/._Kick.wav": b"x"})
    before = packed.read_bytes(), packed.stat().st_mtime_ns
    intake = take_in([packed], unpack_into=into)
    assert paths(intake) == ["a.txt", "Bass.wav", "Kick.wav"]
    assert (intake.name, intake.source, intake.archives) == ("Night Bus 96 BPM", packed, (packed,))
    assert all(e.source.is_relative_to(into) and e.source.read_bytes() for e in intake.entries)
    assert (packed.read_bytes(), packed.stat().st_mtime_ns) == before
    assert sorted(p.name for p in tmp_path.iterdir()) == ["private", "upload.zip"]


def test_a_zip_in_a_folder_stands_in_it_as_a_folder_and_keeps_its_identity(tmp_path: Path, into: Path) -> None:
    folder = tmp_path / "Client"
    folder.mkdir()
    (folder / "Voice.wav").write_bytes(SOUND)
    pack(folder / "drums.zip", {"Kick.wav": SOUND})
    first = take_in([folder], unpack_into=into)
    again = take_in([folder], unpack_into=into)
    assert paths(first) == ["drums.zip/Kick.wav", "Voice.wav"]
    kick = [i.entries[0] for i in (first, again)]
    assert kick[0].source != kick[1].source
    assert kick[0].identity == kick[1].identity


def test_progress_ends_at_the_archives_size(tmp_path: Path, into: Path) -> None:
    packed = pack(tmp_path / "a.zip", {f"{n}.wav": SOUND for n in range(5)})
    steps: list[tuple[int, int]] = []
    take_in([packed], unpack_into=into, on_step=lambda done, total: steps.append((done, total)))
    size = packed.stat().st_size
    assert steps[-1] == (size, size)
    assert [s[0] for s in steps] == sorted(s[0] for s in steps)


@pytest.mark.parametrize(
    ("name", "kept"),
    [
        ("../../evil.wav", "evil.wav"),
        ("/etc/evil.wav", "etc/evil.wav"),
        ("C:/evil.wav", "evil.wav"),
        ("..\\..\\evil.wav", "evil.wav"),
        ("a/./b//../evil.wav", "a/b/evil.wav"),
        ("a\x00b\n.wav", "ab.wav"),
    ],
)
def test_no_name_leads_out_of_the_private_folder(tmp_path: Path, into: Path, name: str, kept: str) -> None:
    assert safe_path(into, name.replace("\\", "/")) == into / kept


@given(st.text(max_size=40))
def test_whatever_a_members_name_it_stays_inside(name: str) -> None:
    target = safe_path(Path("/private"), name)
    assert target is None or (target.is_relative_to("/private") and ".." not in target.parts and target.name)


def test_links_locked_members_and_damage_are_told_and_the_rest_is_taken(tmp_path: Path, into: Path) -> None:
    packed = tmp_path / "a.zip"
    with zipfile.ZipFile(packed, "w") as archive:
        link = zipfile.ZipInfo("link.wav")
        link.external_attr = (stat.S_IFLNK | 0o777) << 16
        archive.writestr(link, "/etc/passwd")
        archive.writestr("locked.wav", SOUND)
        archive.writestr("hurt.wav", SOUND)
        archive.writestr("fine.wav", SOUND)
    raw = bytearray(packed.read_bytes())
    for name, flag in ((b"locked.wav", True), (b"hurt.wav", False)):
        local, central = raw.find(name), raw.rfind(name)
        if flag:  # APPNOTE 4.4.4, bit 0: encrypted
            raw[local - 30 + 6] |= 1
            raw[central - 46 + 8] |= 1
        else:
            raw[local + len(name) + 50] ^= 0xFF
    packed.write_bytes(raw)
    inside = unpack(packed, into, shown="a.zip", budget=Budget.for_folder(into, len(raw)))
    assert inside is not None
    assert sorted(p.name for p in inside.identities) == ["fine.wav", "hurt.wav"]
    assert [str(t) for t in inside.troubles] == [
        "a.zip/link.wav: it is a link to another file; ask for the file itself.",
        "a.zip/locked.wav: it is locked with a password; ask for it without one.",
        "a.zip/hurt.wav: its checksum is wrong, it was damaged on the way; ask for it again.",
    ]
    assert not any(p.is_symlink() for p in into.rglob("*"))


def test_a_file_and_a_folder_of_one_name_cost_one_file(tmp_path: Path, into: Path) -> None:
    packed = pack(tmp_path / "a.zip", {"a": SOUND, "a/b.wav": SOUND, "c.wav": SOUND, "C.wav": SOUND})
    inside = unpack(packed, into, shown="a.zip", budget=Budget.for_folder(into, 1))
    assert inside is not None
    assert sorted(p.name for p in inside.identities) == ["C.wav", "a", "c.wav"]
    assert "a.zip/a/b.wav: one of its folders has the name of a file" in str(inside.troubles[0])


def test_a_zip_that_is_locked_altogether_is_one_sentence(tmp_path: Path, into: Path) -> None:
    packed = pack(tmp_path / "a.zip", {"Kick.wav": SOUND})
    raw = bytearray(packed.read_bytes())
    raw[6] |= 1
    raw[raw.rfind(b"Kick.wav") - 46 + 8] |= 1
    packed.write_bytes(raw)
    with pytest.raises(NothingToCheck, match=r"a.zip: it is locked with a password; ask for it without one\."):
        take_in([packed], unpack_into=into)


@pytest.mark.parametrize("kept", [4, 60, -30, -1])
def test_a_zip_that_broke_off_is_told(tmp_path: Path, into: Path, kept: int) -> None:
    packed = pack(tmp_path / "a.zip", {"Kick.wav": SOUND})
    packed.write_bytes(packed.read_bytes()[:kept])
    with pytest.raises(NothingToCheck, match="damaged or only a part of it arrived; ask for it again"):
        take_in([packed], unpack_into=into)


def test_nested_zips_open_to_a_depth_and_then_are_told(tmp_path: Path, into: Path) -> None:
    inner = pack(tmp_path / "0.zip", {"deep.wav": SOUND}).read_bytes()
    for depth in range(1, 4):
        inner = pack(tmp_path / f"{depth}.zip", {f"{depth - 1}.zip": inner, f"{depth}.wav": SOUND}).read_bytes()
    intake = take_in([tmp_path / "3.zip"], unpack_into=into)
    assert [e.path for e in intake.sounds] == ["2.zip/1.zip/1.wav", "2.zip/2.wav", "3.wav"]
    assert intake.troubles == (
        "2.zip/1.zip/0.zip: it is an archive in an archive in an archive; unpack it by hand and open the folder.",
    )


def test_a_bomb_is_stopped_by_what_comes_out_not_by_what_it_claims(
    tmp_path: Path, into: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(zips, "_BOMB_FROM", 1 << 20)
    packed = pack(tmp_path / "a.zip", {"Bass.wav": SOUND, "bomb.wav": bytes(64 << 20)})
    inside = unpack(packed, into, shown="a.zip", budget=Budget.for_folder(into, packed.stat().st_size))
    assert inside is not None
    assert [p.name for p in inside.identities] == ["Bass.wav"]
    assert str(inside.troubles[0]) == "a.zip: it unpacks to far more than audio can; ask what it is."
    assert sum(p.stat().st_size for p in into.rglob("*") if p.is_file()) < 1 << 20


def test_too_many_files_and_too_little_space_are_told_before_anything_is_written(tmp_path: Path, into: Path) -> None:
    packed = pack(tmp_path / "a.zip", {f"{n}.wav": SOUND for n in range(10)})
    for budget, words in (
        (Budget(entries=9, bytes=1 << 30), "it holds more than 20000 files"),
        (Budget(bytes=9 * len(SOUND)), "there is not enough free space"),
    ):
        inside = unpack(packed, into, shown="a.zip", budget=budget)
        assert inside is not None
        assert words in str(inside.troubles[0])
        assert not list(into.iterdir())


def test_an_office_document_is_a_document_and_no_archive(tmp_path: Path, into: Path) -> None:
    (tmp_path / "Bass.wav").write_bytes(SOUND)
    pack(tmp_path / "notes.docx", {"[Content_Types].xml": b"<Types/>", "word/document.xml": b"<w/>"})
    roles = {e.path: e.role for e in take_in([tmp_path], unpack_into=into).entries if "private" not in e.path}
    assert roles == {"Bass.wav": Role.TRACKOUT, "notes.docx": Role.DOCUMENT}


@pytest.mark.parametrize(
    ("raw", "flag", "extra", "name"),
    [
        ("Gitarre Ü.wav".encode("cp437"), 0, b"", "Gitarre Ü.wav"),
        ("Größe.wav".encode("cp850"), 0, b"", "Größe.wav"),
        ("Bässe und Hörner.wav".encode("cp1252"), 0, b"", "Bässe und Hörner.wav"),
        ("Голос.wav".encode("cp866"), 0, b"", "Голос.wav"),
        ("Björn ♪.wav".encode(), 0, b"", "Björn ♪.wav"),
        ("Björn ♪.wav".encode(), 0x800, b"", "Björn ♪.wav"),
    ],
)
def test_names_in_old_code_pages_read_as_they_were_written(raw: bytes, flag: int, extra: bytes, name: str) -> None:
    member = zipfile.ZipInfo("x")
    member.flag_bits, member.extra = flag, extra
    member.orig_filename = member.filename = raw.decode("utf-8" if flag else "cp437")
    assert member_name(member) == name


def test_the_unicode_path_field_counts_when_it_belongs_to_the_name() -> None:
    # APPNOTE, appendix D.3: id 0x7075, version 1, CRC-32 of the other name, UTF-8 name.
    member = zipfile.ZipInfo("B?sse.wav")
    body = b"\x01" + struct.pack("<I", zipfile.crc32(b"B?sse.wav")) + "Bässe.wav".encode()
    member.extra = struct.pack("<HH", 0x7075, len(body)) + body
    assert member_name(member) == "Bässe.wav"
    member.orig_filename = "Other.wav"
    assert member_name(member) == "Other.wav"
