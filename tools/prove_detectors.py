"""How well do the detectors find, and how seldom do they cry wolf? Prints tables, and writes them into the docs.

    PYTHONPATH=tests python tools/prove_detectors.py [--deliveries N] [--seconds S] [--files N] [--songs N]
                                                [--only detectors|mixes]

Real recordings are those that packages of the registries have installed (tests/detectors/recordings.py); the folder
that `RECORDINGS` names comes on top, and so do the sound fonts in the one that `SOUND_FONTS` names.
"""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
from collections import Counter, defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from unittest.mock import patch

import soundfile

from deep_tally.compare import matching
from detectors import classes, mix_table
from detectors.cases import BASES, CASES, Kept, deliver, run
from detectors.clean import FILES, write_clean
from detectors.clean_kinds import KINDS, write_kind
from detectors.deliveries import Outcome, judged
from detectors.delivery_table import DELIVERIES
from detectors.recordings import recordings
from inline import check_inline

_DOCS = Path(__file__).resolve().parent.parent / "docs"
DOCUMENT, OF_MIXES = _DOCS / "measures.md", _DOCS / "mix-match.md"
BEGIN, END = "<!-- made by `make detectors`: begin -->", "<!-- made by `make detectors`: end -->"


def _case(number: int, base: str) -> tuple[int, str, bool]:
    """Whether a case comes out as it should."""
    case, samples = CASES[number], BASES[base]()
    found = run(case, samples)
    right = case.code not in {c for c, _ in found} if case.action is None else (case.code, case.action) in found
    return number, base, right


def _clean(seed: int, seconds: float) -> Counter[tuple[str, str]]:
    """What a clean delivery is told: (code, action) and how often."""
    with tempfile.TemporaryDirectory() as folder:
        assessed = check_inline(write_clean(Path(folder), seed, seconds=seconds))
    return Counter((f.code, f.action.value) for f in assessed.findings)


def _kind(kind: str, seed: int) -> Counter[tuple[str, str]]:
    """What a clean delivery of a kind is told."""
    with tempfile.TemporaryDirectory() as folder:
        assessed = check_inline(write_kind(Path(folder), kind, seed))
    return Counter((f.code, f.action.value) for f in assessed.findings)


def _kinds(pool: ProcessPoolExecutor, deliveries: int) -> Iterator[str]:
    """What clean deliveries of every kind are asked in vain, and fixed in vain."""
    yield "| clean deliveries | of them | false asks | false fixes | notes |"
    yield "|---|---|---|---|---|"
    for kind in KINDS:
        found = sum(pool.map(_kind, [kind] * deliveries, range(deliveries)), Counter())
        by_action = {a: {c: n for (c, of), n in found.items() if of == a} for a in ("ask", "fix", "note")}
        cells = [", ".join(f"{c} {n}" for c, n in sorted(by_action[a].items())) or "0" for a in ("ask", "fix", "note")]
        yield f"| {kind} | {deliveries} | {' | '.join(cells)} |"


def _fault_classes(pool: ProcessPoolExecutor, files: int) -> Iterator[str]:
    """Hits and false alarms of every class in two halves, the second not looked at while tuning."""
    todo = list(classes.todo(files))
    answers: defaultdict[tuple[int, int, int], list[bool]] = defaultdict(list)
    for (number, _, at), found in zip(todo, pool.map(classes.outcome, *zip(*todo, strict=True)), strict=True):
        for which, answer in enumerate(found):
            if answer is not None:
                answers[number, which, at % 2].append(answer)
    yield "| class: fault; what looks like it | found, tuning | found, proof | false, tuning | false, proof |"
    yield "|---|---|---|---|---|"
    for number, tried in enumerate(classes.CLASSES):
        cells = [answers[number, which, half] for which in (0, 1) for half in (0, 1)]
        yield f"| {tried.name} | {' | '.join(f'{sum(cell)} of {len(cell)}' for cell in cells)} |"


def _recording(path: Path) -> list[tuple[str, str]] | None:
    """What a real recording is told beside a clean song; None where it cannot be read."""
    try:
        samples, rate = soundfile.read(path, always_2d=True)
    except soundfile.LibsndfileError:
        return None
    subtype = soundfile.info(path).subtype
    kept = Kept(samples, subtype=subtype if subtype in ("PCM_16", "PCM_24", "PCM_32") else "PCM_16", rate=rate)
    delivery = deliver({"20 Viol.wav": kept})
    return [(f.code, f.action.value) for f in delivery.findings if "20 Viol.wav" in f.files]


def _delivered(number: int) -> Outcome:
    """What one delivery is told by its files; what a rough mix adds to that has a table of its own."""
    with tempfile.TemporaryDirectory() as folder, patch.object(matching, "mix_of", lambda tracks, comparison: None):
        return judged(DELIVERIES[number], Path(folder))


