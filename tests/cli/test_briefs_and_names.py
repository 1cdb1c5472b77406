"""`deep-tally brief` and `deep-tally names`, and a brief by its name in `check`."""

from __future__ import annotations

import csv
import json
import shutil
import zipfile
from pathlib import Path

import jsonschema
import pypdfium2
import pytest

from deep_tally.cli.main import main
from deep_tally.model.brief import parse_brief
from deep_tally.model.corrections import Corrections
from deep_tally.session.words import add_word
from said import say
from sounds import wav_bytes


class Done:
    def __init__(self, capsys: pytest.CaptureFixture[str], *arguments: object) -> None:
        with pytest.raises(SystemExit) as left:
            main([str(a) for a in arguments])
        self.status = left.value.code
        self.out, self.err = capsys.readouterr()


@pytest.fixture
def files(tmp_path: Path) -> Path:
    folder = tmp_path / "Tidewrack 96 BPM"
    folder.mkdir()
    for name in ("1 Kik In.wav", "2 LdVox dbl.wav", "10 Gtr L.wav", "Tidewrack rough mix.wav"):
        (folder / name).write_bytes(b"RIFF    WAVE")  # no sound is read
    return folder


def test_the_plan_is_printed_in_natural_order_and_nothing_is_renamed(
    files: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    before = sorted(p.name for p in files.iterdir())
    done = Done(capsys, "names", files)
    assert (done.status, done.err) == (0, "")
    assert [line.split() for line in done.out.splitlines()] == [
        "1 Kik In.wav > 01 Kick In.wav".split(),
        "2 LdVox dbl.wav > 02 Lead voice double.wav".split(),
        "10 Gtr L.wav > 10 Guitar L.wav".split(),
    ]
    assert sorted(p.name for p in files.iterdir()) == before


def test_a_clash_has_exit_status_1_and_says_so(files: Path, capsys: pytest.CaptureFixture[str]) -> None:
    shutil.copy(files / "10 Gtr L.wav", files / "11 Guitar left.wav")
    done = Done(capsys, "names", files, "--pattern", "{part} {side}")
    assert done.status == 1
    assert done.out.count("! two files would get this name") == 2


def test_the_plan_as_csv_and_explained(files: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    out = tmp_path / "names.csv"
    done = Done(capsys, "names", files, "--csv", out, "--explain", "--family-order")
    rows = list(csv.DictReader(out.open(encoding="utf-8", newline="")))
    assert [r["new"] for r in rows] == ["01 Kick In.wav", "02 Guitar L.wav", "03 Lead voice double.wav"]
    assert "part: LdVox (lead voice); variant: dbl (double); family: voices" in done.out
    printed = Done(capsys, "names", files, "--csv", "-")
    assert printed.out.startswith("old,new,trouble")


def test_a_pattern_that_cannot_be_used_is_refused_in_one_line(files: Path, capsys: pytest.CaptureFixture[str]) -> None:
    done = Done(capsys, "names", files, "--pattern", "{number")
    assert done.status == 2
    assert done.err == "deep-tally: {number: a { is not closed; write fields as {part}.\n"
    assert Done(capsys, "names", files, "--pattern", "").status == 2


def test_what_was_reported_in_the_window_counts_here_too(files: Path, capsys: pytest.CaptureFixture[str]) -> None:
    say(files, Corrections(pattern="{part}", names={"10 Gtr L.wav": "Twang"}))
    done = Done(capsys, "names", files)
    assert "Twang.wav" in done.out
    assert "your earlier corrections apply: the name of 1 file and how names are made (--fresh" in done.err
    done = Done(capsys, "names", files, "--fresh")
    assert "Twang.wav" not in done.out
    assert done.err == ""
    add_word("harmonium", "zzorg")
    (files / "zzorg.wav").write_bytes(b"RIFF    WAVE")
    assert "Harmonium.wav" in Done(capsys, "names", files).out


def test_a_csv_never_lands_on_a_clients_file(files: Path, capsys: pytest.CaptureFixture[str]) -> None:
    done = Done(capsys, "names", files, "--csv", files / "10 Gtr L.wav")
    assert done.status == 2
    assert "it is one of the client's files" in done.err


def test_briefs_are_listed_and_printed_as_json_that_is_a_brief(capsys: pytest.CaptureFixture[str]) -> None:
    listed = Done(capsys, "brief", "--list").out.splitlines()
    assert listed[0] == "Multitrack mix (the default)"
    assert len(listed) == 5
    schema = json.loads(Done(capsys, "brief", "--schema").out)
    for name in listed:
        text = Done(capsys, "brief", name.partition(" (")[0], "--json").out
        jsonschema.validate(json.loads(text), schema)
        assert parse_brief(text, subject=name).name == name.partition(" (")[0]


def test_a_picked_default_is_the_default(capsys: pytest.CaptureFixture[str]) -> None:
    assert Done(capsys, "brief", "Strict archive", "--default").status == 0
    assert "Strict archive (the default)" in Done(capsys, "brief", "--list").out
    assert "Broadcast-wave time stamps in all files." in Done(capsys, "brief").out


@pytest.mark.parametrize("form", [".txt", ".md", ".html", ".pdf"])
def test_the_clients_page_is_written_in_every_form(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], form: str
) -> None:
    path = tmp_path / f"page{form}"
    done = Done(capsys, "brief", "Submix groups only", "--page", path, "--engineer", "Kim Tarn")
    assert (done.status, done.out) == (0, "")
    is_pdf = form == ".pdf"
    text = pypdfium2.PdfDocument(path)[0].get_textpage().get_text_range() if is_pdf else path.read_text("utf-8")
    assert "The groups (submixes), one file each" in text
    assert "Kim Tarn" in text


def test_the_clients_page_is_printed(capsys: pytest.CaptureFixture[str]) -> None:
    assert Done(capsys, "brief", "--page", "-").out.startswith("What to send for the mix\n====")


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("No such",), "there is no brief of this name; choose one of: Multitrack mix"),
        (("none.json",), "the brief cannot be read (No such file or directory)"),
        (("--page", "page.doc"), "its ending does not say which format to write; end it in .txt, .md, .html, .pdf"),
    ],
)
def test_wrong_use_is_one_sentence(arguments: tuple[str, ...], words: str, capsys: pytest.CaptureFixture[str]) -> None:
    done = Done(capsys, "brief", *arguments)
    assert done.status == 2
    assert words in done.err
    assert done.err.count("\n") == 1


