"""Sentences of a client's notes: which files are they about, what do they answer, and what is still to come?

Only plain words of the trade count, in the languages of the vocabulary. What is not understood is not guessed at: the
note is shown as it is.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from deep_tally.model.names import SURE, ParsedName, Token
from deep_tally.model.statements import Statement
from deep_tally.names.match import score
from deep_tally.names.parse import parse
from deep_tally.names.vocabulary import Vocabulary, shipped
from deep_tally.names.words import stem_of, words_of

_SENTENCE_END = re.compile(r"(?<=[.!?;])\s+|\n+")
_BULLET = re.compile(r"^[\s*•\-–]+")
_TIME = re.compile(r"(?<![\d:.,])(\d{1,2}):([0-5]\d)(?:[.,](\d))?(?![\d:])")
_ANNOUNCED = re.compile(
    r"\b(?:will|i'?ll|we'?ll|going to|gonna)\b.*\b(?:(?:re-?)?(?:send|export|upload)|re-?print|follow)"
    r"|\bto follow\b|\bfollows?\b(?! the\b)|\bcoming (?:soon|later|tomorrow|next|separately)\b"
    r"|\bstill (?:missing|to come|recording|working on)\b|\bon (?:its|their|the) way\b|\bnot (?:yet )?ready\b"
    r"|\bnot (?:done|finished|recorded) yet\b"
    r"|\bfolgt\b|\bfolgen\b|\bkommt noch\b|\bkommen noch\b|\bnachgereicht\b"
    r"|\b(?:schicke|sende|liefere|reiche)\b.*\bnach\b"
    r"|\bfehlt noch\b|\bfehlen noch\b",
    re.I,
)
_NOT_ANNOUNCED = re.compile(r"\b(?:won'?t|will not|not going to|kommt nicht|keine?)\b", re.I)
_AGAIN = re.compile(
    r"\bre-?(?:send|sent|export|upload|print|bounce)|\bagain\b|\bnew (?:version|export)\b|\breplace"
    r"|\bcorrupt|\bbroken\b"
    r"|\bdamaged\b|\bwrong\b|\bfixed\b|\bnochmal\b|\berneut\b|\bneue (?:fassung|version)\b|\bkaputt\b|\bdefekt\b",
    re.I,
)
_SUBJECTS: tuple[tuple[str, tuple[str, ...]], ...] = (
    (r"corrupt|damaged|broken|kaputt|defekt|beschädigt", ("content.damaged", "content.nonfinite", "content.dropout")),
    (r"clip(?:s|ped|ping)?\b|distort|overdriv|crunch|fuzz|saturat|verzerr|übersteuer", ("clipping.",)),
    (r"\bmono\b", ("channels.",)),
    (r"\b(?:left|right|one) side\b|\bonly (?:left|right)\b|\bpanned\b", ("channels.one-side", "channels.half-pair")),
    (r"\bphase\b|polarity|inverted|flipped", ("channels.opposed",)),
    (r"\b(?:16|24)[\s-]?bits?\b", ("depth.",)),
    (r"\b(?:44[.,]1|48|88[.,]2|96) ?k", ("rate.",)),
    (r"\b(?:empty|silent|muted|leer|stumm)\b(?! (?:until|till|from|in|at|for|bis|ab)\b)", ("content.empty",)),
    (r"\btwice\b|\bduplicat|\bsame as\b|\bidentical\b|\bdoppelt\b", ("content.twin", "name.copy-mark")),
    (r"\bmp3\b|\blossy\b|\bsampled? from\b", ("content.lossy", "content.lossy-origin", "rate.upsampled")),
    (r"\bgaps?\b|\bdrop-?outs?\b|\bglitch|\bstutter|\bchopped\b|\bgated\b", ("content.dropout",)),
    (r"\b(?:starts?|begins?|comes? in|enters?|belongs?|beginnt|startet)\b.*(?:\d|\bbar\b|\btakt\b)", ("start.",)),
    (r"\bcut off\b|\bcuts? (?:out|off|short)\b|\bends?\b|\btail\b|\bfades?\b|\bhört auf\b", ("length.",)),
    (r"\bquiet\b|\blow level\b|\bleise\b", ("headroom.quiet",)),
    (r"\bnoise\b|\bbleed\b", ("content.holds-another",)),
)
_SUBJECT = tuple((re.compile(words, re.I), codes) for words, codes in _SUBJECTS)
_BESIDE_PART = ("side", "index", "variant", "part")
_SAME_LEAST = 0.7
_WHOLE_LEAST = 3
_WORDS_MOST = 300
_LATER_S = 60.0


@dataclass(frozen=True, slots=True)
class _Mention:
    """What a sentence names: its words there, and the files that are meant."""

    words: str
    files: tuple[str, ...]


def read_statements(
    notes: Mapping[str, str],
    names: Mapping[str, ParsedName],
    *,
    written_s: Mapping[str, float],
    has_mix: bool = False,
    vocabulary: Vocabulary | None = None,
) -> tuple[Statement, ...]:
    """What the notes say of files and places.

    Parameters
    ----------
    notes : mapping of path to text
    names : mapping of path to ParsedName
        Of the song's files.
    written_s : mapping of path to seconds since 1970
        When files and notes were last written, as far as that is known: what a note announces may have come since.
    has_mix : bool
        Whether a rough mix came.
    vocabulary : Vocabulary, optional
        With the user's own words; else the shipped one.
    """
    words = vocabulary or shipped()
    found = []
    for note, text in notes.items():
        for sentence in _sentences(text):
            statement = _read(note, sentence, names, written_s, has_mix, words)
            if statement is not None:
                found.append(statement)
    return tuple(found)


def _sentences(text: str) -> Iterator[str]:
    for piece in _SENTENCE_END.split(text):
        sentence = _BULLET.sub("", piece).strip()
        if sentence and len(sentence) <= _WORDS_MOST:
            yield sentence


def _read(
    note: str,
    sentence: str,
    names: Mapping[str, ParsedName],
    written_s: Mapping[str, float],
    has_mix: bool,
    vocabulary: Vocabulary,
) -> Statement | None:
    mentions = list(_mentions(sentence, names, vocabulary))
    files = tuple(dict.fromkeys(path for m in mentions for path in m.files))
    at_s = _time_in(sentence)
    answers = {code for pattern, codes in _SUBJECT if pattern.search(sentence) for code in codes}
    awaited: tuple[str, ...] = ()
    if _ANNOUNCED.search(sentence) and not _NOT_ANNOUNCED.search(sentence):
        is_again = bool(_AGAIN.search(sentence))
        waiting = [m for m in mentions if not _has_come(m, note, written_s, is_again=is_again)]
        awaited = tuple(dict.fromkeys(m.words for m in waiting))
        if _speaks_of_the_mix(sentence, vocabulary) and not has_mix:
            awaited += ("rough mix",)
    if not files and not awaited and at_s is None:
        return None
    return Statement(
        note=note, words=sentence, files=files, awaited=awaited, answers=frozenset(answers if files else ()), at_s=at_s
    )


def _speaks_of_the_mix(sentence: str, vocabulary: Vocabulary) -> bool:
    return bool(vocabulary.roles["mix"] & set(words_of(sentence)))


def _has_come(mention: _Mention, note: str, written_s: Mapping[str, float], *, is_again: bool) -> bool:
    """Whether what a sentence announces is there: any file of that name, or a newer one where one is sent again."""
    if not mention.files or not is_again:
        return bool(mention.files)
    noted = written_s.get(note)
    return noted is not None and any(written_s.get(path, 0.0) > noted + _LATER_S for path in mention.files)


def _time_in(sentence: str) -> float | None:
    match = _TIME.search(sentence)
    return int(match[1]) * 60 + int(match[2]) + int(match[3] or 0) / 10 if match else None


# -- which files a sentence names -------------------------------------------------------------


def _mentions(sentence: str, names: Mapping[str, ParsedName], vocabulary: Vocabulary) -> Iterator[_Mention]:
    """Files named whole first, then by what plays: "OH right", "the second guitar"."""
    rest = sentence
    for path in sorted(names, key=lambda p: -len(stem_of(p))):
        stem = stem_of(path)
        whole = re.compile(rf"(?<!\w){re.escape(stem)}(?:\.\w{{2,4}})?(?!\w)", re.I)
        if len(stem) >= _WHOLE_LEAST and (match := whole.search(rest)):
            yield _Mention(match[0], (path,))
            rest = f"{rest[: match.start()]},{rest[match.end() :]}"
    for words, mini in _named_parts(rest, vocabulary):
        scored = {path: score(mini, name, vocabulary) for path, name in names.items()}
        best = max(scored.values(), default=0.0)
        yield _Mention(words, tuple(p for p, s in scored.items() if s >= _SAME_LEAST and s == best))


def _named_parts(sentence: str, vocabulary: Vocabulary) -> Iterator[tuple[str, ParsedName]]:
    """Each part a sentence names with the side, number and form beside it, read like a name."""
    parsed = parse(sentence, vocabulary)
    if parsed.confidence != SURE:
        return
    tokens = [t for t in parsed.tokens if t.kind in _BESIDE_PART]
    while tokens:
        run = _run(tokens, sentence)
        del tokens[: len(run)]
        if any(t.kind == "part" for t in run):
            words = sentence[run[0].start : run[-1].end]
            yield words, parse(words, vocabulary)


def _run(tokens: list[Token], sentence: str) -> list[Token]:
    """The first tokens with nothing but blanks and dashes between them."""
    run = tokens[:1]
    for token in tokens[1:]:
        if sentence[run[-1].end : token.start].strip(" -_#"):
            break
        run.append(token)
    return run
