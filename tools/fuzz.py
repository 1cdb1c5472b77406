"""A long fuzz run over everything that comes from outside: sound files of every container (short, long, wide), zips of
every compression, notes and metadata with markup, briefs, state files. Prints what went wrong, if anything.

    python tools/fuzz.py [--minutes 10] [--seed N] [--only KIND]

Right is a reading, a finding, or one clear sentence. Wrong is any exception, an error of our own, over 20 s for one
file, markup that stands in a page as markup, or a file that is changed. A file that brings the process down is kept in
the folder that is named at the start.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable, Mapping
from functools import lru_cache
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from deep_tally.check.assess import assess
from deep_tally.compare.job import compare_song
from deep_tally.intake.corrected import with_corrections
from deep_tally.intake.fingerprint import fingerprints
from deep_tally.intake.walk import take_in
from deep_tally.measure.job import measure_entry
from deep_tally.model.brief import DEFAULT_BRIEF, parse_brief
from deep_tally.model.corrections import NO_CORRECTIONS
from deep_tally.model.errors import BriefRefused, DeepTallyError
from deep_tally.model.files import Entry, Role
from deep_tally.reply.formats.html import to_html
from deep_tally.reply.formats.json import to_json
from deep_tally.reply.formats.markdown import to_markdown
from deep_tally.reply.formats.text import to_text
from deep_tally.reply.letter import write_letter
from deep_tally.session.brief_library import BriefLibrary
from deep_tally.session.corrections import recall
from deep_tally.session.words import vocabulary_at_hand, words_path
from mutations import hurt_anywhere, long_seeds, mutated, seeds, tagged_wav, wide_seed

Random = np.random.Generator
MARKUP = ("<img src=/dev/zero>", "<b>&amp;", "</td><script>x</script>", "%s{0}", "\u202e", "9" * 400, "=cmd|' /C'!A0")
_SLOW_S = 20.0
_METHODS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA)


class Wrong(Exception):
    """Something came out that must not."""


def _measured(path: Path) -> str:
    """How measuring a file ends, in a few words."""
    before = path.read_bytes()
    entry = Entry(path="x.wav", source=path, role=Role.TRACKOUT, bytes=path.stat().st_size)
    track = measure_entry(lambda done, total: None, entry)
    if path.read_bytes() != before:
        raise Wrong("the file was changed")
    if track.unchecked is not None:
        raise Wrong(track.unchecked.problem)  # nothing is lacking here: it must be said of the file, or measured
    return track.damage.problem.split(",")[0][:60] if track.damage else "measured"


def short_file(random: Random, folder: Path) -> str:
    """A fifth of a second in any container, with a damaged head."""
    kinds = sorted(set(seeds()) - {"zip", "midi"})
    path = folder / "short.bin"
    path.write_bytes(mutated(seeds()[kinds[int(random.integers(len(kinds)))]], random))
    return _measured(path)


def long_file(random: Random, folder: Path) -> str:
    """Minutes in a compressed container, with damage anywhere."""
    kinds = sorted(long_seeds())
    path = folder / "long.bin"
    path.write_bytes(hurt_anywhere(long_seeds()[kinds[int(random.integers(len(kinds)))]], random))
    return _measured(path)


def wide_file(random: Random, folder: Path) -> str:
    """Up to 128 channels."""
    path = folder / "wide.wav"
    raw = wide_seed(int(random.integers(3, 129)))
    path.write_bytes(mutated(raw, random) if random.integers(2) else raw)
    return _measured(path)


def archive(random: Random, folder: Path) -> str:
    """A zip of any compression, damaged anywhere; what comes out of it is measured."""
    into = Path(tempfile.mkdtemp(dir=folder))
    path = into / "a.zip"
    with zipfile.ZipFile(path, "w", _METHODS[int(random.integers(4))]) as made:
        for number in range(int(random.integers(1, 5))):
            name = str(random.choice([f"0{number} Kick.wav", "a/b.wav", "x" * 300 + ".wav", f"{number}.txt", "in.zip"]))
            made.writestr(f"{number} {name}", seeds()["zip" if name == "in.zip" else "wav"])
    raw = path.read_bytes()
    path.write_bytes(hurt_anywhere(raw, random) if random.integers(2) else mutated(raw[::-1], random)[::-1])
    before = path.read_bytes()
    (into / "out").mkdir()
    try:
        intake = take_in([path], unpack_into=into / "out")
    except DeepTallyError as error:
        return f"{type(error).__name__}: {error.problem}"[:60]
    finally:
        if path.read_bytes() != before:
            raise Wrong("the archive was changed")
    for entry in intake.sounds:
        measure_entry(lambda done, total: None, entry)
    return "opened"


def foreign_words(random: Random, folder: Path) -> str:
    """A delivery whose names, notes and metadata are markup: judged, and written in every form."""
    home = Path(tempfile.mkdtemp(dir=folder)) / _word(random).replace("/", "_")[:80]
    home.mkdir()
    for number in range(int(random.integers(1, 5))):
        name = f"{number} {_word(random)} {random.choice(['kick', 'voice', 'rough mix', ''])}".replace("/", "_")[:90]
        (home / f"{name}.wav").write_bytes(tagged_wav(_word(random)))
    (home / "notes.txt").write_text(f"Song: {_word(random)}\nTempo: {_word(random)}\nArtist: {_word(random)}")
    intake = take_in([home])
    tracks = [measure_entry(lambda done, total: None, e) for e in intake.sounds]
    comparisons = {s: compare_song(lambda done, total: None, intake.sounds, tracks) for s in intake.songs}
    delivery = assess(intake, tracks, DEFAULT_BRIEF, comparisons=comparisons)
    page = write_letter(delivery, engineer=_word(random), client=_word(random))
    json.loads(to_json(delivery))
    to_text(page)
    to_markdown(page)
    if any(tag in to_html(page) for tag in ("<img src=/dev", "<script>", "<b>&amp;amp;" * 9)):
        raise Wrong("markup stands in the page")
    return "judged and written"


def brief(random: Random, folder: Path) -> str:
    """The text of a brief with bytes of it changed."""
    text = mutated(DEFAULT_BRIEF.to_json().encode(), random).decode("utf-8", "replace")
    if random.integers(2):
        text = text.replace("null", str(random.choice(["1e999", "9" * 400, "9" * 5000, "NaN", "[[", '"x"'])))
    try:
        made = parse_brief(text, subject="b.json")
    except BriefRefused:
        return "refused"
    assess(take_in([folder / "one"]), (), made)
    return "accepted"


def state(random: Random, folder: Path) -> str:
    """State files with bytes of them changed."""
    said = (
        b'{"schema": 2, "files": {}, "roles": {"a.wav": "click"}, "songs": {"a.wav": "Two"}, "rough_mixes": ["b.wav"],'
        b' "parts": {"a.wav": ["kick"]}, "tempos": {"Song": 96.0}, "places": {"a.wav": 480}, "names": {}}'
    )
    words = b'{"schema": 1, "parts": {"kick": ["boom", "bd"], "lead voice": ["ld"]}}'
    source = folder / "one"
    library = BriefLibrary()
    intake = take_in([source])
    record = recall(source, fingerprints(intake.sounds)).record
    said = said.replace(b'"files"', b'"source": %s, "files"' % json.dumps(str(source)).encode())
    for path, raw in ((record, said), (words_path(), words), (library.save(DEFAULT_BRIEF), None)):
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(mutated(raw if raw is not None else path.read_bytes(), random))
    recalled = recall(source, fingerprints(intake.sounds))
    assess(with_corrections(intake, recalled.corrections), (), library.default, corrections=recalled.corrections)
    record.unlink()
    vocabulary_at_hand()
    library.names()
    return "in force" if recalled.corrections != NO_CORRECTIONS else "left aside"


KINDS: Mapping[str, Callable[[Random, Path], str]] = {
    "short": short_file,
    "zip": archive,
    "words": foreign_words,
    "brief": brief,
    "state": state,
    "long": long_file,
    "wide": wide_file,
}


def _word(random: Random) -> str:
    return str(random.choice(MARKUP))


@lru_cache(maxsize=1)
def _kinds_in_turn() -> tuple[str, ...]:
    """Long and wide files take a hundred times as long as the others: one of them in each round."""
    return ("short", "short", "short", "zip", "zip", "words", "brief", "state", "long", "short", "zip", "wide")


def main() -> int:
    """Run; returns 1 when anything went wrong."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--minutes", type=float, default=10.0)
    parser.add_argument("--seed", type=int, default=0)
    parser.add_argument("--only", choices=sorted(KINDS))
    chosen = parser.parse_args()
    folder = Path(tempfile.mkdtemp())
    for name in ("DATA", "CACHE", "CONFIG"):
        os.environ[f"XDG_{name}_HOME"] = str(folder / name.lower())
    (folder / "one").mkdir()
    (folder / "one" / "a.wav").write_bytes(seeds()["wav"])
    sys.stdout.write(f"{folder}\n")
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)  # decoders print their worries
    ends: dict[str, Counter[str]] = {kind: Counter() for kind in KINDS}
    slowest = dict.fromkeys(KINDS, 0.0)
    wrong, number = 0, chosen.seed
    until = time.monotonic() + chosen.minutes * 60
    while time.monotonic() < until:
        kind = chosen.only or _kinds_in_turn()[number % len(_kinds_in_turn())]
        started = time.monotonic()
        try:
            ends[kind][KINDS[kind](np.random.default_rng(number), folder)] += 1
        except Exception as error:  # noqa: BLE001 - that is what is looked for
            wrong += 1
            sys.stdout.write(f"{kind} {number}: {error!r}\n")
        lasted = time.monotonic() - started
        slowest[kind] = max(slowest[kind], lasted)
        if lasted > _SLOW_S and ends[kind].total() > len(long_seeds()):  # the first ones make their seeds
            wrong += 1
            sys.stdout.write(f"{kind} {number}: took {lasted:.0f} s\n")
        number += 1
    for kind, counted in ends.items():
        sys.stdout.write(f"{kind}: {counted.total()} tried, slowest {slowest[kind]:.2f} s\n")
        for end, count in counted.most_common(8):
            sys.stdout.write(f"{count:8} {end}\n")
    sys.stdout.write(f"{wrong} wrong\n")
    return int(wrong > 0)


if __name__ == "__main__":
    sys.exit(main())