def _whole_deliveries(outcomes: list[Outcome]) -> Iterator[str]:
    """A line for each whole delivery, and their sum."""
    yield "| delivery | asked | fixed | noted, among others | needless asks | wrong fixes | missed |"
    yield "|---|---|---|---|---|---|---|"
    for delivered, outcome in zip(DELIVERIES, outcomes, strict=True):
        wanted = [", ".join(sorted(codes)) for codes in (delivered.asked, delivered.fixed, delivered.noted)]
        wrong = [", ".join(codes) for codes in (outcome.needless_asks, outcome.wrong_fixes, outcome.missed)]
        yield f"| {delivered.name} | {' | '.join([*wanted, *wrong])} |"
    asks, fixes, missed = (
        sum(map(len, each))
        for each in zip(*((o.needless_asks, o.wrong_fixes, o.missed) for o in outcomes), strict=True)
    )
    yield f"| **all {len(outcomes)}** | | | | **{asks}** | **{fixes}** | **{missed}** |"


def _tables(deliveries: int, seconds: float, files_of_each: int) -> Iterator[str]:
    todo = [
        (number, base)
        for number, case in enumerate(CASES)
        for base, make in BASES.items()
        if (base == "synthetic" or case.on_real) and make() is not None
    ]
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        right: defaultdict[tuple[str, bool, str], list[bool]] = defaultdict(list)
        for number, base, is_right in pool.map(_case, *zip(*todo, strict=True)):
            case = CASES[number]
            right[case.code, case.action is not None, base].append(is_right)
        yield "| code | found, synthetic | found, real | silent at near misses, synthetic | real |"
        yield "|---|---|---|---|---|"
        for code in dict.fromkeys(case.code for case in CASES):
            cells = [right[code, positive, base] for positive in (True, False) for base in BASES]
            lines_of = [f"{sum(cell)} of {len(cell)}" if cell else "" for cell in cells]
            yield f"| {code} | {' | '.join(lines_of)} |"
        every = [
            [v for (_, positive, b), cell in right.items() if positive is p and b == base for v in cell]
            for p in (True, False)
            for base in BASES
        ]
        yield f"| **all** | {' | '.join(f'{sum(v)} of {len(v)}' for v in every)} |"
        yield ""
        lines_of = sum(pool.map(_clean, range(deliveries), [seconds] * deliveries), Counter())
        asks = sum(n for (_, action), n in lines_of.items() if action == "ask")
        yield (
            f"**Clean deliveries**: {deliveries} of {FILES} files of {seconds:.0f} s, half of them programmed:"
            f" {asks} false asks (allowed: one in twenty deliveries). What else they get, in all: "
            + ", ".join(f"{code} ({action}) {n}" for (code, action), n in sorted(lines_of.items()) if action != "ask")
            + "."
        )
        yield ""
        yield from _whole_deliveries(list(pool.map(_delivered, range(len(DELIVERIES)))))
        yield ""
        yield from _fault_classes(pool, files_of_each)
        yield ""
        yield from _kinds(pool, deliveries)
        yield ""
        files = [found for found in pool.map(_recording, recordings()) if found is not None]
        counted = Counter(one for found in files for one in found)
        yield (
            f"**Real recordings**, {len(files)} of them, as they came, each beside a clean song: "
            + ", ".join(f"{code} ({action}) {n}" for (code, action), n in sorted(counted.items()))
            + "."
        )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--deliveries", type=int, default=20)
    parser.add_argument("--seconds", type=float, default=60.0)
    parser.add_argument("--files", type=int, default=classes.FILES, help="of every class of faults")
    parser.add_argument("--songs", type=int, default=mix_table.SONGS, help="that are looked for in their mixes")
    parser.add_argument("--only", choices=("detectors", "mixes"))
    options = parser.parse_args()
    if options.only != "mixes":
        _write(DOCUMENT, _tables(options.deliveries, options.seconds, options.files))
    if options.only != "detectors":
        # A song and its copies take half a gigabyte: each has a process of its own.
        with ProcessPoolExecutor(os.cpu_count(), max_tasks_per_child=1) as pool:
            _write(OF_MIXES, mix_table.lines(pool, range(options.songs)))


def _write(document: Path, lines_of: Iterator[str]) -> None:
    """Print lines as they come, and put them between the marks of a document."""
    lines = []
    for line in lines_of:
        sys.stdout.write(f"{line}\n")
        lines.append(line)
    before, _, rest = document.read_text("utf-8").partition(BEGIN)
    after = rest.partition(END)[2]
    document.write_text(before + "\n".join([BEGIN, "", *lines, "", END]) + after, "utf-8")


if __name__ == "__main__":
    main()
