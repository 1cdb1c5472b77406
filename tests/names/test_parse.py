"""Names as engineers read them: invented ones with the parse a reader expects (names.tsv), and the rules behind it."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

from deep_tally.model.names import ParsedName
from deep_tally.names.parse import NO_CONTEXT, Context, parse
from deep_tally.names.vocabulary import shipped

CORPUS = [
    line.split("\t")
    for line in Path(__file__).with_name("names.tsv").read_text("utf-8").splitlines()
    if line and not line.startswith("#")
]


def expected(text: str) -> dict[str, str]:
    """ "n=01 v=dry,double" as a mapping; values may hold blanks."""
    found: dict[str, str] = {}
    for word in text.split():
        key, equals, value = word.partition("=")
        if equals:
            found[key] = value
            last = key
        else:
            found[last] += f" {word}"
    return found


def read(name: str, context: Context = NO_CONTEXT) -> ParsedName:
    return parse(name, shipped(), context)


def told(parsed: ParsedName) -> dict[str, str]:
    """A parse in the notation of the corpus."""
    pairs = {
        "n": parsed.first("number"),
        "i": parsed.first("index"),
        "s": parsed.side,
        "v": ",".join(parsed.variants),
        "bpm": parsed.first("tempo"),
        "key": parsed.first("key"),
        "fam": "groups" if parsed.family == "groups" else "",
        "also": ",".join(parsed.parts[1:]),
    }
    return {key: value for key, value in pairs.items() if value}


def test_the_corpus_is_large_and_each_name_stands_in_it_once() -> None:
    assert len(CORPUS) >= 300
    assert len({line[0] for line in CORPUS}) == len(CORPUS)


def test_parts_are_recognised(capsys: pytest.CaptureFixture[str]) -> None:
    right = wrong = missed = 0
    faults = []
    for name, part, *_ in CORPUS:
        wanted = None if part == "-" else part
        got = read(name).part
        right += got == wanted and got is not None
        wrong += got is not None and got != wanted
        missed += wanted is not None and got != wanted
        if got != wanted:
            faults.append(f"{name}: {got}, not {wanted}")
    precision, recall = right / (right + wrong), right / (right + missed)
    with capsys.disabled():
        told_at_once = f"parts of {len(CORPUS)} names: precision {precision:.3f}, recall {recall:.3f}"
        sys.stderr.write("\n  ".join(["", told_at_once, *faults, ""]))
    assert precision >= 0.98
    assert recall >= 0.97


@pytest.mark.parametrize(("name", "part", "rest"), [(n, p, r) for n, p, r in CORPUS])
def test_everything_else_in_a_name_is_understood(name: str, part: str, rest: str) -> None:
    parsed = read(name)
    if parsed.part != (None if part == "-" else part):
        pytest.skip("its part is counted as missed above")
    assert told(parsed) == expected(rest)
