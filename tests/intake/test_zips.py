"""Zips: opened into a private folder, within limits, under safe names. Archives are made with Python's zipfile."""

from __future__ import annotations

import errno
import os
import stat
import struct
import warnings
import zipfile
import zlib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deep_tally.intake import zips
from deep_tally.intake.walk import take_in
from deep_tally.intake.zip_reader import member_name
from deep_tally.intake.zips import Budget, Unpacked, safe_name, unpack
from deep_tally.model.errors import NotCheckedHere, NothingToCheck
from deep_tally.model.files import Intake, Role
from sounds import chunk, pcm_fmt, riff, wav_bytes

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


def opened(path: Path, into: Path, budget: Budget | None = None) -> Unpacked:
    inside = unpack(path, into, shown=path.name, budget=budget or Budget.for_folder(into, path.stat().st_size))
    assert inside is not None
    return inside


def damage(inside: Unpacked) -> dict[str, str]:
    return {f.shown: f.damage.problem for f in inside.files if f.damage is not None}


def whole(inside: Unpacked) -> list[str]:
    return [f.shown for f in inside.files if f.damage is None]


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
    assert safe_name(name.replace("\\", "/")) == kept
    packed = pack(tmp_path / "a.zip", {"placeholder": SOUND})
    raw = name.encode()
    packed.write_bytes(packed.read_bytes().replace(b"placeholder", raw.ljust(11, b"_")[:11]))
    before = {p for p in tmp_path.rglob("*") if not p.is_relative_to(into)}
    assert len(opened(packed, into).files) == 1
    assert {p for p in tmp_path.rglob("*") if not p.is_relative_to(into)} == before


@given(st.text(max_size=40))
def test_whatever_a_members_name_it_stays_inside(name: str) -> None:
    kept = safe_name(name)
    assert not kept.startswith("/")
    assert all(part and part not in (".", "..") for part in kept.split("/")) or not kept


def test_links_locked_members_and_damage_are_reported_and_the_rest_is_taken(tmp_path: Path, into: Path) -> None:
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
    inside = opened(packed, into)
    assert whole(inside) == ["fine.wav"]
    assert damage(inside) == {
        "locked.wav": "it is locked with a password",
        "hurt.wav": "its checksum in the zip is wrong, so it was damaged on the way",
    }
    assert [str(t) for t in inside.troubles] == [
        "a.zip/link.wav: it is a link to another file; ask for the file itself."
    ]
    assert not any(p.is_symlink() for p in into.rglob("*"))
    # The client can mend both: they stand in the delivery, with their damage.
    entries = {e.path: e.damage for e in take_in([packed], unpack_into=into).entries}
    assert {path: d.remedy if d else "" for path, d in entries.items()} == {
        "fine.wav": "",
        "hurt.wav": "ask for it again",
        "locked.wav": "ask for it without one",
    }


def test_names_that_no_folder_could_hold_cost_nothing(tmp_path: Path, into: Path) -> None:
    deep, long = "/".join(["a folder"] * 900) + "/deep.wav", "x" * 60_000 + ".wav"
    names = ["a", "a/b.wav", "C.wav", "c.wav", deep, long]
    inside = opened(pack(tmp_path / "a.zip", dict.fromkeys(names, SOUND)), into)
    kept = whole(inside)
    assert kept[:4] == names[:4]
    assert kept[4].endswith("/a folder/deep.wav")
    assert kept[4].count("/") < 64
    assert kept[5].startswith("xxx")
    assert kept[5].endswith("x.wav")
    assert len(kept[5].encode()) <= 255  # what a file system holds
    assert all(f.source.read_bytes() == SOUND for f in inside.files)
    assert inside.troubles == []


def test_members_of_one_name_are_numbered_and_all_kept(tmp_path: Path, into: Path) -> None:
    packed = tmp_path / "a.zip"
    names = ["Kick.wav"] * 3 + ["Kick (2).wav"] + ["no ending"] * 2
    with zipfile.ZipFile(packed, "w") as archive, warnings.catch_warnings(action="ignore"):
        for number, name in enumerate(names):
            archive.writestr(name, SOUND[:-2] + bytes([number, 0]))
    inside = opened(packed, into)
    assert [f.shown for f in inside.files] == [
        "Kick.wav",
        "Kick (2).wav",
        "Kick (3).wav",
        "Kick (2) (2).wav",
        "no ending",
        "no ending (2)",
    ]
    assert [f.source.read_bytes()[-2] for f in inside.files[:3]] == [0, 1, 2]


class _Counting(set[str]):
    """A set that counts how often it is asked."""

    asked = 0

    def __contains__(self, item: object) -> bool:
        self.asked += 1
        return super().__contains__(item)


def test_a_thousand_members_of_one_name_are_looked_up_twice_each() -> None:
    names = zips.FreeNames()
    names.taken = _Counting()
    found = [names.free("drums/Kick.wav") for _ in range(1000)]
    assert found[:2] == ["drums/Kick.wav", "drums/Kick (2).wav"]
    assert len(set(found)) == 1000
    assert names.taken.asked == 1999


