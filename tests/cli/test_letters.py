"""`deep-tally reply` and `check --csv`, as a script uses them."""

from __future__ import annotations

import csv
import email
import io
import json
from dataclasses import replace
from email.policy import default
from pathlib import Path

import pytest

from cli.test_command import run, sound
from deep_tally.engine.check_run import CheckRun
from deep_tally.model.brief import DEFAULT_BRIEF
from deep_tally.model.corrections import NO_CORRECTIONS
from deep_tally.model.letter_edits import LetterEdits, Reworded
from deep_tally.session.engineer import Engineer, keep_engineer


@pytest.fixture
def delivery(tmp_path: Path) -> Path:
    folder = tmp_path / "Tide 96 BPM"
    folder.mkdir()
    for number, part in enumerate(("Kick", "Bass", "Voice")):
        sound(folder / f"{number + 1:02d} {part}.wav", 2.0)
    return folder


def test_plain_text_comes_to_standard_output_with_the_details_behind_their_line(delivery: Path) -> None:
    done = run("reply", delivery, "--length", "full", "--client", "Marit", "--engineer", "Ada")
    assert done.returncode == 0, done.stderr
    first, line, details = done.stdout.partition("\nDetails\n")
    assert line
    assert "Hello Marit," in first
    assert "Best wishes, Ada" in first
    assert "Arrived: 3 tracks" in details
    short = run("reply", delivery, "--length", "short", "--client", "Marit", "--engineer", "Ada").stdout
    assert short.strip() == first.strip()
    assert run("reply", delivery, "--client", "Marit", "--engineer", "Ada").stdout == short
    assert len(short.split()) <= 120


@pytest.mark.parametrize(
    ("form", "begins"), [("md", b"# "), ("html", b"<!doctype"), ("pdf", b"%PDF"), ("txt", b"Your")]
)
def test_the_form_is_said_or_the_outputs_name_ends_so(delivery: Path, tmp_path: Path, form: str, begins: bytes) -> None:
    by_name, by_form = tmp_path / f"a.{form}", tmp_path / "letter"
    assert run("reply", delivery, "-o", by_name).returncode == 0
    assert run("reply", delivery, "--form", form, "-o", by_form).returncode == 0
    assert by_name.read_bytes().startswith(begins)
    assert by_form.read_bytes().startswith(begins)


def test_a_mail_draft_has_a_date_and_says_who_writes(delivery: Path) -> None:
    def draft() -> email.message.Message:
        return email.message_from_string(run("reply", delivery, "--form", "eml").stdout, policy=default)

    assert draft()["X-Unsent"] == "1"
    assert draft()["Date"] is not None
    keep_engineer(Engineer(name="Ada", address="ada@example.org", signature="Mixing since noon"))
    known = draft()
    assert known["From"] == "Ada <ada@example.org>"
    assert "Mixing since noon" in str(known)


def test_tables_and_json_come_as_from_a_check(delivery: Path, tmp_path: Path) -> None:
    table = run("reply", delivery, "--form", "csv").stdout
    assert table == run("check", delivery, "--csv", "-").stdout
    assert {row["path"] for row in csv.DictReader(io.StringIO(table)) if row["path"]} == {
        "01 Kick.wav",
        "02 Bass.wav",
        "03 Voice.wav",
    }
    assert run("check", delivery, "--csv", tmp_path / "t.csv").returncode == 1
    assert (tmp_path / "t.csv").read_text("utf-8").splitlines() == table.splitlines()
    assert json.loads(run("reply", delivery, "--form", "json").stdout)["tally"]["ask"] >= 1


def test_what_was_set_in_the_window_counts_unless_fresh(delivery: Path) -> None:
    edits = LetterEdits(
        client="Marit",
        left_out=("facts",),
        reworded={"farewell": Reworded("Yours, A.", "Best wishes")},
    )
    with CheckRun([delivery], DEFAULT_BRIEF) as window:
        for _ in window:
            pass
        window.correct(replace(NO_CORRECTIONS, letter=edits))
        window.keep_corrections()
    done = run("reply", delivery, "--length", "short")
    assert "your earlier corrections apply: the reply (--fresh ignores them)" in done.stderr
    assert "Hello Marit," in done.stdout
    assert "Yours, A." in done.stdout
    assert "song's" not in done.stdout.partition("again")[0]
    fresh = run("reply", delivery, "--length", "short", "--fresh").stdout
    assert "Marit" not in fresh
    assert "Best wishes" in fresh


def test_the_language_is_said_or_set_for_the_delivery_or_the_users_own(
    delivery: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    german = run("reply", delivery, "--length", "full", "--language", "de", "--client", "Marit").stdout
    assert "Hallo Marit, vielen Dank" in german
    assert "\nEinzelheiten\n" in german
    monkeypatch.setenv("LC_ALL", "de_AT.UTF-8")
    assert run("reply", delivery, "--length", "full", "--client", "Marit").stdout == german
    with CheckRun([delivery], DEFAULT_BRIEF) as window:
        for _ in window:
            pass
        window.correct(replace(NO_CORRECTIONS, letter=LetterEdits(language="en")))
        window.keep_corrections()
    assert "Hello, thank you" in run("reply", delivery).stdout
    assert "Hallo, vielen Dank" in run("reply", delivery, "--language", "de").stdout
    assert "Hallo, vielen Dank" in run("reply", delivery, "--fresh").stdout
    data = run("reply", delivery, "--form", "json", "--language", "de").stdout
    assert data == run("reply", delivery, "--form", "json").stdout


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--language", "xx"], "'xx' is not one of 'en', 'de'"),
        (["--form", "doc"], "say in which form with --form (txt, md, html, pdf, eml, csv, json)"),
        (["--length", "long"], "'long' is not one of 'short', 'full'"),
        (["-o", "letter.doc"], "say in which form"),
    ],
)
def test_wrong_use_has_status_2_and_one_sentence(delivery: Path, arguments: list[str], words: str) -> None:
    done = run("reply", delivery, *arguments)
    assert done.returncode == 2
    assert words in done.stderr
    assert "Traceback" not in done.stderr


def test_the_letter_is_never_written_over_a_file_of_the_client(delivery: Path) -> None:
    before = (delivery / "01 Kick.wav").read_bytes()
    done = run("reply", delivery, "--form", "txt", "-o", delivery / "01 Kick.wav")
    assert done.returncode == 2
    assert "one of the client's files" in done.stderr
    assert (delivery / "01 Kick.wav").read_bytes() == before
    assert run("reply", delivery.parent / "nowhere").returncode == 2
