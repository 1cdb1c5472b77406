"""A file's name becomes tokens: number, part, side, variant, song, artist, tempo, key and the rest.

Notations of tempo and key are common practice; English names have the instrument last ("Synth Bass" is a bass).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise

from deep_tally.model.names import FUZZY, SURE, ParsedName, Token, TokenKind
from deep_tally.names.facts import DATE_SAID, KEY_SAID, RATE_OR_DEPTH_SAID, TEMPO_SAID, key_in, tempo_in
from deep_tally.names.prefix import LEADING
from deep_tally.names.segments import Segment, folded, segments_of
from deep_tally.names.vocabulary import LONGEST_TERM, Vocabulary

COPY_MARK = re.compile(r"(?:\s*\(\d+\)|[\s_-]+(?:copy|kopie)(?:[\s_-]*\(?\d+\)?)?|(?<=[\s_.-])dup(?:licate)?)$", re.I)
_AFTER_PLAIN = re.compile(r"^\W*([^\W\d_]+)[\s_.\-#]*(\d{1,3})(?=[\s_.\-)\]:]+\S)")
_ONLY_NUMBER = re.compile(r"^\W*(\d{1,3})\W*$")
_TAKE = re.compile(r"(?<![^\W_])(?:takes?|tk|tke|aufnahme)[\s_.-]*(\d{1,3})(?![^\W_])", re.I)
_VERSION = re.compile(r"(?<![^\W_])(?:v|ver|vers|version|rev)[\s_.-]*(\d{1,3})(?![^\W_])", re.I)
_JOINT = re.compile(r"[+&,/]")
_GROUP, _RETURN = "group", "return"
_INDEX_LETTERS = frozenset("abcdef")
_SEGMENT_LEAST, _FUZZY_LEAST, _FUZZY_LONG = 3, 5, 8


@dataclass(frozen=True, slots=True)
class Context:
    """What is known of the set a name stands in.

    Attributes
    ----------
    title, artist : str
        Of the song; empty where unknown.
    tempo_bpm : float or None
        A bare number that equals it is the tempo.
    prefix : str
        The beginning that nearly all names share after their numbers; empty where there is none.
    """

    title: str = ""
    artist: str = ""
    tempo_bpm: float | None = None
    prefix: str = ""


NO_CONTEXT = Context()


@dataclass(slots=True)
class _Work:
    """A name while it is taken apart."""

    stem: str
    vocabulary: Vocabulary
    tokens: list[Token] = field(default_factory=list)
    segments: list[Segment] = field(default_factory=list)

    def claim(self, kind: TokenKind, start: int, end: int, value: str) -> None:
        self.tokens.append(Token(kind, start, end, value))
        self.segments = [p for p in self.segments if p.end <= start or p.start >= end]

    def is_free(self, start: int, end: int) -> bool:
        return all(t.end <= start or t.start >= end for t in self.tokens)


@lru_cache(maxsize=20_000)
def parse(stem: str, vocabulary: Vocabulary, context: Context = NO_CONTEXT) -> ParsedName:
    """What a name says.

    Parameters
    ----------
    stem : str
        The name without folder and ending.
    vocabulary : Vocabulary
    context : Context
        What is known of its set.
    """
    work = _Work(stem, vocabulary)
    known = vocabulary.single_words

    def is_known(word: str) -> bool:
        return word in known or (word,) in vocabulary.sides or word in vocabulary.plain

    work.segments = segments_of(stem, is_known)
    _claim_notations(work)
    _claim_number(work)
    _claim_song(work, context)
    candidates = _candidates(work)
    parts = _settle(work, candidates)
    confidence = SURE if parts else 0.0
    if not parts and (found := _misspelt(work)) is not None:
        parts, confidence = [found], FUZZY
    _claim_rest(work, context)
    part = _main_part(work, parts)
    family = vocabulary.families.get(part, "other") if part else "other"
    if any(t.kind == "variant" and t.value == _GROUP for t in work.tokens):
        family = "groups"
    elif part is None and any(t.kind == "variant" and t.value == _RETURN for t in work.tokens):
        family = "effects"
    listed = [t.value for t in parts]
    return ParsedName(
        stem=stem,
        tokens=tuple(sorted(work.tokens, key=lambda t: t.start)),
        part=part,
        parts=tuple(dict.fromkeys([*([part] if part else []), *listed])),
        family=family,
        confidence=confidence if part else 0.0,
    )


def _claim_notations(work: _Work) -> None:
    """What has a form of its own: copy marks, tempo, key, dates, rates and depths, takes and versions."""
    flat = work.stem.replace("_", " ")
    if (mark := COPY_MARK.search(work.stem)) and mark.start() > 0:
        work.claim("copy", mark.start(), mark.end(), mark[0].strip(" _-"))
    for match in DATE_SAID.finditer(flat):
        work.claim("date", match.start(), match.end(), match[0])
    for match in TEMPO_SAID.finditer(flat):
        if (tempo := tempo_in(match[0])) is not None and work.is_free(*match.span()):
            work.claim("tempo", *match.span(), f"{tempo:g}")
    for match in KEY_SAID.finditer(flat):
        if (key := key_in(match[0])) is not None and work.is_free(*match.span()):
            work.claim("key", *match.span(), key)
    for match in RATE_OR_DEPTH_SAID.finditer(flat):
        if work.is_free(*match.span()):
            work.claim("format", *match.span(), match[0])
    for pattern, word in ((_TAKE, "take"), (_VERSION, "version")):
        for match in pattern.finditer(work.stem):
            if work.is_free(*match.span()):
                work.claim("variant", *match.span(), f"{word} {int(match[1])}")


def _claim_number(work: _Work) -> None:
    """The track number a name begins with, also after a word such as "Track"."""
    if match := _ONLY_NUMBER.match(work.stem):
        if (match[1],) not in work.vocabulary.parts:
            work.claim("number", *match.span(1), match[1])
        return
    if match := LEADING.match(work.stem):
        span = match.span(1) if match[1] else match.span(2)
        rest = [p for p in work.segments if p.start >= span[1]]
        figures = work.stem[span[0] : span[1]]
        is_part = any((figures, *(p.word for p in rest[:n])) in work.vocabulary.parts for n in range(3))
        if rest and work.is_free(*span) and not is_part:
            work.claim("number", *span, work.stem[span[0] : span[1]])
        return
    match = _AFTER_PLAIN.match(work.stem)
    if match is None or folded(match[1]) not in work.vocabulary.plain or not work.is_free(*match.span(2)):
        return
    if any(not p.is_digits for p in work.segments if p.start >= match.end(2)):
        work.claim("number", *match.span(2), match[2])


def _claim_song(work: _Work, context: Context) -> None:
    """The song's and the artist's names, wherever they stand, as long as other words remain."""
    said: tuple[tuple[TokenKind, str], ...] = (("song", context.title), ("artist", context.artist))
    for kind, words in said:
        if wanted := [p.word for p in segments_of(words)]:
            _claim_words(work, kind, wanted)
    begun = [p for p in work.segments if p.end <= _prefix_end(work, context.prefix)]
    if not begun or not any(p.start >= begun[-1].end for p in work.segments):
        return
    if all(p.is_digits or p.word in work.vocabulary.single_words for p in begun):
        return  # "Drums_" before every name is no song
    kind_of_prefix: TokenKind = "artist" if context.title else "song"
    for segment in begun:
        if not segment.is_digits and segment.word not in work.vocabulary.plain:
            work.claim(kind_of_prefix, segment.start, segment.end, work.stem[segment.start : segment.end])


def _claim_words(work: _Work, kind: TokenKind, wanted: Sequence[str]) -> None:
    for first in range(len(work.segments) - len(wanted) + 1):
        run = work.segments[first : first + len(wanted)]
        if [p.word for p in run] != list(wanted):
            continue
        if any(not p.is_digits for p in [*work.segments[:first], *work.segments[first + len(wanted) :]]):
            work.claim(kind, run[0].start, run[-1].end, work.stem[run[0].start : run[-1].end])
        return


def _prefix_end(work: _Work, prefix: str) -> int:
    """Where the set's shared beginning ends in this name; 0 where it does not begin so."""
    start = max((t.end for t in work.tokens if t.kind == "number" and t.start < 4), default=0)
    begins = work.stem[start:].lstrip(" _-.)]")
    if not prefix or not begins.casefold().startswith(prefix.casefold()):
        return 0
    return len(work.stem) - len(begins) + len(prefix)