_METHODS = {
    "stored": zipfile.ZIP_STORED,
    "deflate": zipfile.ZIP_DEFLATED,
    "bzip2": zipfile.ZIP_BZIP2,
    "lzma": zipfile.ZIP_LZMA,
}


@pytest.mark.parametrize("method", _METHODS)
@pytest.mark.parametrize("at", [0.0, 0.3, 0.6, 0.95])
def test_one_damaged_member_costs_itself_alone(tmp_path: Path, into: Path, method: str, at: float) -> None:
    random = np.random.default_rng(5)
    noise = riff(chunk(b"fmt ", pcm_fmt()), chunk(b"data", random.integers(0, 256, 60_000, np.uint8).tobytes()))
    packed = pack(tmp_path / "a.zip", {"1.wav": noise, "hurt.wav": noise, "3.wav": noise}, method=_METHODS[method])
    with zipfile.ZipFile(packed) as archive:
        member = archive.getinfo("hurt.wav")
    raw = bytearray(packed.read_bytes())
    begin = member.header_offset + 30 + len("hurt.wav")
    place = begin + int(at * (member.compress_size - 200))
    raw[place : place + 200] = bytes(b ^ 0xA5 for b in raw[place : place + 200])
    packed.write_bytes(raw)
    inside = opened(packed, into)
    assert whole(inside) == ["1.wav", "3.wav"]
    assert all(f.source.read_bytes() == noise for f in inside.files if f.damage is None)
    assert damage(inside) == {"hurt.wav": "its checksum in the zip is wrong, so it was damaged on the way"}
    assert inside.troubles == []


def _hurt_directory(raw: bytes, name: bytes, field: int, value: bytes) -> bytes:
    """The archive with bytes of a member's entry in the directory changed (APPNOTE 4.3.12)."""
    hurt = bytearray(raw)
    at = raw.rfind(name) - 46 + field
    hurt[at : at + len(value)] = value
    return bytes(hurt)


@pytest.mark.parametrize(
    ("field", "value", "problem"),
    [
        (10, struct.pack("<H", 99), "it is packed in a way that cannot be unpacked here"),
        (20, struct.pack("<L", 5), "its checksum in the zip is wrong, so it was damaged on the way"),
        (20, struct.pack("<L", 0xFFFFFF00), None),
        (42, struct.pack("<L", 0xFFFFFFF0), "its checksum in the zip is wrong, so it was damaged on the way"),
        (42, struct.pack("<L", 7), "its checksum in the zip is wrong, so it was damaged on the way"),
        (16, struct.pack("<L", 7), "its checksum in the zip is wrong, so it was damaged on the way"),
        (24, struct.pack("<L", 0xFFFFFF00), None),
    ],
    ids=["method", "short", "long", "nowhere", "elsewhere", "checksum", "claims gigabytes"],
)
def test_a_directory_entry_that_lies_costs_itself_alone(
    tmp_path: Path, into: Path, field: int, value: bytes, problem: str | None
) -> None:
    packed = pack(tmp_path / "a.zip", {"1.wav": SOUND, "liar.wav": SOUND, "3.wav": SOUND})
    packed.write_bytes(_hurt_directory(packed.read_bytes(), b"liar.wav", field, value))
    inside = opened(packed, into)
    assert [n for n in whole(inside) if n != "liar.wav"] == ["1.wav", "3.wav"]
    assert damage(inside) == ({"liar.wav": problem} if problem else {})


def test_a_name_marked_as_utf8_that_is_none_is_read_by_its_code_page(tmp_path: Path, into: Path) -> None:
    packed = pack(tmp_path / "a.zip", {"1.wav": SOUND, "B_sse.wav": SOUND, "3.wav": SOUND})
    raw = packed.read_bytes().replace(b"B_sse.wav", "Bässe.wav".encode("cp1252"))
    packed.write_bytes(_hurt_directory(raw, "Bässe.wav".encode("cp1252"), 8, struct.pack("<H", 0x800)))
    assert whole(opened(packed, into)) == ["1.wav", "Bässe.wav", "3.wav"]


def test_an_extra_field_that_makes_no_sense_costs_nothing(tmp_path: Path, into: Path) -> None:
    packed = tmp_path / "a.zip"
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("1.wav", SOUND)
        strange = zipfile.ZipInfo("strange.wav")
        strange.extra = b"\x01\x00\xff\xff\x05"  # a Zip64 field that claims more than there is
        archive.writestr(strange, SOUND)
        archive.writestr("3.wav", SOUND)
    assert whole(opened(packed, into)) == ["1.wav", "strange.wav", "3.wav"]


