"""Sentences of a client's notes: which files are they about, what do they answer, and what is still to come?

Only plain words of the trade count, in the languages of the vocabulary. What is not understood is not guessed at: the
note is shown as it is.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache

from deep_tally.model.names import SURE, ParsedName, Token
from deep_tally.model.statements import Statement
from deep_tally.names.match import score
from deep_tally.names.parse import parse
from deep_tally.names.vocabulary import Vocabulary, shipped
from deep_tally.names.words import stem_of

_SENTENCE_END = re.compile(r"(?<=[.!?;])\s+|\n+")
_CLAUSE_END = re.compile(r"[,;:]|\b(?:and|but|or|und|aber|oder)\b", re.I)
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
_ANSWERS_NOTHING = re.compile(
    r"\?|\bplease\b|\b(?:can|could|would|should) (?:you|it|they|be|we)\b|\bshould\b|\bmake\b|\bwant\b|\bwish\b"
    r"|\bnot\b|n't\b|\bnever\b|\bwhy\b|\bmaybe\b|\bperhaps\b|\bi think\b"
    r"|\bbitte\b|\bnicht\b|\bkeine?n?\b|\bvielleicht\b|\bwarum\b|\bsoll(?:te)?n?\b|\bkannst\b",
    re.I,
)
"""A question, a wish, a doubt and a denial answer nothing: what they are about is still to be asked."""
_MIX_ANNOUNCED = re.compile(
    r"\b(?:send|upload|export|bounce|print)(?:ing)? (?:you |over |the |a |my |our |another |new |rough |reference )*"
    r"(?:mix|mixdown|roughmix)\b"
    r"|\b(?:mix|mixdown|roughmix|mischung|rohmischung|rohmix)\b"
    r" (?:will|to|is|follows?|coming|folgt|kommt|fehlt|still|not)\b",
    re.I,
)
_SUBJECTS: tuple[tuple[str, tuple[str, ...]], ...] = (
    (r"corrupt|damaged|broken|kaputt|defekt|beschädigt", ("content.damaged", "content.nonfinite", "content.dropout")),
    (r"clip(?:s|ped|ping)?\b|distort|overdriv|crunch|fuzz|saturat|verzerr|übersteuer", ("clipping.",)),
    (r"\bmono\b", ("channels.one-side", "channels.half-pair")),
    (r"\b(?:left|right|one) side\b|\bonly (?:left|right)\b|\bpanned\b", ("channels.one-side", "channels.half-pair")),
    (r"\bphase\b|polarity|inverted|flipped", ("channels.opposed",)),
    (r"\b16[\s-]?bits?\b", ("depth.",)),
    (r"\b(?:44[.,]1|48|88[.,]2|96) ?k", ("rate.",)),
    (r"\b(?:empty|silent|muted|leer|stumm)\b(?! (?:until|till|from|in|at|for|bis|ab)\b)", ("content.empty",)),
    (r"\btwice\b|\bduplicat|\bsame as\b|\bidentical\b|\bdoppelt\b", ("content.twin", "name.copy-mark")),
    (r"\bmp3\b|\blossy\b|\bsampled? from\b", ("content.lossy", "content.lossy-origin", "rate.upsampled")),
    (r"\bgaps?\b|\bdrop-?outs?\b|\bglitch|\bstutter|\bchopped\b|\bgated\b", ("content.dropout",)),
    (r"\b(?:starts?|begins?|comes? in|enters?|belongs?|beginnt|startet)\b.*(?:\d|\bbar\b|\btakt\b)", ("start.",)),
    (
        r"\bcut off\b|\bcuts? (?:out|off|short)\b|\bends? (?:early|abruptly|suddenly|hard|dead|there|on purpose)\b"
        r"|\bfades? out\b|\bhört .*\bauf\b",
        ("length.",),
    ),
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
    named, written = tuple(names.items()), tuple(written_s.items())
    return _remembered(tuple(notes.items()), named, written, has_mix, vocabulary or shipped())


@lru_cache(maxsize=8)
def _remembered(
    notes: tuple[tuple[str, str], ...],
    names: tuple[tuple[str, ParsedName], ...],
    written_s: tuple[tuple[str, float], ...],
    has_mix: bool,
    vocabulary: Vocabulary,
) -> tuple[Statement, ...]:
    """The same notes are asked for again with every line of the brief that changes."""
    known, written = dict(names), dict(written_s)
    read = (_read(note, s, known, written, has_mix, vocabulary) for note, text in notes for s in _sentences(text))
    return tuple(statement for statement in read if statement is not None)


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
    answers: set[str] = set()
    if not _ANSWERS_NOTHING.search(sentence):
        answers = {code for pattern, codes in _SUBJECT if pattern.search(sentence) for code in codes}
    awaited: tuple[str, ...] = ()
    sent_again: tuple[str, ...] = ()
    if _ANNOUNCED.search(sentence) and not _NOT_ANNOUNCED.search(sentence):
        is_again = bool(_AGAIN.search(sentence))
        waiting = [m for m in mentions if not _has_come(m, note, written_s, is_again=is_again)]
        awaited = tuple(dict.fromkeys(m.words for m in waiting))
        sent_again = tuple(dict.fromkeys(path for m in waiting for path in m.files))
        if _MIX_ANNOUNCED.search(sentence) and not has_mix:
            awaited += ("rough mix",)
    if not files and not awaited and at_s is None:
        return None
    return Statement(
        note=note,
        words=sentence,
        files=files,
        awaited=awaited,
        sent_again=sent_again,
        answers=frozenset(answers if files else ()),
        at_s=at_s,
    )


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
        if len(stem) < _WHOLE_LEAST or stem.casefold() not in rest.casefold():
            continue  # with many files, an expression for each would take seconds
        whole = re.compile(rf"(?<!\w){re.escape(stem)}(?:\.\w{{2,4}})?(?!\w)", re.I)
        if match := whole.search(rest):
            yield _Mention(match[0], (path,))
            rest = f"{rest[: match.start()]},{rest[match.end() :]}"
    named = (found for clause in _CLAUSE_END.split(rest) for found in _named_parts(clause, vocabulary))
    for words, mini in named:
        scored = {path: score(mini, name, vocabulary) for path, name in names.items()}
        best = max(scored.values(), default=0.0)
        yield _Mention(words, tuple(p for p, s in scored.items() if s >= _SAME_LEAST and s == best))


def _named_parts(sentence: str, vocabulary: Vocabulary) -> Iterator[tuple[str, ParsedName]]:
    """Each part a clause names with the side, number and form beside it, read like a name."""
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