# -- parts, variants and sides ----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Candidate:
    """Pieces that stand for something; `also` is the variant that a part's word can be as well."""

    kind: TokenKind
    start: int
    end: int
    value: str
    also: str | None = None


def _candidates(work: _Work) -> list[_Candidate]:
    """What the segments stand for: the longest terms first, then single words, then words written as one."""
    found: list[_Candidate] = []
    free = list(work.segments)
    for length in range(LONGEST_TERM, 1, -1):
        index = 0
        while index + length <= len(free):
            run = free[index : index + length]
            if (hit := _phrase(work, run)) is not None:
                found.append(hit)
                del free[index : index + length]
            else:
                index += 1
    for segment in free:
        found += _single(work, segment) or _compound(work, segment)
    return sorted(found, key=lambda c: c.start)


def _phrase(work: _Work, run: Sequence[Segment]) -> _Candidate | None:
    """Neighbouring words that are a part or a variant; two words also the other way round ("Vox Lead")."""
    if any(not _are_neighbours(work, a, b) for a, b in pairwise(run)):
        return None
    words = tuple(_corrected(work.vocabulary, p.word) for p in run)
    for phrase in (words, words[::-1]) if len(words) == 2 else (words,):
        if (part := work.vocabulary.parts.get(phrase)) is not None:
            return _Candidate("part", run[0].start, run[-1].end, part)
    if (variant := work.vocabulary.variants.get(words)) is not None:
        return _Candidate("variant", run[0].start, run[-1].end, variant)
    return None