def test_a_directory_that_breaks_off_keeps_what_came_before(tmp_path: Path, into: Path) -> None:
    packed = pack(tmp_path / "a.zip", {"1.wav": SOUND, "2.wav": SOUND, "3.wav": SOUND})
    packed.write_bytes(_hurt_directory(packed.read_bytes(), b"2.wav", 0, b"XXXX"))
    inside = opened(packed, into)
    assert whole(inside) == ["1.wav"]
    assert str(inside.troubles[0]) == "a.zip: its directory is damaged after 1 files; ask for it again."


def test_zip64_and_bytes_before_the_archive_are_read(
    tmp_path: Path, into: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(zipfile, "ZIP64_LIMIT", 100)
    monkeypatch.setattr(zipfile, "ZIP_FILECOUNT_LIMIT", 1)
    packed = pack(tmp_path / "a.zip", {"1.wav": SOUND, "2.wav": SOUND})
    assert b"PK\x06\x06" in packed.read_bytes()
    packed.write_bytes(b"a self-extracting head" * 100 + packed.read_bytes())
    assert whole(opened(packed, into)) == ["1.wav", "2.wav"]


def test_a_full_disk_is_this_machines_and_what_came_out_is_kept(
    tmp_path: Path, into: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    packed = pack(tmp_path / "a.zip", {f"{n}.wav": SOUND for n in range(4)})
    real = Path.open

    def full(self: Path, mode: str = "r", *rest: object) -> object:
        if mode == "xb" and self.name.startswith("3"):
            raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        return real(self, mode, *rest)

    monkeypatch.setattr(Path, "open", full)
    inside = opened(packed, into)
    assert whole(inside) == ["0.wav", "1.wav"]
    assert isinstance(inside.troubles[0], NotCheckedHere)
    problem = "it cannot be unpacked to the disk (No space left on device)"
    assert str(inside.troubles[0]) == f"a.zip: {problem}; free some space and read the delivery again."
    intake = take_in([packed], unpack_into=into)
    assert (intake.troubles, [i.what for i in intake.incomplete]) == ((), ["opening"])


def test_without_a_folder_to_unpack_to_the_zip_is_not_checked_here(tmp_path: Path) -> None:
    folder = tmp_path / "Client"
    folder.mkdir()
    (folder / "Voice.wav").write_bytes(SOUND)
    pack(folder / "drums.zip", {"Kick.wav": SOUND})
    intake = take_in([folder])
    assert intake.troubles == ()
    assert intake.incomplete[0].files == ("drums.zip",)
    assert (
        intake.incomplete[0].problem == "there is no folder to unpack it to, since the user's cache cannot be written"
    )


def test_a_zip_that_is_locked_altogether_is_one_sentence(tmp_path: Path, into: Path) -> None:
    packed = pack(tmp_path / "a.zip", {"Kick.wav": SOUND})
    raw = bytearray(packed.read_bytes())
    raw[6] |= 1
    raw[raw.rfind(b"Kick.wav") - 46 + 8] |= 1
    packed.write_bytes(raw)
    with pytest.raises(NothingToCheck, match=r"a.zip: it is locked with a password; ask for it without one\."):
        take_in([packed], unpack_into=into)


@pytest.mark.parametrize("kept", [4, 60, -30, -1])
def test_a_zip_that_broke_off_is_reported(tmp_path: Path, into: Path, kept: int) -> None:
    packed = pack(tmp_path / "a.zip", {"Kick.wav": SOUND})
    packed.write_bytes(packed.read_bytes()[:kept])
    with pytest.raises(NothingToCheck, match="damaged or only a part of it arrived; ask for it again"):
        take_in([packed], unpack_into=into)


def test_nested_zips_open_to_a_depth_and_then_are_reported(tmp_path: Path, into: Path) -> None:
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
    inside = opened(packed, into)
    assert [f.shown for f in inside.files] == ["Bass.wav"]
    assert str(inside.troubles[0]) == "a.zip: it unpacks to far more than audio can; ask what it is."
    assert sum(p.stat().st_size for p in into.rglob("*") if p.is_file()) < 1 << 20


def test_too_many_files_and_too_little_space_are_reported_before_anything_is_written(
    tmp_path: Path, into: Path
) -> None:
    packed = pack(tmp_path / "a.zip", {f"{n}.wav": SOUND for n in range(10)})
    for budget, words in (
        (Budget(entries=9, bytes=1 << 30), "it holds more than 20000 files"),
        (Budget(bytes=9 * len(SOUND)), "there is not enough free space"),
    ):
        inside = opened(packed, into, budget)
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
    assert member_name(raw, flag, extra) == name


def test_the_unicode_path_field_counts_when_it_belongs_to_the_name() -> None:
    # APPNOTE, appendix D.3: id 0x7075, version 1, CRC-32 of the other name, UTF-8 name.
    body = b"\x01" + struct.pack("<I", zlib.crc32(b"B?sse.wav")) + "Bässe.wav".encode()
    extra = struct.pack("<HH", 0x7075, len(body)) + body
    assert member_name(b"B?sse.wav", 0, extra) == "Bässe.wav"
    assert member_name(b"Other.wav", 0, extra) == "Other.wav"