def test_a_brief_of_a_newer_schema_is_refused(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "b.json"
    path.write_text('{"schema": 7}')
    done = Done(capsys, "brief", path)
    assert done.status == 2
    assert "schema 7, newer than this program's 1; update Deep Tally." in done.err


def test_check_takes_a_brief_by_its_name_and_parts_that_were_reported(
    demo_folder: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    asked = tmp_path / "asked.json"
    asked.write_text(json.dumps({"schema": 1, "parts": [{"part": "kick drum"}, {"part": "choir"}]}))

    def codes(*options: object) -> dict[str, dict[str, object]]:
        document = json.loads(Done(capsys, "check", demo_folder, "--json", "-", "--quiet", *options).out)
        return {f["code"]: f for f in document["findings"]}

    assert codes("--brief", asked)["content.part-missing"]["evidence"] == {"missing": ["kick drum"]}
    say(demo_folder, Corrections(parts={"01 Frame drum.wav": ("kick drum",)}))
    assert "content.part-missing" not in codes("--brief", asked)
    archive = codes("--brief", "Strict archive")
    assert archive["content.companion-missing"]["evidence"] == {"missing": ["time stamps in the files"]}
    assert archive["content.container"]["files"] == ["20 Accordion.flac"]


def test_names_says_what_could_not_be_opened_here(
    tmp_path: Path, own_home: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    folder = tmp_path / "Song"
    folder.mkdir()
    (folder / "Bass.wav").write_bytes(wav_bytes())
    with zipfile.ZipFile(folder / "drums.zip", "w") as archive:
        archive.writestr("Kick.wav", wav_bytes())
    (own_home / "cache").write_text("in the way")
    done = Done(capsys, "names", folder)
    assert done.status == 2
    assert "Bass" in done.out
    assert "drums.zip could not be opened here: there is no folder to unpack it to" in done.err