def _are_neighbours(work: _Work, one: Segment, other: Segment) -> bool:
    between = work.stem[one.end : other.start]
    return not _JOINT.search(between) and not any(c.isalnum() for c in between)


def _single(work: _Work, segment: Segment) -> list[_Candidate]:
    word = (segment.word,)
    part, variant = work.vocabulary.parts.get(word), work.vocabulary.variants.get(word)
    span = segment.start, segment.end
    if word in work.vocabulary.sides:
        return [_Candidate("side", *span, work.vocabulary.sides[word])]
    if part is not None:
        return [_Candidate("part", *span, part, also=variant)]
    if variant is not None:
        return [_Candidate("variant", *span, variant)]
    return []


def _compound(work: _Work, segment: Segment) -> list[_Candidate]:
    """Words written as one ("leadvox", "kickin", "gtrl"): all of it must be known words, a part among them."""
    word = segment.word
    if segment.is_digits or len(word) < 3 or word in work.vocabulary.plain or word in work.vocabulary.other:
        return []
    if len(work.stem[segment.start : segment.end]) != len(word):
        return []  # letters that fold to several have no place of their own
    split = _split(work.vocabulary, word)
    if split is None:
        return []
    segments, at = [], segment.start
    for part in split:
        segments.append(Segment(at, at + len(part), part))
        at += len(part)
    if (whole := _phrase(work, segments)) is not None:
        return [whole]
    found = [c for p in segments for c in _single(work, p)]
    return found if len(found) == len(segments) and any(c.kind == "part" for c in found) else []


@lru_cache(maxsize=20_000)
def _split(vocabulary: Vocabulary, word: str) -> tuple[str, ...] | None:
    """A word as two known ones, the longer first; a side's letter may end it."""
    known = vocabulary.single_words
    bare = word[:-1]
    # "guitarr" is a slip of the finger, "gtrr" a right side.
    is_doubled = len(bare) >= _FUZZY_LEAST and bare[-1] == word[-1]
    if word[-1] in "lr" and known.get(bare, ("", ""))[0] == "part" and len(word) <= 7 and not is_doubled:
        return bare, word[-1]
    for cut in range(len(word) - 2, 1, -1):
        first, second = word[:cut], word[cut:]
        if len(first) < 2 or len(second) < 2 or len(word) < 2 * _SEGMENT_LEAST:
            continue
        if min(len(first), len(second)) < _SEGMENT_LEAST and (first, second) not in vocabulary.parts:
            kinds = known.get(first, ("", ""))[0], known.get(second, ("", ""))[0]
            if kinds != ("part", "variant") or len(first) < 4:
                continue
        if (first in known and second in known) or (first, second) in vocabulary.parts:
            return first, second
    return None


def _settle(work: _Work, candidates: Sequence[_Candidate]) -> list[Token]:
    """Claim the candidates; a word that is both part and variant is a variant where another part is named."""
    pure = [c for c in candidates if c.kind == "part" and c.also is None]
    either = [c for c in candidates if c.kind == "part" and c.also is not None]
    specific = [c for c in pure if c.value not in work.vocabulary.general] or pure
    keep = set(pure) if specific else set(pure) | set(either[:1] if not pure else ())
    parts = []
    # A lone letter L or R is a side only beside other words.
    words = [p for p in work.segments if not p.is_digits]
    for candidate in candidates:
        kind, value = candidate.kind, candidate.value
        if kind == "part" and candidate not in keep:
            kind, value = "variant", candidate.also or value
        if kind == "side" and len(words) == 1 and len(candidates) == 1:
            continue
        work.claim(kind, candidate.start, candidate.end, value)
        if kind == "part":
            parts.append(work.tokens[-1])
    return parts


def _main_part(work: _Work, parts: Sequence[Token]) -> str | None:
    """The part a name is mostly about: the last specific one, up to a joint such as "+"."""
    if not parts:
        return None
    specific = [t for t in parts if t.value not in work.vocabulary.general] or list(parts)
    chosen = specific[0]
    for token in specific[1:]:
        if _JOINT.search(work.stem[chosen.end : token.start]):
            break
        chosen = token
    return chosen.value


def _misspelt(work: _Work) -> Token | None:
    """A word that is nearly a part's."""
    for segment in work.segments:
        near = _corrected(work.vocabulary, segment.word)
        if near != segment.word and (part := work.vocabulary.parts.get((near,))) is not None:
            work.claim("part", segment.start, segment.end, part)
            return work.tokens[-1]
    return None


@lru_cache(maxsize=20_000)
def _corrected(vocabulary: Vocabulary, word: str) -> str:
    """The word a misspelt one is meant to be: one letter off, or two in long words (optimal string alignment)."""
    known = (
        word.isdecimal()
        or word in vocabulary.single_words
        or word in vocabulary.plain
        or word in vocabulary.other
        or word in vocabulary.spelt_out
    )
    if known or len(word) < _FUZZY_LEAST:
        return word
    from rapidfuzz import process  # only where a word is not known
    from rapidfuzz.distance import OSA

    # Another last letter makes another word: a corner is no cornet.
    near = [w for w in vocabulary.spelt_out if w[0] == word[0] and not (len(w) == len(word) and w[:-1] == word[:-1])]
    best = process.extractOne(word, near, scorer=OSA.distance, score_cutoff=1 if len(word) < _FUZZY_LONG else 2)
    return best[0] if best is not None else word


def _claim_rest(work: _Work, context: Context) -> None:
    """Numbers of several alike, words of the format, plain words, and what stands for nothing known."""
    for segment in list(work.segments):
        kind: TokenKind = "rest"
        value = work.stem[segment.start : segment.end]
        if segment.is_digits:
            if context.tempo_bpm is not None and float(segment.word) == context.tempo_bpm and len(segment.word) > 1:
                kind = "tempo"
            elif len(segment.word) <= 2 and any(t.kind in ("part", "variant", "side") for t in work.tokens):
                kind, value = "index", str(int(segment.word))
        elif segment.word in work.vocabulary.formats:
            kind = "format"
        elif segment.word in _INDEX_LETTERS and any(t.kind == "part" and t.end < segment.start for t in work.tokens):
            kind, value = "index", segment.word.upper()
        elif segment.word in work.vocabulary.plain:
            kind = "plain"
        work.claim(kind, segment.start, segment.end, value)
